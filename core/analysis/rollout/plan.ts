/** The steps that lead an AMQP 0-9-1 broker from what it has to what a topology asks of it. */
import { counted } from '../../base/phrase.ts';
import { type ThingId, thing } from '../../language/thing.ts';
import { type HostedStep, doneOnHosted, hostedChanges, hostedStepId, planHosted } from './hosted.ts';
import { type RightsStep, doneInRights, planRights, rightsChanges } from './rights.ts';
import type { StepWords } from './risk.ts';
import { BrokerState, type Operation, alternateOf } from './state.ts';
import {
  BUILT_IN,
  type Inventory,
  type WantedRights,
  type WantedState,
  type WireBinding,
  type WireExchange,
  type WireQueue,
  bindingId,
  bindingText,
  type Wanted,
  differs,
} from './wire.ts';
import { difference, strangeInExchange, strangeInQueue } from './understood.ts';

/** A step on a broker: of a publish-subscribe service, or of an AMQP 0-9-1 broker. */
export type Step = HostedStep | AmqpStep | RightsStep;

export type AmqpStep = StepWords &
  (
    | Operation
    /** Taken away and made again, bound again at once: with what the topology binds, and what others do. */
    | {
        readonly do: 'replace exchange';
        readonly exchange: WireExchange;
        readonly bindings: readonly WireBinding[];
      }
    | { readonly do: 'replace queue'; readonly queue: WireQueue; readonly bindings: readonly WireBinding[] }
  );

export interface Plan {
  readonly steps: readonly Step[];
  /** What the broker has beyond the topology, left as it is. */
  readonly kept: readonly string[];
  readonly leftToOthers: WantedState['leftToOthers'];
  /** Things on the broker that no step touches, since not all of them is understood; they are in `leftToOthers` too. */
  readonly leftAlone: readonly LeftAlone[];
  /** How many wanted things are there already, as wanted. */
  readonly inPlace: number;
}

/** A thing that is there, and is left as it is. */
export interface LeftAlone {
  readonly kind: 'exchange' | 'queue';
  /** Its name on the broker. */
  readonly name: string;
  /** What of it no document states, or what is not understood, in words. */
  readonly why: string;
  /** Whether a rollout would change or remove it, were it understood. */
  readonly asked: boolean;
}

type AmqpPlan = Plan & { readonly steps: readonly AmqpStep[] };

/** What an earlier revision made on a broker. */
export interface Earlier extends Pick<WantedState, 'exchanges' | 'queues' | 'bindings' | 'hosted'> {
  /** The apps it may have made users for. */
  readonly rights?: { readonly rights: readonly { readonly app: string }[] };
}

/**
 * The steps from what a broker has to what is wanted, in the order they are to be taken: exchanges
 * and queues, then new bindings, and only then the removal of old ones, so that no message finds
 * neither; last, what an earlier revision made and this one no longer declares. What the topology never
 * declared is kept and named.
 * @param earlier what earlier revisions of the topology made there
 */
export function planRollout(wanted: WantedState, has: Inventory, earlier: readonly Earlier[] = []): Plan {
  if (has.hosted) {
    const before = earlier.flatMap(({ hosted }) => hosted ?? []);
    const planned = planHosted(wanted.hosted ?? { things: [], unsaid: [] }, has.hosted, before);
    return { ...planned, leftToOthers: wanted.leftToOthers, leftAlone: [] };
  }
  const planned = planAmqp(wanted, has, earlier);
  if (!has.rights) return wanted.rights?.rights.length ? withoutUsers(planned, wanted.rights) : planned;
  const theirs = new Set(has.usersOfOthers ?? []);
  const wants = wanted.rights?.rights ?? [];
  const made = new Set(earlier.flatMap(({ rights }) => rights?.rights.map(({ app }) => app) ?? []));
  const { first, last, kept, inPlace } = planRights(
    { rights: wants.filter(({ app }) => !theirs.has(app)) },
    has.rights,
    made,
  );
  return {
    // permission before what needs it, and none is taken while something may still need it
    steps: [...first, ...planned.steps, ...last],
    kept: [...planned.kept, ...kept],
    leftToOthers: [
      ...planned.leftToOthers,
      ...wants.flatMap(({ app }) =>
        theirs.has(app)
          ? [
              {
                of: thing('app', app).id,
                why: 'there is a user of its name already, which this server did not make: remove it on the broker',
              },
            ]
          : [],
      ),
      ...(wanted.rights?.unsaid ?? []),
    ],
    leftAlone: planned.leftAlone,
    inPlace: planned.inPlace + inPlace,
  };
}

