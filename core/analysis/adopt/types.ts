/** Message types guessed from real messages: what is alike in their keys, headers and payloads. */
import type { TextDocument } from '../../base/edits.ts';
import { plainOrQuoted } from '../../syntax/render.ts';
import { flow, smallIdFor } from './names.ts';

/** A real message, as far as it may be looked at. */
export interface Sampled {
  readonly key: string;
  /** The exchange or topic where it was published, by its name on the broker; '' for a queue by its name. */
  readonly entry: string;
  /** As whom it was sent, where the broker vouches for that. */
  readonly sentBy?: string;
  readonly headers: Readonly<Record<string, unknown>>;
  readonly properties: Readonly<Record<string, unknown>>;
  /** Its payload where that is JSON and may be read. */
  readonly body?: unknown;
}

export interface Guessed {
  /** The document that declares them; nothing where nothing was looked at. */
  readonly documents: readonly TextDocument[];
  /** Who publishes what where, as far as messages say who sent them; '' where they do not. */
  readonly sent: readonly { readonly app: string; readonly message: string; readonly entry: string }[];
  readonly notes: readonly string[];
}

/** So many types are guessed. */
const MOST_TYPES = 200;
/** A header, or a word of a key, with no more values than these has just these. */
const FEW = 6;
/** Values are told from chance once so many messages were seen. */
const ENOUGH = 12;
/** So many names of headers and of a payload are told. */
const MOST_NAMES = 60;
/** What a broker writes there itself. */
const BROKERS_OWN = /^x-(death|first-death-|last-death-|delivery-count|opt-)/;

const propertyOf = ({ properties }: Sampled, name: string): string | undefined => {
  const value = properties[name];
  return typeof value === 'string' && value !== '' ? value : undefined;
};
const headersOf = ({ headers }: Sampled): [string, unknown][] =>
  Object.entries(headers)
    .filter(([name]) => !BROKERS_OWN.test(name))
    .slice(0, MOST_NAMES);

/** @returns the types that real messages seem to be of, to be looked through by who knows them */
export function guessTypes(messages: readonly Sampled[]): Guessed {
  const notes: string[] = [];
  const groups = groupsOf(messages);
  const taken = new Set<string>();
  const lines: string[] = [];
  const sent: { app: string; message: string; entry: string }[] = [];
  for (const { called, own } of groups.slice(0, MOST_TYPES)) {
    const base = smallIdFor(called) || 'message';
    let id = base;
    for (let n = 2; taken.has(id); n++) id = `${base}-${n}`;
    taken.add(id);
    lines.push(`  ${plainOrQuoted(id)}:`, ...typeLines(id, own, notes).map((each) => `    ${each}`));
    for (const [app, entry] of pairs(own)) sent.push({ app, message: id, entry });
  }
  if (groups.length > MOST_TYPES)
    notes.push(`${groups.length - MOST_TYPES} more kinds of messages were seen and are left out.`);
  return {
    documents: lines.length
      ? [{ name: 'messages.yaml', text: `${['messages:', ...lines].join('\n')}\n` }]
      : [],
    sent,
    notes,
  };
}

interface Group {
  readonly called: string;
  readonly own: readonly Sampled[];
}

/** Messages that seem to be of one type: by the type that they name, otherwise by how their keys are made, otherwise by their headers. */
function groupsOf(messages: readonly Sampled[]): Group[] {
  const groups = new Map<string, { called: string; own: Sampled[] }>();
  for (const message of messages) {
    const type = propertyOf(message, 'type');
    const words = wordsOf(message);
    const sign =
      type === undefined
        ? words.length
          ? [words.length, words[0], message.entry]
          : [
              message.entry,
              ...headersOf(message)
                .map(([name]) => name)
                .sort(),
            ]
        : [type];
    const group = groups.get(JSON.stringify(sign));
    if (group) group.own.push(message);
    else
      groups.set(JSON.stringify(sign), {
        called: type ?? (words[0] || message.entry || 'message'),
        own: [message],
      });
  }
  return [...groups.values()].flatMap((group) =>
    propertyOf(group.own[0]!, 'type') === undefined ? apart(group) : [group],
  );
}

const wordsOf = ({ key }: Sampled): string[] => (key === '' ? [] : key.split('.'));
/** A word that names something, rather than being a number or an id of it. */
const NAMING = /^[a-z][a-z-]{0,30}$/i;

/** Tells types apart by a word of their keys that is one of few and that no header gives. */
function apart(group: Group): Group[] {
  const { own, called } = group;
  const first = wordsOf(own[0]!);
  for (const i of first.keys()) {
    const values = new Set(own.map((each) => wordsOf(each)[i]!));
    if (values.size === 1 || values.size > FEW || ![...values].every((word) => NAMING.test(word))) continue;
    if (headerFor(own, i) !== undefined) continue;
    return [...values].flatMap((word) =>
      apart({ called: `${called}-${word}`, own: own.filter((each) => wordsOf(each)[i] === word) }),
    );
  }
  return [group];
}

