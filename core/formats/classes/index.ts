/** Classes of messages, and the messages that a change sends elsewhere, as the command line promises them. */
import type {
  ClassOutcome,
  MessageClass,
  PublishClasses,
  Reached,
  RouteChange,
} from '../../analysis/classes/classes.ts';
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

/** @returns a change of routes in a sentence and two lines */
export function routeText(route: RouteData): string {
  const { message, from, to, when, before, after, unless } = route;
  return `${shareText(route)} ${message} from ${from} to ${to} go elsewhere: ${when}\n  before: ${outcomeText(before)}\n  after: ${outcomeText(after)}${unless ? `\n  not proved: ${unless}` : ''}\n`;
}

/** @returns changes of routes as a Markdown table */
export function routesMarkdown(routes: readonly RouteData[]): string {
  if (routes.length === 0) return 'No message goes elsewhere.\n';
  const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ');
  const rows = routes.map((route) =>
    [
      `${route.message} from ${route.from} to ${route.to}`,
      shareText(route),
      route.when,
      outcomeText(route.before),
      outcomeText(route.after),
    ]
      .map(cell)
      .join(' | '),
  );
  return `| publish | messages | which | before | after |\n| --- | --- | --- | --- | --- |\n${rows.map((row) => `| ${row} |`).join('\n')}\n`;
}
