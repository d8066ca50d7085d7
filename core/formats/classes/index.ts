/** Classes of messages, and the messages that a change sends elsewhere, as the command line promises them. */
import {
  type ChangeTold,
  type ClassOutcome,
  type MessageClass,
  type PublishClasses,
  type Reached,
  type RouteChange,
  STAYS,
} from '../../analysis/classes/classes.ts';
import { listed } from '../../base/phrase.ts';
import type { Edge } from '../../brokers/terms.ts';
import { csvLine } from '../csv/batch.ts';

type Of = Pick<PublishClasses, 'from' | 'type' | 'to' | 'via' | 'total'>;

export interface ClassData {
  readonly message: string;
  readonly from: string;
  readonly to: string;
  readonly via?: 'mqtt';
  /** null where they cannot be counted. */
  readonly share: { readonly messages: number; readonly of: number } | null;
  readonly proved: boolean;
  /** What keeps it from being proved. */
  readonly unless?: string;
  readonly when: string;
  /** One of its messages, as `vondle trace` reads it. */
  readonly witness: Readonly<Record<string, unknown>>;
  readonly stores: ClassOutcome['stores'];
  readonly ends: ClassOutcome['ends'];
}

export interface RouteData extends Omit<ClassData, 'stores' | 'ends'> {
  readonly before: ClassOutcome | null;
  readonly after: ClassOutcome | null;
}

function aboutData(of: Of, { messages, unless, when, witness }: Omit<MessageClass, 'outcome'>) {
  const { from, type, to, via, total } = of;
  const known = messages !== undefined && total !== undefined && total <= Number.MAX_SAFE_INTEGER;
  const { key, headers, properties } = witness;
  return {
    message: type,
    from,
    to,
    ...(via ? { via } : {}),
    share: known ? { messages: Number(messages), of: Number(total) } : null,
    proved: unless === undefined,
    ...(unless === undefined ? {} : { unless }),
    when,
    witness: {
      type,
      from,
      to,
      ...(via ? { via, topic: key.replaceAll('.', '/') } : { key }),
      headers,
      properties,
    },
  };
}

/** @returns the classes of a publish, each for one line of JSON */
export const classData = (of: PublishClasses): ClassData[] =>
  of.classes.map((each) => ({ ...aboutData(of, each), ...each.outcome }));

/** @returns messages that go elsewhere, as JSON has them */
export const routeData = (change: RouteChange): RouteData => ({
  ...aboutData(change, change),
  before: change.before,
  after: change.after,
});

/** @returns an outcome in a line */
export function outcomeText(outcome: ClassOutcome | null): string {
  if (!outcome) return 'nobody publishes it';
  const { stores, ends } = outcome;
  const rests = stores.map(
    ({ at, copies, oneOf }) =>
      `${at}${copies === 1 ? '' : ` ×${copies}`}${oneOf ? ` (one of ${oneOf})` : ''}`,
  );
  const others = ends
    .filter(({ outcome: each }) => each !== 'held' && each !== 'taken')
    .map(({ outcome: each, at }) => `${each} at ${at}`);
  return [...rests, ...others].join(', ') || 'nothing becomes of it';
}

/** @returns a share in words: `240 of 1,240`, `all`, `some` */
export function shareText({ share }: Pick<ClassData, 'share'>): string {
  if (!share) return 'some';
  const number = (value: number) => value.toLocaleString('en');
  return share.messages === share.of
    ? `all ${number(share.of)}`
    : `${number(share.messages)} of ${number(share.of)}`;
}

/** @returns the classes of a publish for people */
export function classesText(of: PublishClasses): string {
  const title = `${of.type} from ${of.from} to ${of.to}${of.via ? ` over ${of.via}` : ''}`;
  const lines = classData(of).map(
    (each) =>
      `  ${shareText(each)}: ${each.when}\n    → ${outcomeText(each)}${each.unless ? `\n    not proved: ${each.unless}` : ''}`,
  );
  return `${title}\n${lines.join('\n')}\n`;
}

/** The head line of classes as CSV. */
export const CLASSES_HEAD = csvLine([
  'message',
  'from',
  'to',
  'via',
  'messages',
  'of',
  'proved',
  'when',
  'stores',
  'ends',
  'witness',
]);

/** @returns the classes of a publish as CSV (RFC 4180), without a head line */
export const classesCsv = (of: PublishClasses): string =>
  classData(of)
    .map(({ message, from, to, via, share, proved, when, stores, ends, witness }) =>
      csvLine([
        message,
        from,
        to,
        via ?? '',
        share?.messages ?? '',
        share?.of ?? '',
        proved,
        when,
        stores.map(({ at, copies }) => `${at} ${copies}`).join('; '),
        ends.map(({ outcome, at }) => `${outcome} at ${at}`).join('; '),
        witness,
      ]),
    )
    .join('');

/** @returns the stores that messages of some publishes come to rest in, those of the first first */
export const storesOf = (all: readonly PublishClasses[]): string[] => [
  ...new Set(
    all.flatMap(({ classes }) => classes.flatMap(({ outcome }) => outcome.stores.map(({ at }) => at))),
  ),
];

/** @returns how many copies of a class rest where, as a cell of a table: `2`, `½` for what one of several gets */
export function cellText({ stores }: ClassOutcome, at: string): string {
  const here = stores.filter((each) => each.at === at);
  const dealt = here.some(({ oneOf }) => oneOf !== undefined);
  const copies = here.reduce((sum, each) => sum + each.copies, 0);
  return copies === 0 ? '' : dealt ? 'one of' : String(copies);
}

/** @returns what becomes of a class beside resting in stores, in words */
export const endsText = ({ ends }: ClassOutcome): string =>
  ends
    .filter(({ outcome }) => !STAYS.has(outcome))
    .map(({ outcome, at }) => `${outcome} at ${at}`)
    .join('; ');