/** The header that gives a word of a key in all of some messages. */
function headerFor(own: readonly Sampled[], i: number): string | undefined {
  return headersOf(own[0]!).find(
    ([name]) =>
      /^[\w-]+$/.test(name) &&
      own.every(
        (each) => each.headers[name] !== undefined && String(each.headers[name]) === wordsOf(each)[i],
      ),
  )?.[0];
}

function pairs(own: readonly Sampled[]): [app: string, entry: string][] {
  const found = new Map<string, [string, string]>();
  for (const message of own) {
    // where a dead letter was published first is not told
    if (Object.keys(message.headers).some((name) => BROKERS_OWN.test(name))) continue;
    const app = message.sentBy ?? propertyOf(message, 'appId') ?? propertyOf(message, 'userId') ?? '';
    found.set(JSON.stringify([app, message.entry]), [app, message.entry]);
  }
  return [...found.values()];
}

function typeLines(id: string, own: readonly Sampled[], notes: string[]): string[] {
  const byHeader = new Map<string, unknown[]>();
  for (const message of own)
    for (const [name, value] of headersOf(message))
      byHeader.set(name, [...(byHeader.get(name) ?? []), value]);
  const key = keyOf(id, own, notes);
  const headers = Object.fromEntries([...byHeader].map(([name, values]) => [name, domainOf(values)]));
  const required = [...byHeader].flatMap(([name, values]) => (values.length === own.length ? [name] : []));
  const type = propertyOf(own[0]!, 'type');
  const bodies = own.flatMap(({ body }) => (body === undefined ? [] : [body]));
  const body = bodies.length === own.length ? schemaOf(bodies) : undefined;
  return [
    `note: guessed from ${own.length} ${own.length === 1 ? 'message' : 'messages'}`,
    ...(key === undefined ? [] : [`key: ${plainOrQuoted(key)}`]),
    ...(type === undefined ? [] : [`properties: ${flow({ type: { const: type } })}`]),
    ...(byHeader.size ? [`headers: ${flow(headers)}`] : []),
    ...(required.length ? [`required: ${flow(required)}`] : []),
    ...(body ? [`body: ${flow(body)}`] : []),
  ];
}

/** The key that all have, with the headers that give its words; undefined where it is left open. */
function keyOf(id: string, own: readonly Sampled[], notes: string[]): string | undefined {
  const keys = own.map(wordsOf);
  const [first] = keys;
  if (!first!.length || keys.some((words) => words.length !== first!.length)) {
    if (keys.some((words) => words.length))
      notes.push(`The keys of ${id} are of several lengths; its key is left open.`);
    return undefined;
  }
  const words = first!.map((word, i): string | undefined => {
    // signs of a pattern cannot stand for themselves there
    if (keys.every((each) => each[i] === word)) return /[{}]/.test(word) ? undefined : word;
    const header = headerFor(own, i);
    return header === undefined ? undefined : `{${header}}`;
  });
  if (words.every((word) => word !== undefined)) return words.join('.');
  notes.push(
    `The keys of ${id} differ in words that no header gives (as ${own[0]!.key.slice(0, 100)}); its key is left open.`,
  );
  return undefined;
}

const kindOf = (value: unknown): string =>
  value === null
    ? 'null'
    : Array.isArray(value)
      ? 'array'
      : typeof value === 'number'
        ? Number.isInteger(value)
          ? 'integer'
          : 'number'
        : typeof value;

/** The domain of a header: its kind, and its values where they are few. */
function domainOf(values: readonly unknown[]): object {
  const kinds = [...new Set(values.map(kindOf))];
  const one =
    kinds.length === 1
      ? kinds[0]!
      : kinds.every((kind) => kind === 'integer' || kind === 'number')
        ? 'number'
        : undefined;
  const few = [...new Set(values)];
  // numbers are seldom names
  if (one === 'string' && few.length > 1 && few.length <= FEW && values.length >= ENOUGH)
    return { enum: few };
  return one === undefined ? {} : { type: one };
}

/** What payloads have in common, one level deep. */
function schemaOf(bodies: readonly unknown[]): object | undefined {
  const kinds = new Set(bodies.map(kindOf));
  if (kinds.size !== 1) return undefined;
  const [kind] = kinds;
  if (kind !== 'object') return { type: kind };
  const seen = new Map<string, unknown[]>();
  for (const body of bodies)
    for (const [name, value] of Object.entries(body as object).slice(0, MOST_NAMES))
      seen.set(name, [...(seen.get(name) ?? []), value]);
  const all = [...seen].flatMap(([name, values]) => (values.length === bodies.length ? [name] : []));
  return {
    type: 'object',
    ...(seen.size
      ? { properties: Object.fromEntries([...seen].map(([name, values]) => [name, kindsOf(values)])) }
      : {}),
    ...(all.length ? { required: all } : {}),
  };
}

function kindsOf(values: readonly unknown[]): object {
  const kinds = [...new Set(values.map(kindOf))];
  return kinds.length === 1 ? { type: kinds[0] } : {};
}
