/** Forms for everything that can be declared: each is the language's own description, filled in and written. */
import { type FormField, type Given, type Writable, column, fieldsOf, written } from './fields.ts';
import type { Edited } from '../../base/edits.ts';
import { byteLength } from '../../base/values.ts';
import { kindOf, shapeOf } from '../../brokers/kinds.ts';
import { ID, type Shape } from '../../language/shape.ts';
import { addItem, setAt } from '../../syntax/edit/edit.ts';
import { sequence } from '../../syntax/edit/proved.ts';
import type { Placed } from '../../syntax/place.ts';
import type { Json } from '../../syntax/render.ts';
import { document } from '../../topology/document.ts';
import type { Topology } from '../../topology/topology.ts';

/** What there is a form for. */
export const FORM_KINDS = [
  'message',
  'app',
  'publish',
  'take',
  'broker',
  'exchange',
  'queue',
  'topic',
  'subscription',
  'binding',
  'alias',
  'link',
  'spread',
  'permission',
  'expectation',
  'alert',
  'tap',
  'tenant',
  'environment',
  'parameter',
] as const;
export type FormKind = (typeof FORM_KINDS)[number];

/** A form as a person meets it. */
export interface Form {
  readonly kind: FormKind;
  readonly title: string;
  /** What it is declared on, with the names there are; absent where on nothing. */
  readonly on?: { readonly of: 'broker' | 'app'; readonly names: readonly string[] };
  /** Whether it has a name of its own. */
  readonly named: boolean;
  readonly fields: readonly FormField[];
  /** How many of the fields are asked for at once; the others stand under them. */
  readonly first: number;
  /** Whether permissions that it needs can be written with it. */
  readonly permits: boolean;
}

/** A form filled in. */
export interface Order {
  readonly kind: FormKind;
  readonly on: string;
  readonly name: string;
  readonly given: Readonly<Record<string, Given>>;
}

interface Construct {
  readonly title: string;
  /** The keys from the root to the map or list it is put in; `*` is what it is declared on. */
  readonly path: readonly string[];
  readonly on?: 'broker' | 'app';
  readonly first: readonly string[];
  readonly permits?: true;
}

const CONSTRUCTS: Readonly<Record<FormKind, Construct>> = {
  message: {
    title: 'message type',
    path: ['messages'],
    first: ['key', 'headers', 'required', 'labels', 'extends', 'examples'],
  },
  app: {
    title: 'app',
    path: ['apps'],
    first: ['publishes', 'consumes', 'instances', 'tenant'],
    permits: true,
  },
  publish: {
    title: 'publish of an app',
    path: ['apps', '*', 'publishes'],
    on: 'app',
    first: ['message', 'to', 'because', 'rate'],
    permits: true,
  },
  take: {
    title: 'take of an app',
    path: ['apps', '*', 'consumes'],
    on: 'app',
    first: ['from', 'each', 'takes'],
    permits: true,
  },
  broker: { title: 'broker', path: ['brokers'], first: ['kind', 'access', 'tenant'] },
  exchange: {
    title: 'exchange',
    path: ['brokers', '*', 'exchanges'],
    on: 'broker',
    first: ['type', 'unroutedTo'],
  },
  queue: {
    title: 'queue',
    path: ['brokers', '*', 'queues'],
    on: 'broker',
    first: ['fed by', 'condition', 'taken by', 'ttl', 'deadLetter.to', 'maxDeliveries', 'perInstanceOf'],
    permits: true,
  },
  topic: { title: 'topic', path: ['brokers', '*', 'topics'], on: 'broker', first: ['order', 'dedupe'] },
  subscription: {
    title: 'subscription',
    path: ['brokers', '*', 'subscriptions'],
    on: 'broker',
    first: ['topic', 'to', 'filter.selector', 'filter.match', 'wrap'],
    permits: true,
  },
  binding: {
    title: 'binding',
    path: ['brokers', '*', 'bindings'],
    on: 'broker',
    first: ['from', 'to', 'key', 'headers.match', 'headers.values'],
  },
  alias: {
    title: 'alias',
    path: ['brokers', '*', 'aliases'],
    on: 'broker',
    first: ['to', 'over'],
    permits: true,
  },
  link: { title: 'link', path: ['links'], first: ['from', 'to', 'keys', 'latency'], permits: true },
  spread: { title: 'spread', path: ['spreads'], first: ['members', 'choose', 'weights'], permits: true },
  permission: { title: 'permission', path: ['access'], first: ['name', 'allow', 'deny', 'who', 'on'] },
  expectation: {
    title: 'expectation',
    path: ['expectations'],
    first: ['name', 'given.message', 'given.headers', 'reaches', 'never', 'leadsTo', 'only'],
  },
  alert: {
    title: 'alert',
    path: ['watch'],
    first: ['name', 'on', 'when.waiting', 'when.oldest', 'when.quiet', 'when.takers', 'when.for', 'in'],
  },
  tap: { title: 'tap', path: ['taps'], first: ['on', 'keep', 'body', 'in'] },
  tenant: { title: 'tenant', path: ['tenants'], first: ['clears', 'note'] },
  environment: { title: 'environment', path: ['environments'], first: ['values', 'protected'] },
  parameter: { title: 'parameter', path: ['parameters'], first: ['default', 'note'] },
};