function withoutUsers(planned: Plan, { of, rights }: WantedRights): Plan {
  const why = `${counted(rights.length, 'app')} would have a user there, and the target's user may not manage users: for that it has to be an administrator`;
  return { ...planned, leftToOthers: [...planned.leftToOthers, { of, why }] };
}

function planAmqp(wanted: WantedState, has: Inventory, earlier: readonly Earlier[]): AmqpPlan {
  const steps: AmqpStep[] = [];
  let inPlace = 0;
  const exchangesThere = new Map(has.exchanges.map((each) => [each.name, each]));
  const queuesThere = new Map(has.queues.map((each) => [each.name, each]));
  const ourExchanges = new Set(wanted.exchanges.map((each) => each.name));
  const ourQueues = new Set(wanted.queues.map((each) => each.name));
  const want = new Set(wanted.bindings.map(bindingId));
  const made = new Set(earlier.flatMap(({ bindings }) => bindings.map(bindingId)));
  const goes = goingIn(wanted, has, earlier);
  const knows = ({ to, destination }: WireBinding) =>
    (to === 'exchange' ? ourExchanges : ourQueues).has(destination);
  /** Whether a binding that is there is somebody else's: of theirs, to theirs, or from theirs to ours. */
  const isOthers = (binding: WireBinding) => {
    const id = bindingId(binding);
    if (want.has(id) || made.has(id)) return false;
    return !ourExchanges.has(binding.source) || !knows(binding);
  };

  const changed = new Map<string, string>();
  const leftAlone = new Map<string, LeftAlone>();
  /** Notes how a wanted thing that is there is to change, or why it is left alone. */
  const compare = <T extends WireExchange | WireQueue>(
    kind: LeftAlone['kind'],
    wants: readonly Wanted<T>[],
    there: ReadonlyMap<string, T>,
    before: readonly T[],
    strangeIn: (there: T) => string,
  ) => {
    const earlierOnes = new Map<string, T[]>();
    for (const each of before) earlierOnes.set(each.name, [...(earlierOnes.get(each.name) ?? []), each]);
    for (const each of wants) {
      const has = there.get(each.name);
      if (!has) continue;
      const id = `${kind} ${each.name}`;
      const { asked, unstated } = difference(each, has, earlierOnes.get(each.name) ?? []);
      const strange = strangeIn(has);
      const why = strange || (unstated && `no document states that it has ${unstated}`);
      // what is there and unstated would be lost, were it made anew for another reason
      if (why) leftAlone.set(id, { kind, name: each.name, why, asked: asked !== '' });
      else if (asked) changed.set(id, asked);
    }
  };
  compare(
    'exchange',
    wanted.exchanges,
    exchangesThere,
    earlier.flatMap((each) => each.exchanges),
    strangeInExchange,
  );
  compare(
    'queue',
    wanted.queues,
    queuesThere,
    earlier.flatMap((each) => each.queues),
    strangeInQueue,
  );
  for (const each of goes.leftAlone) leftAlone.set(`${each.kind} ${each.name}`, each);
  const touches = (binding: WireBinding) =>
    [`exchange ${binding.source}`, `${binding.to} ${binding.destination}`].filter((each) =>
      changed.has(each),
    );
  const againAt = new Map<string, WireBinding[]>();
  const again = new Set<string>();
  const note = (binding: WireBinding) => {
    const id = bindingId(binding);
    if (again.has(id)) return;
    const at = touches(binding);
    if (at.length === 0) return;
    again.add(id);
    for (const each of at) {
      const list = againAt.get(each);
      if (list) list.push(binding);
      else againAt.set(each, [binding]);
    }
  };
  if (changed.size) {
    const thereIds = new Set(has.bindings.map(bindingId));
    // only what is there already is bound again with the thing; what is new comes when both ends are there
    for (const { place: _place, ...binding } of wanted.bindings)
      if (thereIds.has(bindingId(binding))) note(binding);
    for (const binding of has.bindings) if (isOthers(binding)) note(binding);
  }

  for (const { of: _of, place, byDefault: _d, ...exchange } of alternatesFirst(wanted.exchanges)) {
    const name = `exchange ${exchange.name}`;
    const how = changed.get(name);
    if (!exchangesThere.has(exchange.name)) {
      steps.push({
        do: 'declare exchange',
        exchange,
        place,
        risk: 'none',
        title: `declare ${exchange.type} exchange ${exchange.name}`,
        inverse: `delete the exchange ${exchange.name}`,
      });
    } else if (how) {
      const bindings = againAt.get(name) ?? [];
      steps.push({
        do: 'replace exchange',
        exchange,
        bindings,
        place,
        risk: 'interrupts',
        title: `replace exchange ${exchange.name}: ${how}; ${boundAgain(bindings, isOthers)}`,
        inverse: `replace it by what it was: a ${exchangesThere.get(exchange.name)!.type} exchange`,
      });
    } else inPlace++;
  }
  for (const { of: _of, place, byDefault: _d, ...queue } of deadLettersFirst(wanted.queues)) {
    const name = `queue ${queue.name}`;
    const how = changed.get(name);
    const there = queuesThere.get(queue.name);
    if (!there) {
      steps.push({
        do: 'declare queue',
        queue,
        place,
        risk: 'none',
        title: `declare queue ${queue.name}`,
        inverse: `delete the queue ${queue.name}`,
      });
    } else if (how) {
      const bindings = againAt.get(name) ?? [];
      steps.push({
        do: 'replace queue',
        queue,
        bindings,
        place,
        risk: 'loses',
        title: `replace queue ${queue.name}: ${how}; ${carried(there)}; ${boundAgain(bindings, isOthers)}`,
        destroys: `What is sent to ${queue.name} between its removal and its being made again is lost.`,
        inverse: 'replace it by one with the settings it had',
      });
    } else inPlace++;
  }
  const there = new Set(has.bindings.map(bindingId));
  for (const { place, ...binding } of fromTheEnd(wanted)) {
    const id = bindingId(binding);
    const inverse = `remove the binding ${bindingText(binding)}`;
    if (there.has(id)) inPlace += again.has(id) ? 0 : 1;
    else
      steps.push({
        do: 'bind',
        binding,
        place,
        risk: 'none',
        title: `bind ${bindingText(binding)}`,
        inverse,
      });
  }
  const isAlone = ({ source, to, destination }: WireBinding) =>
    leftAlone.has(`exchange ${source}`) || leftAlone.has(`${to} ${destination}`);
  /** Only bindings of headers exchanges have arguments that the language can state. */
  const isStrange = ({ source, arguments: terms }: WireBinding) =>
    Object.keys(terms).length > 0 && exchangesThere.get(source)?.type !== 'headers';
  const kept = [
    ...has.exchanges
      .filter(
        (each) => !ourExchanges.has(each.name) && !BUILT_IN.test(each.name) && !goes.exchanges.has(each),
      )
      .map((each) => `exchange ${each.name}`),
    ...has.queues
      .filter((each) => !ourQueues.has(each.name) && !goes.queues.has(each))
      .map((each) => `queue ${each.name}`),
  ];
  for (const binding of bySource(has.bindings)) {
    const id = bindingId(binding);
    if (want.has(id) || (!ourExchanges.has(binding.source) && !made.has(id))) continue;
    if (isOthers(binding)) {
      // what goes takes it with it, and says so
      if (goes.takes(binding)) continue;
      kept.push(`binding ${bindingText(binding)}`);
      continue;
    }
    // what leads to or from a thing that is left alone is as little understood, unless an earlier revision made it
    if (!made.has(id) && (isAlone(binding) || isStrange(binding))) {
      kept.push(`binding ${bindingText(binding)}`);
      continue;
    }
    // it goes with the thing that is replaced
    if (touches(binding).length || goes.atOnce(binding)) continue;
    steps.push({
      do: 'unbind',
      binding,
      risk: 'interrupts',
      title: `remove the binding ${bindingText(binding)}`,
      inverse: `bind ${bindingText(binding)}`,
    });
  }
  steps.push(...madeAgain(wanted, has, steps, isOthers, goes), ...deletions(goes, has, isOthers));
  const ofWanted = new Map<string, ThingId>([
    ...wanted.exchanges.map(({ name, of }) => [`exchange ${name}`, of] as const),
    ...wanted.queues.map(({ name, of }) => [`queue ${name}`, of] as const),
  ]);
  const alone = [...leftAlone].map(([id, { kind, name, why }]) => ({
    of: ofWanted.get(id) ?? thing(kind, name).id,
    why: `the ${kind} ${name} is left alone: ${why}`,
  }));
  return {
    steps,
    kept,
    leftToOthers: [...wanted.leftToOthers, ...alone],
    leftAlone: [...leftAlone.values()],
    inPlace,
  };
}

