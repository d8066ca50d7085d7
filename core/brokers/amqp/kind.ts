/** AMQP 0-9-1 brokers: exchanges give to queues and exchanges by bindings. */
import { directKey, headersMatch, topicKey } from '../../conditions/amqp.ts';
import { ALWAYS, type Constant, type Predicate } from '../../conditions/predicate.ts';
import { BINDABLE, EXCHANGES, thing } from '../../language/thing.ts';
import { addItem } from '../../syntax/edit/edit.ts';
import type { Json } from '../../syntax/render.ts';
import type { Item } from '../../language/shape.ts';
import type { BrokerKind, ExchangeType, Finder, Told } from '../kind.ts';
import type { DeclaredWay } from '../terms.ts';
import type { AmqpBrokerDecl, BindingDecl, ExchangeDecl } from './declares.ts';
import { refused } from './refuses.ts';
import { unsayable, unsayableOf } from './unsayable.ts';

export const amqp: BrokerKind<AmqpBrokerDecl> = {
  title: 'AMQP 0-9-1',
  resources: ({ exchanges, queues, aliases }) => [
    ['exchange', exchanges],
    ['queue', queues],
    ['alias', aliases],
  ],
  feed: 'exchange',
  condition: 'binding key',
  feeds: ({ exchanges }) =>
    [...(exchanges?.values() ?? [])].map(({ name, value }) => ({ name, type: value.type?.value ?? '' })),
  typeOf: ({ exchanges }, name) => exchanges?.get(name)?.value.type?.value,
  unroutedTo: ({ exchanges }) =>
    [...(exchanges?.values() ?? [])].flatMap(({ value }) => value.unroutedTo?.value ?? []),
  deadLetters: BINDABLE,
  routes: ({ exchanges, bindings }) => [
    { sort: 'exchanges', owners: exchanges, way: unroutedWay },
    { sort: 'bindings', owners: bindings?.items, way: bindingWay },
  ],
  names: ({ mqtt, exchanges, bindings }) => [
    { sort: 'mqtt', owners: mqtt && [mqtt], names: ofMqtt },
    { sort: 'exchanges', owners: exchanges, names: ofExchange },
    { sort: 'bindings', owners: bindings?.items, names: ofEnds, stays: true },
  ],
  unnamed: ({ bindings }) => bindings?.items ?? [],
  mqttExchange: ({ mqtt }) => mqtt?.exchange,
  // through the unnamed exchange, whose key is the queue's name (§3.1.3.1)
  queueNameIsKey: true,
  feedsNeedPermission: false,
  queuePerInstance: true,
  ordersByGroup: false,
  feedQueue(placed, { broker, decl, queue, from }, condition) {
    const type = decl.exchanges?.get(from)?.value.type?.value;
    const key = condition || (type === 'topic' ? '#' : '');
    const how: Record<string, Json> =
      type === 'fanout' ? {} : type === 'headers' ? { headers: { match: 'all', values: {} } } : { key };
    // a name that an exchange and a queue share is told apart by its kind
    return addItem(placed, ['brokers', broker, 'bindings'], {
      from: decl.queues?.has(from) ? `exchange:${from}` : from,
      to: decl.exchanges?.has(queue) ? `queue:${queue}` : queue,
      ...how,
    });
  },
  refused,
  unsayable,
  unsayableOf: (binding) => unsayableOf(binding as BindingDecl),
};

const ofMqtt = ({ exchange }: NonNullable<AmqpBrokerDecl['mqtt']>, told: Told): void =>
  told.address(exchange, EXCHANGES);

const ofExchange = ({ unroutedTo }: ExchangeDecl, told: Told): void => told.address(unroutedTo, EXCHANGES);

function ofEnds({ from, to }: BindingDecl, told: Told): void {
  told.address(from, EXCHANGES);
  told.address(to, BINDABLE);
}

function unroutedWay(
  broker: string,
  { name, value }: Item<ExchangeDecl>,
  find: Finder,
): DeclaredWay | undefined {
  const { unroutedTo } = value;
  if (!unroutedTo) return undefined;
  return {
    kind: 'unrouted',
    from: thing('exchange', name, broker).id,
    to: find.id(unroutedTo, EXCHANGES),
    of: value,
    more: () => ({ place: unroutedTo.place, label: 'unrouted' }),
  };
}

function bindingWay(broker: string, binding: BindingDecl, find: Finder): DeclaredWay | undefined {
  const from = find.id(binding.from, EXCHANGES);
  const to = find.id(binding.to, BINDABLE);
  // a broker binds what it has itself
  const isOn = (id: string) => id.startsWith(`${broker}/`, id.indexOf(':') + 1);
  if (!isOn(from) || !isOn(to)) return undefined;
  return { kind: 'binding', from, to, of: binding, with: find.exchangeType(from), more: ofBinding };
}

/** One function for all: there are very many bindings, and most stay what they were. */
const ofBinding: DeclaredWay['more'] = ({ of, with: type }) => {
  const binding = of as BindingDecl;
  return {
    place: binding.place,
    ...conditionOf(type as ExchangeType, binding),
    key: binding.key?.value ?? '',
    binding,
  };
};

/** What a binding of an exchange of some type goes by, where that is written but could not be read. */
function unreadIn(type: ExchangeType, { unread, headers }: BindingDecl): string | undefined {
  if (type === 'fanout') return undefined;
  if (type !== 'headers') return unread?.includes('key') ? 'key' : undefined;
  return unread?.includes('headers') || headers?.unread ? 'headers' : undefined;
}

function conditionOf(
  type: ExchangeType,
  binding: BindingDecl,
): { readonly condition: Predicate; readonly label: string } {
  const key = binding.key?.value ?? '';
  const unread = unreadIn(type, binding);
  if (unread)
    return { condition: { op: 'never', why: `its ${unread} could not be read`, unread: true }, label: '' };
  const place = binding.key?.place ?? binding.headers?.place ?? binding.place;
  switch (type) {
    case 'fanout':
      return { condition: { ...ALWAYS, place }, label: '' };
    case 'direct':
      return { condition: { ...directKey(key), place }, label: key };
    case 'topic':
      return { condition: { ...topicKey(key), place }, label: key };
    case 'headers': {
      const match = binding.headers?.match?.value ?? 'all';
      const values = new Map<string, Constant>();
      for (const [name, item] of binding.headers?.values ?? []) values.set(name, item.value.value);
      const shown = [...values].map(([name, value]) =>
        value === null ? name : `${name} = ${String(value)}`,
      );
      return {
        condition: { ...headersMatch(match, values), place },
        label: shown.join(match === 'all' ? ' and ' : ' or '),
      };
    }
  }
}
