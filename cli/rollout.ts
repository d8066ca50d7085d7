import { existsSync } from 'node:fs';
import { CouldNotRun } from './files.ts';
import { Progress } from './progress.ts';
import { ask, inFolder, markIn, revisionOf } from './remote.ts';

interface RolloutOptions {
  environment: string;
  revision?: number;
  tearDown?: boolean;
  dryRun?: boolean;
  yes?: boolean;
  destroys?: number;
  cutsOff?: number;
  format: 'text' | 'json';
}

interface Target {
  readonly id: number;
  readonly environment: string;
  readonly broker: string;
}

interface Step {
  readonly title: string;
  readonly risk: string;
  readonly state: string;
  readonly destroys: string | null;
  readonly said: string | null;
  readonly error: string | null;
}

/** What is read of a rollout. */
interface Planned {
  readonly id: number;
  readonly broker: string;
  readonly revision: number;
  readonly state: 'planned' | 'applying' | 'applied' | 'failed' | 'stopped' | 'interrupted';
  readonly verified: boolean | null;
  readonly error: string | null;
  readonly note: string | null;
  /** The rollout that has to be over before this one begins. */
  readonly startsAfter: number | null;
  /** Those planned together, itself among them. */
  readonly group: readonly { readonly id: number }[];
  readonly needsConsent: boolean;
  readonly consentBy: string | null;
  readonly obstacles: readonly string[];
  readonly kept: readonly string[];
  readonly leftToOthers: readonly { readonly of: string; readonly why: string }[];
  readonly destroys: readonly {
    readonly queue: string;
    readonly messages: number;
    readonly takers: number;
  }[];
  readonly windows: readonly {
    readonly from: number;
    readonly until: number;
    readonly kind: string;
    readonly message: string;
    readonly store: string;
    readonly close: string;
  }[];
  readonly count: { readonly all: number; readonly done: number };
  readonly steps: readonly Step[];
}

const LOOK_AGAIN_MS = 300;

/**
 * `vondle rollout`: a revision carried out on every connected broker of an environment, one after the other; exit 0 where
 * all of it is as the revision says, 1 where something is left to do or went wrong, 2 where it could not run.
 */
export async function rollout(of: string, options: RolloutOptions): Promise<void> {
  const { environment, tearDown = false, format } = options;
  const slug = topologyOf(of);
  const path = encodeURIComponent(slug);
  const targets = (await ask<Target[]>('GET', `${path}/targets`)).data.filter(
    (each) => each.environment === environment,
  );
  if (targets.length === 0) throw new CouldNotRun(`nothing is connected in ${environment}`);
  const revision = tearDown ? undefined : (options.revision ?? (await newest(path)));
  if (revision !== undefined && of !== slug) await mustBe(of, slug, revision);
  const { all } = (await ask<{ all: string[] }>('GET', `${path}/targets/places`)).data;
  const missing = all.filter((each) => !targets.some(({ broker }) => broker === each));

  const wanted = tearDown ? { tearDown } : { revision };
  const { status, data } = await ask<{ id: number; title?: string; detail?: string }>(
    'POST',
    `${path}/rollouts`,
    { environment, ...wanted },
  );
  const nothing = status === 409 && data.title === 'Nothing to do';
  if (status === 409 && !nothing) throw new CouldNotRun(`${environment}: ${data.detail}`);
  const get = async (id: number) => (await ask<Planned>('GET', `${path}/rollouts/${id}`)).data;
  const plans: Planned[] = [];
  if (!nothing) for (const { id } of (await get(data.id)).group) plans.push(await get(id));
  const out = (text: string) => format === 'text' && process.stdout.write(text);
  for (const each of missing) out(`not carried out: nothing is connected for ${each} in ${environment}\n`);
  for (const plan of plans) out(planText(plan));

  const ended = new Map<number, Planned>();
  if (options.yes && !options.dryRun && plans[0]) {
    const agreed = mustBeAgreed(plans, options);
    const begun = await ask<{ detail?: string }>('POST', `${path}/rollouts/${plans[0].id}/apply`, agreed);
    if (begun.status === 409) throw new CouldNotRun(`${plans[0].broker}: ${begun.data.detail}`);
    for (const plan of plans) {
      const over = await carriedOut(() => get(plan.id));
      ended.set(plan.id, over);
      out(endText(over));
      if (over.state !== 'applied' || !over.verified) break;
    }
  } else if (plans.some(({ count }) => count.all > 0))
    out('\nNothing was touched. With --yes it is carried out.\n');
  const told = plans.map((plan) => ended.get(plan.id) ?? plan);
  if (format === 'json')
    process.stdout.write(
      `${JSON.stringify({ topology: slug, environment, revision: revision ?? null, tearDown, missing, rollouts: told })}\n`,
    );
  const isSo = ({ state, verified, count }: Planned) =>
    (state === 'applied' && verified === true) || (state === 'planned' && count.all === 0);
  process.exitCode = told.every(isSo) ? 0 : 1;
}