/** Things of a broker that a rollout removes. */
interface Going {
  readonly exchanges: ReadonlySet<WireExchange>;
  readonly queues: ReadonlySet<WireQueue>;
  /** Whether a binding goes with one of them. */
  takes(binding: WireBinding): boolean;
  /** What would go, were all of it understood. */
  readonly leftAlone: readonly LeftAlone[];
  /** Whether it goes with an auto-delete exchange that is removed, which removing its last binding would remove. */
  atOnce(binding: WireBinding): boolean;
}

/** @returns what is there, was made by an earlier revision, and is not wanted any more */
function goingIn(wanted: WantedState, has: Inventory, earlier: readonly Earlier[]): Going {
  const going = <T extends { readonly name: string }>(
    there: readonly T[],
    wants: readonly { readonly name: string }[],
    made: readonly { readonly name: string }[],
  ): Set<T> => {
    const wantedNames = new Set(wants.map(({ name }) => name));
    const madeNames = new Set(made.map(({ name }) => name));
    return new Set(
      there.filter(({ name }) => madeNames.has(name) && !wantedNames.has(name) && !BUILT_IN.test(name)),
    );
  };
  const exchanges = going(
    has.exchanges,
    wanted.exchanges,
    earlier.flatMap((each) => each.exchanges),
  );
  const queues = going(
    has.queues,
    wanted.queues,
    earlier.flatMap((each) => each.queues),
  );
  const leftAlone: LeftAlone[] = [];
  for (const each of exchanges) leave('exchange', each, strangeInExchange(each));
  for (const each of queues) leave('queue', each, strangeInQueue(each));
  function leave(kind: LeftAlone['kind'], each: WireExchange | WireQueue, why: string) {
    if (!why) return;
    leftAlone.push({ kind, name: each.name, why, asked: true });
    (kind === 'exchange' ? exchanges : queues).delete(each as never);
  }
  const gone = new Set([
    ...[...exchanges].map(({ name }) => `exchange ${name}`),
    ...[...queues].map(({ name }) => `queue ${name}`),
  ]);
  const byThemselves = new Set([...exchanges].filter(({ autoDelete }) => autoDelete).map(({ name }) => name));
  return {
    exchanges,
    queues,
    leftAlone,
    takes: ({ source, to, destination }) =>
      gone.has(`exchange ${source}`) || gone.has(`${to} ${destination}`),
    atOnce: ({ source }) => byThemselves.has(source),
  };
}

