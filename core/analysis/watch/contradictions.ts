/** What an environment does that its topology does not say, or that goes wrong, in words. */
import { appBehind, type Expected, type ExpectedStore } from './expected.ts';
import { cameBetween, rate, storesIn, type Look, type StoreNow, type TakerNow } from './look.ts';

export type ContradictionKind =
  | 'broker away'
  | 'not there'
  | 'not connected'
  | 'not declared'
  | 'grows'
  | 'stalls'
  | 'dead letters'
  | 'link stands';

export interface Contradiction {
  readonly kind: ContradictionKind;
  /** What it is about, as the topology's id of it; '' for what nothing declares. */
  readonly about: string;
  /** The same as long as it is the same one. */
  readonly id: string;
  readonly words: string;
  /** The app it is about, where one is known. */
  readonly app?: string;
  /** As `broker/name` on the broker, where it is about a store. */
  readonly store?: string;
}

/** A store grows when it does so for so long, by so many at least. */
const GROWS_MS = 20_000;
const GROWS_BY = 10;
/** A taker stalls that settles nothing for so long. */
const STALLS_MS = 12_000;
/** Dead letters of so long are told together. */
const DEAD_MS = 60_000;
/** Never more than these are told. */
const MOST = 200;

const times = (count: number, one: string, many: string) =>
  `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
const perSecond = (value: number) => value.toLocaleString('en', { maximumFractionDigits: 1 });
const seconds = (ms: number) => times(Math.round(ms / 1000), 'second', 'seconds');

/**
 * @param looks of one environment, the oldest first, the last of now
 * @returns what contradicts the topology now, the gravest first
 */
export function contradictions(expected: Expected, looks: readonly Look[]): Contradiction[] {
  const now = looks.at(-1);
  if (!now) return [];
  const found: Contradiction[] = [];
  const away = new Set<string>();
  for (const { broker, away: why } of now.brokers) {
    if (why === undefined) continue;
    away.add(broker);
    found.push({
      kind: 'broker away',
      about: `broker:${broker}`,
      id: `away ${broker}`,
      words: `${broker} cannot be seen: ${why}`,
    });
  }
  for (const { link, runs, why } of now.links)
    if (!runs && why !== null)
      found.push({
        kind: 'link stands',
        about: `link:${link}`,
        id: `link ${link}`,
        words: `the link ${link} carries nothing: ${why}`,
      });
  const seen = new Set(now.brokers.map(({ broker }) => broker));
  const there = looks.map((each) => ({ at: each.at, stores: storesIn(each) }));
  for (const store of expected.stores) {
    if (!seen.has(store.broker) || away.has(store.broker)) continue;
    const course = there.flatMap(({ at, stores }): Course[] => {
      const each = stores.get(`${store.broker}/${store.name}`);
      return each ? [{ at, store: each }] : [];
    });
    found.push(...ofStore(expected, store, course, now.at, looks.at(-2)?.at));
  }
  return together(found)
    .sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind))
    .slice(0, MOST);
}

/** An app that is missing at each of the queues its instances have is missed once. */
function together(found: readonly Contradiction[]): Contradiction[] {
  const missing = new Map<string, Contradiction[]>();
  for (const each of found)
    if (each.kind === 'not connected') {
      const of = `${each.about} ${each.app}`;
      missing.set(of, [...(missing.get(of) ?? []), each]);
    }
  return found.flatMap((each) => {
    const same = each.kind === 'not connected' ? missing.get(`${each.about} ${each.app}`)! : [each];
    if (same.length === 1) return [each];
    if (same[0] !== each) return [];
    const { app, about } = each;
    return [
      {
        kind: each.kind,
        about,
        id: `${each.kind} ${about} ${app}`,
        words: `${app} is not connected to ${same.length} of the queues that its instances take from: ${same.map(({ store }) => store).join(', ')}`,
        ...(app === undefined ? {} : { app }),
      },
    ];
  });
}

const ORDER: readonly ContradictionKind[] = [
  'broker away',
  'stalls',
  'link stands',
  'not there',
  'not connected',
  'grows',
  'dead letters',
  'not declared',
];

interface Course {
  readonly at: number;
  readonly store: StoreNow;
}

function ofStore(
  { apps }: Expected,
  expected: ExpectedStore,
  course: readonly Course[],
  at: number,
  before: number | undefined,
): Contradiction[] {
  const { id: about, title, takers: declared } = expected;
  const store = `${expected.broker}/${expected.name}`;
  const last = course.at(-1);
  const say = (kind: ContradictionKind, words: string, app?: string, of = ''): Contradiction => ({
    kind,
    about,
    id: `${kind} ${store} ${of}`,
    words,
    store,
    ...(app === undefined ? {} : { app }),
  });
  if (!last || last.at !== at) {
    // a broker that has just begun tells of a queue a moment later
    if (last && last.at === before) return [];
    // what its app makes when it connects is not missed before
    if (expected.passing)
      return declared.map((app) =>
        say('not connected', `${app} is not connected: ${title} is there only while it is`, app, app),
      );
    return [say('not there', `${title} is declared, and the broker has none of that name`)];
  }
  const now = last.store;
  const found: Contradiction[] = [];
  const known = now.takers.map((taker) => ({ taker, app: appBehind(apps, taker) }));
  const unknown = known.filter(({ app }) => app === undefined).length;
  const waits = now.waiting ? `; ${times(now.waiting, 'waits', 'wait')}` : '';
  for (const app of declared)
    // one whom nobody knows may be the one that is missed
    if (unknown === 0 && !known.some((each) => each.app === app))
      found.push(
        say(
          'not connected',
          `${app} is declared to take from ${title} and is not connected${waits}`,
          app,
          app,
        ),
      );
  for (const { taker, app } of known) {
    const who = called(taker, app);
    if (app !== undefined ? !declared.includes(app) : declared.length === 0)
      found.push(say('not declared', `${who} takes from ${title}, which nothing declares`, app, who));
    const stalled = stalledFor(course, taker);
    if (stalled !== undefined)
      found.push(
        say(
          'stalls',
          `${who} has ${times(taker.inHand!, 'message', 'messages')} of ${title} in hand, as many as it is given at once, and has settled none for ${seconds(stalled)}${waits}`,
          app,
          who,
        ),
      );
  }
  const grown = growthOf(course);
  if (grown) found.push(say('grows', `${title} grows: ${grown}`));
  if (expected.forDead) {
    const dead = deadIn(course);
    if (dead)
      found.push(
        say(
          'dead letters',
          `${times(dead.count, 'dead letter', 'dead letters')} came to ${title} within ${seconds(dead.ms)}`,
        ),
      );
  }
  return found;
}

/** @returns what to call a taker: by its app where that is known, and by what tells it from the app's others */
function called({ name, user }: TakerNow, app: string | undefined): string {
  if (app !== undefined) return name.startsWith(app) ? name : `${app} (${name})`;
  return name.includes(user) ? name : `${name} (as ${user})`;
}

/** @returns for how long a taker whose hands are full has settled nothing; undefined where it does not stall */
function stalledFor(course: readonly Course[], now: TakerNow): number | undefined {
  if (now.settled === undefined || now.inHand === undefined) return undefined;
  if (!now.atOnce || now.inHand < now.atOnce) return undefined;
  const end = course.at(-1)!.at;
  let since: number | undefined;
  for (const { at, store } of [...course].reverse()) {
    const then = store.takers.find(({ name, user }) => name === now.name && user === now.user);
    if (then?.settled !== now.settled || (then.inHand ?? 0) < now.atOnce) break;
    since = at;
  }
  const ms = since === undefined ? 0 : end - since;
  return ms >= STALLS_MS ? ms : undefined;
}

/** @returns in words how a store grows; undefined where it does not */
function growthOf(course: readonly Course[]): string | undefined {
  const end = course.at(-1)!;
  const recent = course.filter(({ at }) => end.at - at <= 3 * GROWS_MS);
  const begin = recent[0]!;
  const ms = end.at - begin.at;
  if (ms < GROWS_MS) return undefined;
  const lying = ({ store }: Course) => store.waiting + store.inHand + store.delayed;
  const more = lying(end) - lying(begin);
  if (more < GROWS_BY || recent.some((each, i) => i > 0 && lying(each) < lying(recent[i - 1]!)))
    return undefined;
  const between = cameBetween(begin.store, end.store);
  const came = between === undefined ? undefined : (between * 1000) / ms;
  const went = rate(begin.store.went, end.store.went, ms);
  const why =
    came === undefined || went === undefined
      ? ''
      : `, since ${perSecond(came)} come and ${went === 0 ? 'none are' : `${perSecond(went)} are`} settled a second`;
  return `by ${times(more, 'message', 'messages')} in ${seconds(ms)}${why}; ${times(end.store.waiting, 'waits', 'wait')} now`;
}

function deadIn(course: readonly Course[]): { count: number; ms: number } | undefined {
  const end = course.at(-1)!;
  const begin = course.find(({ at }) => end.at - at <= DEAD_MS)!;
  const came = cameBetween(begin.store, end.store) ?? end.store.waiting - begin.store.waiting;
  return came > 0 ? { count: came, ms: end.at - begin.at } : undefined;
}