/** Every form of a construct that a broker declares is of the brokers that have such things. */
function placesFor(topology: Topology, { on, path }: Construct): string[] {
  const { apps, brokers } = topology.declared;
  if (on === 'app') return [...(apps?.keys() ?? [])];
  return [...(brokers ?? [])].flatMap(([name, { value }]) =>
    shapeOf(value).fields?.[path[2]!] ? [name] : [],
  );
}

/** The shape of one such thing, and whether it is found by a name. */
function shapeIn(
  topology: Topology,
  { path }: Construct,
  on: string,
): { shape: Shape<unknown>; named: boolean } | undefined {
  let shape: Shape<unknown> | undefined = document;
  for (const step of path) {
    if (step === '*') {
      const broker = path[0] === 'brokers' ? topology.declared.brokers?.get(on)?.value : undefined;
      shape = broker ? shapeOf(broker) : shape?.items;
    } else shape = shape?.fields?.[step]?.shape;
  }
  const item = shape?.items;
  return item && { shape: item, named: shape?.byName === true };
}

/**
 * @param on what it is to be declared on; the first that there is where none is named
 * @returns the form of a kind, with the names of this topology to choose from
 */
export function formOf(topology: Topology, kind: FormKind, on = ''): Form {
  const construct = CONSTRUCTS[kind];
  const names = construct.on ? placesFor(topology, construct) : [];
  const fields = fieldsIn(topology, kind, names.includes(on) ? on : (names[0] ?? ''));
  return {
    kind,
    title: construct.title,
    ...(construct.on ? { on: { of: construct.on, names } } : {}),
    named: shapeIn(topology, construct, on || (names[0] ?? ''))?.named ?? true,
    fields,
    first: fields.filter(({ name }) => construct.first.includes(name)).length,
    permits: construct.permits === true,
  };
}

/** The fields of a form, those asked for first in their order before the others. */
function fieldsIn(topology: Topology, kind: FormKind, on: string): Writable[] {
  const construct = CONSTRUCTS[kind];
  const found = shapeIn(topology, construct, on);
  if (!found) return [];
  const home = construct.on === 'broker' ? on : undefined;
  const all = [...variantFields(topology, kind, found.shape, home), ...feeding(topology, kind, on)];
  const rank = ({ name }: Writable) => {
    const at = construct.first.indexOf(name);
    return at < 0 ? construct.first.length : at;
  };
  return all.sort((a, b) => rank(a) - rank(b));
}

/** A broker is one of several kinds: the form has what all of them have. */
function variantFields(
  topology: Topology,
  kind: FormKind,
  shape: Shape<unknown>,
  home: string | undefined,
): Writable[] {
  const variants = Object.values(shape.variants ?? {});
  if (!variants.length) return fieldsOf(topology, shape, home);
  const [first, ...others] = variants.map((each) => fieldsOf(topology, each, home));
  return first!
    .filter(
      ({ name, kind: of }) =>
        of !== 'rows' && others.every((each) => each.some((other) => other.name === name)),
    )
    .map((field) => (field.name === 'kind' ? { ...field, required: true } : field));
}

/** Of a queue: what feeds it and who takes from it, which are declared elsewhere. */
function feeding(topology: Topology, kind: FormKind, on: string): Writable[] {
  const decl = topology.declared.brokers?.get(on)?.value;
  if (kind !== 'queue' || !decl) return [];
  const of = kindOf(decl);
  const feeds = of.feeds(decl).map((each) => each.name);
  const apps = [...(topology.declared.apps?.keys() ?? [])];
  return [
    { ...column('fed by', `the ${of.feed} it gets its messages from`, feeds), otherwise: 'nothing yet' },
    { ...column('condition', `the ${of.condition} with which it is fed`), otherwise: 'everything' },
    { ...column('taken by', 'the app that takes from it', apps), otherwise: 'nobody yet' },
  ];
}

/**
 * @returns the edits that declare what a form says; or in words what is missing or cannot be
 */