/** What is removed: exchanges that lead elsewhere before those they lead to, and queues last. */
function* deletions(
  { exchanges, queues }: Going,
  has: Inventory,
  isOthers: (binding: WireBinding) => boolean,
): Generator<AmqpStep> {
  const others = (name: string, kind: 'exchange' | 'queue') => {
    const found = has.bindings.filter(
      (each) =>
        isOthers(each) &&
        ((kind === 'exchange' && each.source === name) || (each.to === kind && each.destination === name)),
    );
    return found.length
      ? ` ${counted(found.length, 'binding')} of others ${found.length === 1 ? 'goes' : 'go'} with it: ${found
          .slice(0, 5)
          .map(bindingText)
          .join('; ')}${found.length > 5 ? '; …' : ''}.`
      : '';
  };
  for (const exchange of alternatesFirst([...exchanges]).reverse())
    yield {
      do: 'delete exchange',
      exchange,
      risk: 'interrupts',
      title: `delete the exchange ${exchange.name}`,
      destroys: `Whoever still publishes to ${exchange.name} is refused.${others(exchange.name, 'exchange')}`,
      inverse: `declare ${exchange.type} exchange ${exchange.name}`,
    };
  for (const queue of queues) {
    const what = destroyed(queue);
    yield {
      do: 'delete queue',
      queue,
      risk: 'loses',
      title: `delete the queue ${queue.name}`,
      destroys: `${what[0]!.toUpperCase()}${what.slice(1)}.${others(queue.name, 'queue')}`,
      inverse: `declare queue ${queue.name}; what was in it is gone`,
    };
  }
}

