/** What may be written where the cursor is: keys from the language, names and values from the topology. */
import { kindOf } from '../brokers/kinds.ts';
import { type Context, contextAt } from './context.ts';
import type { Shape } from '../language/shape.ts';
import {
  BINDABLE,
  ENTRIES,
  EXCHANGES,
  QUEUES,
  STORES,
  TOPICS,
  type ThingKind,
  addressOf,
  thing,
} from '../language/thing.ts';
import { plainOrQuoted } from '../syntax/render.ts';
import type { Domain } from '../topology/messages.ts';
import { shapeAt } from '../topology/shape-at.ts';
import type { Topology } from '../topology/topology.ts';

export interface Completion {
  readonly label: string;
  /** What is written instead of what stands there. */
  readonly insert: string;
  readonly kind: 'key' | 'name' | 'value';
  /** A few words of what it is. */
  readonly about: string;
}

export interface Completions {
  /** Where the text to be replaced begins; it ends at the cursor. */
  readonly from: number;
  readonly options: readonly Completion[];
}

/** More than this many names help nobody, and cost time on every key stroke. */
const MOST = 400;

/**
 * @param topology what names and values come from; its text may be older than `text`
 * @param text the document as it is now
 * @returns the choices, unsorted and not yet narrowed by what is written; undefined where there are none
 */
export function completionsAt(topology: Topology, text: string, offset: number): Completions | undefined {
  const context = contextAt(text, offset);
  if (!context) return undefined;
  const shape = shapeAt(topology, context.path);
  if (!shape) return undefined;
  const selector = context.writing === 'value' && shape.names === 'a selector';
  // in a selector only the word at its end is completed
  const word = selector ? /[\w$]*$/.exec(context.written)![0] : context.written;
  const options = optionsFor(topology, shape, context);
  return options.length ? { from: offset - word.length, options: options.slice(0, MOST) } : undefined;
}

function optionsFor(topology: Topology, shape: Shape<unknown>, context: Context): Completion[] {
  const { writing, beside, path } = context;
  if (writing === 'key') {
    const fields = shape.fields ?? (path.at(-1) === '#' ? undefined : shape.items?.fields);
    if (fields && !shape.items?.fields)
      return Object.entries(fields)
        .filter(([name]) => !beside.includes(name))
        .map(([name, { about, shape: inner }]) => key(name, about, inner, context));
    if (fields)
      return Object.entries(fields).map(([name, { about, shape: inner }]) =>
        key(name, about, inner, context),
      );
    if (shape.names)
      return namesFor(topology, shape.names, context)
        .filter(({ label }) => !beside.includes(label))
        .map((each) => ({ ...each, insert: `${each.insert}: ` }));
  }
  // a scalar, or an item of a list of them, or the value an attribute is compared with
  const values = shape.values ?? shape.items?.values;
  if (values) return values.map((value) => ({ label: value, insert: value, kind: 'value', about: '' }));
  const attribute = context.path.at(-1);
  const parent = shapeAt(topology, path.slice(0, -1));
  if (writing === 'value' && attribute && (parent?.names === 'an attribute' || parent?.names === 'a header'))
    return valuesOf(topology, attribute);
  const names = shape.names ?? shape.items?.names;
  return names ? namesFor(topology, names, context) : [];
}

function key(name: string, about: string, shape: Shape<unknown>, { flow }: Context): Completion {
  const opens = !flow && (shape.fields || shape.items || shape.variants) && !shape.names;
  return { label: name, insert: opens ? `${name}:` : `${name}: `, kind: 'key', about };
}

const KINDS: Readonly<Record<string, readonly ThingKind[]>> = {
  'an exchange': EXCHANGES,
  'a queue': QUEUES,
  'a topic': TOPICS,
  'an entry': ENTRIES,
  'a queue or subscription': STORES,
  'a queue or exchange': BINDABLE,
  'an entry or store': [...ENTRIES, 'subscription'],
  'a resource': [...ENTRIES, 'subscription'],
  'the address of a store, or app:x': STORES,
  'an address, app:x, tenant:x or broker:x': [...ENTRIES, 'subscription'],
};