export function declare(topology: Topology, { kind, on, name, given }: Order): Edited {
  const construct = CONSTRUCTS[kind];
  if (construct.on && !placesFor(topology, construct).includes(on))
    return refused(
      on ? `There is no ${construct.on} \`${on}\` that has such things.` : `Say which ${construct.on}.`,
    );
  const found = shapeIn(topology, construct, on);
  if (!found) return refused('There is no such form.');
  const fields = fieldsIn(topology, kind, on);
  let value: Readonly<Record<string, Json>>;
  try {
    value = written(
      fields.filter((each) => !FEEDING.has(each.name)),
      given,
    );
  } catch (error) {
    if (error instanceof TypeError) return refused(error.message);
    throw error;
  }
  const missing = fields.filter(
    (each) => each.required && !each.name.includes('.') && value[each.name] === undefined,
  );
  const path = construct.path.map((step) => (step === '*' ? on : step));
  if (!found.named) {
    if (missing.length) return refused(lacking(missing));
    const misplaced = incomplete(kind, value);
    return misplaced ? refused(misplaced) : addItem(topology, path, value, WITH);
  }
  const wrong = nameProblem(kind, name);
  if (wrong) return refused(wrong);
  if (missing.length) return refused(lacking(missing));
  if (isDeclared(topology, path, name)) return refused(`There is a ${construct.title} \`${name}\` already.`);
  const steps: ((now: Placed) => Edited)[] = [(now) => setAt(now, [...path, name], value, WITH)];
  if (kind === 'queue') steps.push(...fed(topology, on, name, given));
  return steps.length === 1 ? steps[0]!(topology) : sequence(topology, steps);
}

const WITH = { withParameters: true } as const;
const FEEDING: ReadonlySet<string> = new Set(['fed by', 'condition', 'taken by']);
const refused = (message: string): Edited => ({ ok: false, message });

const lacking = (fields: readonly FormField[]): string =>
  `Say ${fields.map(({ name, about }) => `\`${name}\` (${about})`).join(', ')}.`;

function nameProblem(kind: FormKind, name: string): string | undefined {
  if (name === '') return 'Give it a name.';
  if (CONSTRUCTS[kind].on === 'broker')
    return byteLength(name) > 255 ? 'A name has at most 255 bytes.' : undefined;
  if (kind === 'parameter') return undefined;
  return ID.test(name) ? undefined : 'Ids are small letters, digits and hyphens, a letter first.';
}

/** What a statement or a promise must say beside its required fields, to say anything. */
function incomplete(kind: FormKind, value: Readonly<Record<string, Json>>): string | undefined {
  if (kind === 'permission' && !value['allow'] && !value['deny'])
    return 'Say what it allows, or what it denies.';
  if (kind === 'alert' && !(value['when'] && Object.keys(value['when']).some((key) => key !== 'for')))
    return 'Say when it goes off: `when.waiting`, `when.oldest`, `when.takers`, `when.comes` or `when.quiet`.';
  if (kind !== 'expectation') return undefined;
  if (!value['given']) return 'Say which messages it speaks of: `given.message` or `given.label`.';
  const promised = ['reaches', 'never', 'leadsTo', 'copies', 'within'].some(
    (name) => value[name] !== undefined,
  );
  return promised ? undefined : 'Say what is promised: `reaches`, `never`, `leadsTo`, `copies` or `within`.';
}

function isDeclared({ declared }: Topology, path: readonly string[], name: string): boolean {
  let at: unknown = declared;
  for (const step of path) {
    const item =
      at instanceof Object && 'get' in at
        ? (at as ReadonlyMap<string, { value: unknown }>).get(step)
        : undefined;
    at = item ? item.value : (at as Record<string, unknown> | undefined)?.[step];
  }
  return (at as ReadonlyMap<string, unknown> | undefined)?.has(name) ?? false;
}

/** The steps that feed a new queue and let an app take from it. */
function fed(
  topology: Topology,
  broker: string,
  queue: string,
  given: Order['given'],
): ((now: Placed) => Edited)[] {
  const decl = topology.declared.brokers!.get(broker)!.value;
  const of = kindOf(decl);
  const said = (name: string) => (typeof given[name] === 'string' ? given[name].trim() : '');
  const from = said('fed by');
  const taker = said('taken by');
  const steps: ((now: Placed) => Edited)[] = [];
  if (from && !of.feeds(decl).some(({ name }) => name === from))
    return [() => refused(`There is no ${of.feed} \`${from}\` on ${broker}.`)];
  if (taker && !topology.declared.apps?.has(taker)) return [() => refused(`There is no app \`${taker}\`.`)];
  if (from)
    steps.push((now) => of.feedQueue(now, { broker, decl, queue, from }, said('condition') || undefined));
  if (taker) steps.push((now) => addItem(now, ['apps', taker, 'consumes'], { from: `${broker}/${queue}` }));
  return steps;
}