/** @returns exchanges, each behind the one that gets its unrouted, where that is among them */
function alternatesFirst<T extends WireExchange>(exchanges: readonly T[]): T[] {
  const byName = new Map(exchanges.map((each) => [each.name, each]));
  const done = new Set<T>();
  for (const each of exchanges) {
    const line: T[] = [];
    for (let at: T | undefined = each; at && !done.has(at) && !line.includes(at);) {
      line.unshift(at);
      const next: string | undefined = alternateOf(at);
      at = next === undefined ? undefined : byName.get(next);
    }
    for (const one of line) done.add(one);
  }
  return [...done];
}

/** @returns queues, each behind the queue that gets its dead letters, where that is among them */
function deadLettersFirst<T extends WireQueue>(queues: readonly T[]): T[] {
  const names = new Set(
    queues.flatMap(({ arguments: terms }) =>
      terms['x-dead-letter-exchange'] === '' ? [String(terms['x-dead-letter-routing-key'])] : [],
    ),
  );
  return [...queues.filter(({ name }) => names.has(name)), ...queues.filter(({ name }) => !names.has(name))];
}

/**
 * @returns the wanted bindings in the order they are to be made: an exchange's own before those of the one that
 *   gets its unrouted, which else would get what it shall not; what leads to queues before what leads to exchanges
 */
function fromTheEnd(wanted: WantedState): WantedState['bindings'] {
  const rank = new Map<string, number>();
  const order = alternatesFirst(wanted.exchanges).reverse();
  for (const [i, { name }] of order.entries()) rank.set(name, i);
  const hasAlternates = wanted.exchanges.some((each) => alternateOf(each) !== undefined);
  return [...wanted.bindings].sort(
    (a, b) =>
      (hasAlternates ? (rank.get(a.source) ?? 0) - (rank.get(b.source) ?? 0) : 0) ||
      Number(a.to === 'exchange') - Number(b.to === 'exchange'),
  );
}

/** @returns bindings, those of one exchange one after the other */
function bySource(bindings: readonly WireBinding[]): WireBinding[] {
  const order = new Map<string, number>();
  for (const { source } of bindings) if (!order.has(source)) order.set(source, order.size);
  return [...bindings].sort((a, b) => order.get(a.source)! - order.get(b.source)!);
}

/**
 * @param state the broker before the step
 * @returns the single things a step does, in order; what goes with what it replaces is made again
 */