/** What a phrase of the language may name in this topology. */
function namesFor(topology: Topology, what: string, { path, flow }: Context): Completion[] {
  const { declared, messages } = topology;
  const ids = (map: ReadonlyMap<string, unknown> | undefined, about: string, prefix = ''): Completion[] =>
    [...(map?.keys() ?? [])].map((id) => name(`${prefix}${id}`, about, flow));
  const home = path[0] === 'brokers' ? path[1] : undefined;
  const kinds = KINDS[what];
  const found = kinds ? resources(topology, kinds, home, flow) : [];
  switch (what) {
    case 'a message type':
      return ids(messages, 'message type');
    case 'an app':
      return ids(declared.apps, 'app');
    case 'a broker':
      return ids(declared.brokers, 'broker');
    case 'a tenant':
      return [...new Set([declared.tenant?.value, ...(declared.tenants?.keys() ?? [])])].flatMap((id) =>
        id === undefined ? [] : [name(id, 'tenant', flow)],
      );
    case 'a link':
      return ids(declared.links, 'link');
    case 'an environment':
      return ids(declared.environments, 'environment');
    case 'a parameter':
      return ids(declared.parameters, 'parameter');
    case 'app:x':
      return ids(declared.apps, 'app', 'app:');
    case 'a data label':
      return [...new Set([...messages.values()].flatMap(({ labels }) => [...labels]))].map((label) =>
        name(label, 'data label', flow),
      );
    case 'a header':
    case 'an attribute':
    case 'a selector':
    case 'a header or property name':
      return attributes(topology).map(([attribute, domain]) => ({
        label: attribute,
        insert: attribute,
        kind: 'name',
        about: `${domainWords(domain)} of ${domain.declaredBy}`,
      }));
    case 'an entry':
      return [
        ...found,
        ...ids(declared.spreads, 'spread', 'spread:'),
        ...ids(declared.brokers, 'broker, via mqtt'),
      ];
    case 'the address of a store, or app:x':
      return [...found, ...ids(declared.apps, 'app', 'app:')];
    case 'an address, app:x, tenant:x or broker:x':
    case 'app:x, tenant:x, broker:x, topic:broker/x, link:x or any':
      return [
        ...(what.startsWith('an address')
          ? found
          : [name('any', 'everybody', flow), ...topics(topology, flow)]),
        ...ids(declared.apps, 'app', 'app:'),
        ...ids(declared.tenants, 'tenant', 'tenant:'),
        ...ids(declared.brokers, 'broker', 'broker:'),
        ...ids(declared.links, 'link', 'link:'),
      ];
    default:
      return found;
  }
}

/**
 * @param what a phrase of the language, such as `an exchange`
 * @param home the broker in whose section it stands, where it stands in one
 * @returns the names that may stand there, at most some hundreds
 */
export const namesThatFit = (topology: Topology, what: string, home?: string): string[] =>
  namesFor(topology, what, {
    path: home === undefined ? [] : ['brokers', home],
    writing: 'value',
    from: 0,
    written: '',
    flow: false,
    beside: [],
  })
    .slice(0, MOST)
    .map(({ label }) => label);

function name(text: string, about: string, flow: boolean): Completion {
  return {
    label: text,
    insert: flow && /[[\]{},]/.test(text) ? JSON.stringify(text) : plainOrQuoted(text),
    kind: 'name',
    about,
  };
}

function topics(topology: Topology, flow: boolean): Completion[] {
  return [...(topology.declared.brokers?.values() ?? [])].flatMap(({ name: broker, value }) =>
    kindOf(value)
      .resources(value)
      .flatMap(([kind, items]) =>
        kind === 'topic'
          ? [...(items?.keys() ?? [])].map((topic) => name(`topic:${broker}/${topic}`, 'topic', flow))
          : [],
      ),
  );
}

function resources(
  topology: Topology,
  kinds: readonly ThingKind[],
  home: string | undefined,
  flow: boolean,
): Completion[] {
  const found: Completion[] = [];
  const brokers = [...(topology.declared.brokers?.values() ?? [])];
  // a broker's own names come first, and bare
  brokers.sort((a, b) => Number(b.name === home) - Number(a.name === home));
  for (const { name: broker, value } of brokers) {
    for (const [kind, items] of kindOf(value).resources(value)) {
      if (!kinds.includes(kind)) continue;
      for (const each of items?.keys() ?? [])
        found.push(name(broker === home ? each : addressOf(thing(kind, each, broker)), kind, flow));
    }
    // a broker binds what it has itself
    if (found.length > MOST || (home !== undefined && (kinds === BINDABLE || kinds === EXCHANGES))) break;
  }
  return found;
}

/** Every header and property some message type declares. */
function attributes(topology: Topology): [string, Domain][] {
  const found = new Map<string, Domain>();
  for (const { headers, properties } of topology.messages.values())
    for (const [attribute, domain] of [...headers, ...properties])
      if (!found.has(attribute)) found.set(attribute, domain);
  return [...found];
}

/** The values a header's or property's domains name. */
function valuesOf(topology: Topology, attribute: string): Completion[] {
  const values = new Map<unknown, string>();
  for (const type of topology.messages.values()) {
    const domain = type.headers.get(attribute) ?? type.properties.get(attribute);
    const { schema } = domain ?? {};
    const own =
      schema?.['enum'] ??
      ('const' in (schema ?? {}) ? [schema!['const']] : schema?.['type'] === 'boolean' ? [true, false] : []);
    if (Array.isArray(own)) for (const value of own) values.set(value, type.id);
  }
  return [...values].map(([value, type]) => ({
    label: String(value),
    insert: typeof value === 'string' ? plainOrQuoted(value) : String(value),
    kind: 'value',
    about: `as ${type} has it`,
  }));
}

function domainWords({ schema }: Domain): string {
  if (Array.isArray(schema['enum']))
    return `${schema['enum'].slice(0, 4).join(', ')}${schema['enum'].length > 4 ? ', …' : ''};`;
  return typeof schema['type'] === 'string' ? schema['type'] : 'a value';
}