/** Classes as rows, stores as columns. */
function matrix(all: readonly PublishClasses[]): { head: string[]; rows: (string | number)[][] } {
  const stores = storesOf(all);
  const head = ['message', 'from', 'to', 'messages', 'which', ...stores, 'otherwise', 'proved'];
  const rows = all.flatMap((of) =>
    classData(of).map((data, i) => {
      const { outcome } = of.classes[i]!;
      return [
        data.message,
        data.from,
        `${data.to}${data.via ? ` over ${data.via}` : ''}`,
        shareText(data),
        data.when,
        ...stores.map((at) => cellText(outcome, at)),
        endsText(outcome),
        data.proved ? 'yes' : `no: ${data.unless}`,
      ];
    }),
  );
  return { head, rows };
}

/** @returns the classes of some publishes against the stores they come to, as CSV (RFC 4180) */
export function matrixCsv(all: readonly PublishClasses[]): string {
  const { head, rows } = matrix(all);
  return [head, ...rows].map(csvLine).join('');
}

/** @returns the same as a Markdown table */
export function matrixMarkdown(all: readonly PublishClasses[]): string {
  const { head, rows } = matrix(all);
  return markdownTable(head, rows);
}

function markdownTable(head: readonly string[], rows: readonly (readonly (string | number)[])[]): string {
  const line = (cells: readonly (string | number)[]) =>
    `| ${cells.map((cell) => String(cell).replaceAll('|', '\\|').replaceAll('\n', ' ')).join(' | ')} |\n`;
  return line(head) + line(head.map(() => '---')) + rows.map(line).join('');
}

/** @returns of a publish whose classes are too many what some of its messages come to */
export function reachData({ label, from, publish }: Edge, why: string, reached: readonly Reached[]): object {
  return {
    message: label,
    from: from.replace('publisher:', ''),
    to: publish?.to?.value ?? '',
    classes: null,
    why,
    reached: reached.map(({ at, outcome, witness: { key, headers, properties }, unless }) => ({
      at,
      outcome,
      proved: unless === undefined,
      ...(unless === undefined ? {} : { unless }),
      witness: { type: label, key, headers, properties },
    })),
  };
}

/** @returns the same for people */
export function reachText({ label, from, publish }: Edge, why: string, reached: readonly Reached[]): string {
  const title = `${label} from ${from.replace('publisher:', '')} to ${publish?.to?.value ?? ''}`;
  const ends = reached.map(
    ({ at, outcome, unless }) => `    ${outcome} at ${at}${unless ? ` (not proved: ${unless})` : ''}`,
  );
  return `${title}\n  ${why}\n  some come to be, and nothing else:\n${ends.join('\n')}\n`;
}

/** @returns what becomes otherwise of messages, in words that follow on who they are: `no longer reach …` */
export function changeText(before: ClassOutcome | null, after: ClassOutcome | null): string {
  if (!before || !after)
    return before
      ? `are published no more: ${outcomeText(before)} until now`
      : `are new: ${outcomeText(after)}`;
  const copies = ({ stores }: ClassOutcome) =>
    new Map(storesOfOutcome(stores).map((at) => [at, cellText({ stores, ends: [] }, at)]));
  const [then, now] = [copies(before), copies(after)];
  const gone = [...then.keys()].filter((at) => !now.has(at));
  const come = [...now.keys()].filter((at) => !then.has(at));
  const other = [...now].filter(([at, own]) => then.has(at) && then.get(at) !== own);
  const [first, second] = [before, after].map(({ ends }) =>
    ends.map((end) => `${end.outcome} at ${end.at}`),
  ) as [string[], string[]];
  const isStay = (end: string) => [...STAYS].some((outcome) => end.startsWith(`${outcome} at `));
  const begun = second.filter((end) => !first.includes(end));
  const parts = [
    ...(gone.length ? [`no longer reach ${listed(gone)}`] : []),
    ...(come.length ? [`now reach ${listed(come)}`] : []),
    ...other.map(([at, own]) => `reach ${at} in ${own} instead of ${then.get(at)!}`),
    ...begun.filter((end) => !isStay(end)).map((end) => `are now ${end}`),
    ...first.filter((end) => !isStay(end) && !second.includes(end)).map((end) => `are no longer ${end}`),
    // what rested there before too, and is taken now, or no more
    ...begun
      .filter((end) => isStay(end) && !come.some((at) => end.endsWith(` at ${at}`)))
      .map((end) => `are now ${end}`),
  ];
  return parts.length ? listed(parts, parts.length) : 'end otherwise';
}

/** @returns which messages no longer come where, or come now, or end otherwise, as a sentence without its full stop */
export function changeSentence(change: ChangeTold): string {
  const data = aboutData(change, change);
  const said = data.share?.of === 1 ? 'all' : shareText(data);
  const share = said[0]!.toUpperCase() + said.slice(1);
  const those = change.when === 'always' ? '' : `: those where ${change.when}`;
  return `${share} ${change.type} messages from ${change.from} to ${change.to} ${change.what}${those}`;
}

const storesOfOutcome = (stores: ClassOutcome['stores']): string[] => [
  ...new Set(stores.map(({ at }) => at)),
];

/** @returns changes of routes as a Markdown table */
export function routesMarkdown(routes: readonly RouteData[]): string {
  if (routes.length === 0) return 'No message goes elsewhere.\n';
  return markdownTable(
    ['publish', 'messages', 'which', 'before', 'after'],
    routes.map((route) => [
      `${route.message} from ${route.from} to ${route.to}`,
      shareText(route),
      route.when,
      outcomeText(route.before),
      outcomeText(route.after),
    ]),
  );
}