export function operationsOf(step: Step, state: BrokerState): Operation[] {
  // what a publish-subscribe service does is nothing of this protocol
  if ('thing' in step || 'rights' in step) return [];
  if (step.do !== 'replace queue' && step.do !== 'replace exchange') {
    const {
      title: _title,
      risk: _risk,
      place: _place,
      destroys: _destroys,
      inverse: _inverse,
      ...does
    } = step;
    return [does as Operation];
  }
  const is = step.do === 'replace queue' ? step.queue : step.exchange;
  const operations: Operation[] =
    step.do === 'replace queue'
      ? [
          { do: 'delete queue', queue: state.queues.get(is.name) ?? step.queue },
          { do: 'declare queue', queue: step.queue },
        ]
      : [
          { do: 'delete exchange', exchange: state.exchanges.get(is.name) ?? step.exchange },
          { do: 'declare exchange', exchange: step.exchange },
        ];
  const after = new BrokerState(state);
  for (const each of operations) after.apply(each);
  // an auto-delete exchange went with its last binding, and what was bound to it
  for (const exchange of state.exchanges.values())
    if (!after.exchanges.has(exchange.name)) operations.push({ do: 'declare exchange', exchange });
  const own = (binding: WireBinding) =>
    step.do === 'replace queue'
      ? binding.to === 'queue' && binding.destination === is.name
      : binding.source === is.name || (binding.to === 'exchange' && binding.destination === is.name);
  const again = [...step.bindings, ...state.bindings().filter((each) => !own(each) && !after.isBound(each))];
  for (const binding of again) operations.push({ do: 'bind', binding });
  return operations;
}

/**
 * An auto-delete exchange goes with its last binding (AMQP 0-9-1 §1.6.2.3): what went so on the way and is wanted
 * is made again, with what is bound to it.
 */
function* madeAgain(
  wanted: WantedState,
  has: Inventory,
  steps: readonly AmqpStep[],
  isOthers: (binding: WireBinding) => boolean,
  goes: Going,
): Generator<AmqpStep> {
  const state = new BrokerState(has);
  const others = state.bindings().filter((each) => isOthers(each) && !goes.takes(each));
  for (const step of steps) for (const each of operationsOf(step, state)) state.apply(each);
  for (const { of: _of, place, byDefault: _d, ...exchange } of wanted.exchanges) {
    if (state.exchanges.has(exchange.name)) continue;
    const title = `declare ${exchange.type} exchange ${exchange.name} again: it goes with its last binding`;
    yield { do: 'declare exchange', exchange, place, risk: 'interrupts', title };
    state.exchanges.set(exchange.name, exchange);
  }
  for (const binding of [...wanted.bindings.map(({ place: _place, ...each }) => each), ...others])
    if (!state.isBound(binding))
      yield { do: 'bind', binding, risk: 'none', title: `bind ${bindingText(binding)} again` };
}

function destroyed({ messages = 0, takers = 0 }: WireQueue): string {
  const holds =
    messages === 1
      ? 'the 1 message in it is'
      : messages
        ? `the ${messages} messages in it are`
        : 'what comes to lie in it until then is';
  const cut = takers ? `, and ${takers === 1 ? 'its 1 taker is' : `its ${takers} takers are`} cut off` : '';
  return `${holds} destroyed${cut}`;
}

function carried({ messages = 0, takers = 0 }: WireQueue): string {
  const holds =
    messages === 1
      ? 'the 1 message in it is'
      : messages
        ? `the ${messages} messages in it are`
        : 'what lies in it by then is';
  const cut = takers ? `, and ${takers === 1 ? 'its 1 taker is' : `its ${takers} takers are`} cut off` : '';
  return `${holds} carried over${cut}`;
}

function boundAgain(bindings: readonly WireBinding[], isOthers: (binding: WireBinding) => boolean): string {
  const others = bindings.filter(isOthers);
  const count = bindings.length === 1 ? 'its 1 binding is' : `its ${bindings.length} bindings are`;
  const whose = others.length
    ? `, ${others.length} of others: ${others.slice(0, 5).map(bindingText).join('; ')}${others.length > 5 ? '; …' : ''}`
    : '';
  return bindings.length ? `${count} made again at once${whose}` : 'nothing is bound to it';
}