/** A topology by its address, or by a folder that was pulled from it. @throws CouldNotRun */
/** @returns the topology that a folder was pulled from, or the name itself. @throws CouldNotRun */
export function topologyOf(of: string): string {
  if (!existsSync(of)) return of;
  const mark = markIn(of);
  if (!mark)
    throw new CouldNotRun(
      `${of} was not pulled from a server; what is carried out is a revision of a topology there`,
    );
  return mark.topology;
}

async function newest(path: string): Promise<number> {
  const [last] = (await ask<{ number: number }[]>('GET', `${path}/revisions`)).data;
  if (!last) throw new CouldNotRun('no revision was saved yet');
  return last.number;
}

/** @throws CouldNotRun where a folder has other documents than the revision */
async function mustBe(folder: string, slug: string, revision: number): Promise<void> {
  const there = new Map((await revisionOf(slug, revision)).map(({ name, text }) => [name, text]));
  const here = inFolder(folder);
  const other = here.filter(({ name, text }) => there.get(name) !== text).map(({ name }) => name);
  const gone = [...there.keys()].filter((name) => !here.some((each) => each.name === name));
  const differing = [...other, ...gone];
  if (differing.length)
    throw new CouldNotRun(
      `${folder} is not r${revision}: ${differing.slice(0, 5).join(', ')}${differing.length > 5 ? ', …' : ''} differ. Push it and save a revision, or name one with --revision`,
    );
}

/** @returns what is agreed to. @throws CouldNotRun where it needs more agreement than was given */
function mustBeAgreed(plans: readonly Planned[], { destroys = 0, cutsOff = 0 }: RolloutOptions) {
  const sum = (of: 'messages' | 'takers') =>
    plans.reduce((all, plan) => all + plan.destroys.reduce((own, each) => own + each[of], 0), 0);
  const [messages, takers] = [sum('messages'), sum('takers')];
  if (messages !== destroys || takers !== cutsOff)
    throw new CouldNotRun(
      `this destroys ${messages} waiting messages and cuts off ${takers} takers; to agree: --destroys ${messages} --cuts-off ${takers}`,
    );
  const waits = plans.find(({ needsConsent, consentBy }) => needsConsent && !consentBy);
  if (waits)
    throw new CouldNotRun(
      `${waits.broker} is protected there: an approver has to consent to rollout ${waits.id} first, and it is begun in the interface`,
    );
  return { destroys, cutsOff };
}

/** Waits until a rollout is over: carried out, or not to be begun. */
async function carriedOut(look: () => Promise<Planned>): Promise<Planned> {
  const progress = new Progress();
  for (;;) {
    const now = await look();
    if (now.state !== 'applying' && now.startsAfter === null) {
      progress.end();
      return now;
    }
    progress.say(`${now.broker}: ${now.note ?? `${now.count.done} of ${now.count.all} steps`}`);
    await new Promise((done) => setTimeout(done, LOOK_AGAIN_MS));
  }
}

function planText({
  broker,
  count,
  steps,
  windows,
  destroys,
  kept,
  leftToOthers,
  obstacles,
}: Planned): string {
  const lines = [
    `${broker}: ${count.all ? `${count.all} step${count.all === 1 ? '' : 's'}` : 'as it shall be already'}`,
  ];
  for (const { of, why } of leftToOthers) lines.push(`  not carried out: ${of}: ${why}`);
  for (const each of obstacles) lines.push(`  against it: ${each}`);
  for (const [i, { title, risk, destroys: goes }] of steps.entries()) {
    lines.push(`${String(i + 1).padStart(4)} ${title}${risk === 'none' ? '' : ` (${risk})`}`);
    if (goes) lines.push(`       ${goes}`);
  }
  if (steps.length < count.all) lines.push(`     … and ${count.all - steps.length} more`);
  for (const { queue, messages, takers } of destroys)
    if (messages || takers)
      lines.push(`  ${queue}: ${messages} messages destroyed, ${takers} takers cut off`);
  for (const { from, until, kind, message, store, close } of windows)
    lines.push(
      `  ${from === until ? `while step ${from} is taken` : `from step ${from} to step ${until}`}: ${message} ${kind === 'missing' ? 'does not come' : 'comes'} to ${store}; to close it, ${close}`,
    );
  if (kept.length) lines.push(`  kept: ${kept.join(', ')}`);
  return `${lines.join('\n')}\n`;
}

function endText({ broker, state, verified, error, steps }: Planned): string {
  const said = steps.flatMap((step) => (step.said ? [`  ${step.title}: ${step.said}`] : []));
  const how =
    state === 'applied' && verified
      ? 'carried out, and read back as it shall be'
      : `${state}: ${error ?? ''}`;
  return [`${broker}: ${how}`, ...said, ''].join('\n');
}