/** @returns tells of any step whether what it does is so already, by what the broker has. */
export function doneIn(has: Inventory): (step: Step) => boolean {
  const onHosted = doneOnHosted(has.hosted ?? []);
  const ofRights = doneInRights(has.rights ?? []);
  const exchanges = new Map(has.exchanges.map((each) => [each.name, each]));
  const queues = new Map(has.queues.map((each) => [each.name, each]));
  const bindings = new Set(has.bindings.map(bindingId));
  const same = <T extends WireExchange | WireQueue>(wanted: T, there: T | undefined) =>
    there !== undefined && differs(wanted, there) === '';
  const bound = (binding: WireBinding) => bindings.has(bindingId(binding));
  return (step) => {
    if ('thing' in step) return onHosted(step);
    if ('rights' in step) return ofRights(step);
    switch (step.do) {
      case 'declare exchange':
        return same(step.exchange, exchanges.get(step.exchange.name));
      case 'replace exchange':
        return same(step.exchange, exchanges.get(step.exchange.name)) && step.bindings.every(bound);
      case 'declare queue':
        return same(step.queue, queues.get(step.queue.name));
      case 'replace queue':
        return same(step.queue, queues.get(step.queue.name)) && step.bindings.every(bound);
      case 'bind':
        return bound(step.binding);
      case 'unbind':
        return !bound(step.binding);
      case 'delete exchange':
        return !exchanges.has(step.exchange.name);
      case 'delete queue':
        return !queues.has(step.queue.name);
    }
  };
}

/** @returns what tells two steps apart, whatever their words. */
export function stepId(step: Step): string {
  if ('thing' in step) return hostedStepId(step);
  if ('rights' in step) return `${step.do} ${step.rights.app}`;
  const what =
    'binding' in step ? bindingId(step.binding) : 'queue' in step ? step.queue.name : step.exchange.name;
  return `${step.do} ${what}`;
}

/** What a rollout removes: by name, and on a publish-subscribe service by kind and name. */
export interface Removed {
  readonly exchanges: readonly string[];
  readonly queues: readonly string[];
  readonly hosted: readonly string[];
  /** Apps whose users are removed. */
  readonly rights?: readonly string[];
}

/**
 * What of a broker a rollout rests on and changes, and how that differs between two looks at it.
 * @param removed the names of what it removes
 * @returns each difference in words; none where a plan made at the first look holds at the second
 */
export function inventoryChanges(
  wanted: WantedState,
  before: Inventory,
  now: Inventory,
  removed: Removed = { exchanges: [], queues: [], hosted: [] },
): string[] {
  if (now.hosted)
    return hostedChanges(
      wanted.hosted ?? { things: [], unsaid: [] },
      before.hosted ?? [],
      now.hosted,
      removed.hosted,
    );
  const exchanges = new Set([...wanted.exchanges.map(({ name }) => name), ...removed.exchanges]);
  const queues = new Set([...wanted.queues.map(({ name }) => name), ...removed.queues]);
  const changes: string[] = [];
  const compare = <T extends WireExchange | WireQueue>(
    what: string,
    names: readonly string[],
    was: readonly T[],
    is: readonly T[],
  ) => {
    const old = new Map(was.map((each) => [each.name, each]));
    const fresh = new Map(is.map((each) => [each.name, each]));
    for (const name of names) {
      const a = old.get(name);
      const b = fresh.get(name);
      if (!a && b) changes.push(`${what} ${name} is there now`);
      else if (a && !b) changes.push(`${what} ${name} is gone`);
      else if (a && b) {
        const how = differs(b, a);
        if (how) changes.push(`${what} ${name}: ${how}`);
      }
    }
  };
  compare('exchange', [...exchanges], before.exchanges, now.exchanges);
  compare('queue', [...queues], before.queues, now.queues);
  const concerns = ({ source, to, destination }: WireBinding) =>
    exchanges.has(source) || (to === 'exchange' ? exchanges : queues).has(destination);
  const ids = (inventory: Inventory) =>
    new Map(inventory.bindings.filter(concerns).map((binding) => [bindingId(binding), binding]));
  const was = ids(before);
  const is = ids(now);
  for (const [id, binding] of is)
    if (!was.has(id)) changes.push(`binding ${bindingText(binding)} is there now`);
  for (const [id, binding] of was) if (!is.has(id)) changes.push(`binding ${bindingText(binding)} is gone`);
  const apps = new Set([...(wanted.rights?.rights.map(({ app }) => app) ?? []), ...(removed.rights ?? [])]);
  return [...changes, ...rightsChanges(apps, before.rights ?? [], now.rights ?? [])];
}
