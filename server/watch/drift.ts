/** How what the brokers of an environment have differs from what was applied there: the steps that would make it so again. */
import type { DifferenceSeen, DriftSeen } from '@vondle/api';
import { bindingText, planRollout, type Inventory, type Step } from '@vondle/core/analysis';
import type { Stands } from '../links/standing.ts';
import { openTarget } from '../environments/store.ts';
import { standingThere, topologyAt, wantedOn, type Planning } from '../rollouts/planning.ts';
import { WrongKey } from '../secrets.ts';
import { within } from '../targets/amqp/broker.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';

/** So many differences are told. */
const MOST = 500;
/** One broker that does not answer holds up the others no longer than this. */
const READ_MS = 15_000;

/** Compares each broker with the revision that stands there. Nothing is changed. */
export async function driftIn(
  planning: Planning,
  { topologyId, environment, brokers }: Stands,
): Promise<DriftSeen> {
  const { db, ...openers } = planning;
  const away: DriftSeen['away'] = [];
  const differences: DifferenceSeen[] = [];
  for (const { broker, revision, targetId } of brokers)
    try {
      const target = await openTarget(db, openers, topologyId, targetId);
      if (!target) throw new Error('it has no target any more');
      const [has, key] = await within(
        Promise.all([target.reached.inventory(), target.reached.identity()]),
        READ_MS,
      );
      const topology = await topologyAt(db, topologyId, revision, environment);
      const stands = await standingThere(db, { topologyId, environment, broker }, key);
      const { steps, kept, leftAlone } = planRollout(wantedOn(topology, broker), has, stands.earlier);
      for (const step of steps) differences.push({ broker, ...differenceOf(step, has) });
      for (const { kind, name, why } of leftAlone)
        differences.push({
          broker,
          kind: 'changed',
          what: `${kind} ${name} is left alone: ${why}`,
          putBack: null,
          ...extraOf(`${kind} ${name}`, has),
        });
      for (const what of kept)
        differences.push({
          broker,
          kind: 'extra',
          what: `${stands.told(what)}: nothing of this topology made it`,
          putBack: null,
          ...extraOf(what, has),
        });
    } catch (error) {
      away.push({
        broker,
        why:
          error instanceof WrongKey
            ? 'its addresses were sealed under a key not known here'
            : brokerTrouble(error).message,
      });
    }
  return {
    at: new Date().toISOString(),
    away,
    differences: differences.slice(0, MOST),
    more: Math.max(0, differences.length - MOST),
  };
}

type Told = Omit<DifferenceSeen, 'broker'>;
type Is = Pick<Told, 'of' | 'there' | 'applied'>;
const is = (of: Is['of'], there: object | undefined, applied: object | undefined): Is => {
  const whole = (one: object | undefined) => (one ? ({ ...one } as Record<string, unknown>) : null);
  return { of, there: whole(there), applied: whole(applied) };
};

/** @returns what a step says that would make it so again */
function differenceOf(step: Step, has: Inventory): Told {
  const told = (kind: Told['kind'], what: string, own: Is): Told => ({
    kind,
    what,
    putBack: step.title,
    ...own,
  });
  const exchange = (name: string) => has.exchanges.find((each) => each.name === name);
  const queue = (name: string) => has.queues.find((each) => each.name === name);
  switch (step.do) {
    case 'declare exchange':
      return told('missing', `exchange ${step.exchange.name}`, is('exchange', undefined, step.exchange));
    case 'declare queue':
      return told('missing', `queue ${step.queue.name}`, is('queue', undefined, step.queue));
    case 'bind':
      return told(
        'missing',
        step.title.replace(/^bind /, 'binding '),
        is('binding', undefined, step.binding),
      );
    case 'unbind':
      return told(
        'extra',
        step.title.replace(/^remove the binding /, 'binding '),
        is('binding', step.binding, undefined),
      );
    case 'replace exchange':
      return told('changed', step.title, is('exchange', exchange(step.exchange.name), step.exchange));
    case 'replace queue':
      return told('changed', step.title, is('queue', queue(step.queue.name), step.queue));
    case 'delete exchange':
      return told(
        'extra',
        `exchange ${step.exchange.name}`,
        is('exchange', exchange(step.exchange.name), undefined),
      );
    case 'delete queue':
      return told('extra', `queue ${step.queue.name}`, is('queue', queue(step.queue.name), undefined));
    case 'give rights':
      return told(
        has.rights?.some(({ app }) => app === step.rights.app) ? 'changed' : 'missing',
        `rights of the user of ${step.rights.app}`,
        is('rights', undefined, step.rights),
      );
    case 'take rights':
      return told('extra', `user of ${step.rights.app}`, is('rights', step.rights, undefined));
    case 'remove':
      return told(
        'extra',
        `${step.thing.kind} ${step.thing.name}`,
        is('thing', thingIn(has, step.thing), undefined),
      );
    case 'put': {
      const { kind, name } = step.thing;
      const there = thingIn(has, step.thing);
      const own = is('thing', there, step.thing);
      return there
        ? told(
            'changed',
            `${kind} ${name}${name ? ': ' : ''}${changedIn(there.settings, step.thing.settings)}`,
            own,
          )
        : told('missing', `${kind} ${name}`, own);
    }
  }
}

const thingIn = (has: Inventory, { kind, name }: { kind: string; name: string }) =>
  has.hosted?.find((each) => each.kind === kind && each.name === name);

/** What is there and nobody of this topology made, as a plan tells it. */
function extraOf(kept: string, has: Inventory): Is {
  const exchange = has.exchanges.find(({ name }) => kept === `exchange ${name}`);
  if (exchange) return is('exchange', exchange, undefined);
  const queue = has.queues.find(({ name }) => kept === `queue ${name}`);
  if (queue) return is('queue', queue, undefined);
  const binding = has.bindings.find((each) => kept === `binding ${bindingText(each)}`);
  if (binding) return is('binding', binding, undefined);
  const thing = has.hosted?.find(({ kind, name }) => kept === `${kind} ${name}`);
  return thing ? is('thing', thing, undefined) : is('rights', undefined, undefined);
}

/** @returns in words which settings are otherwise than they are to be */
function changedIn(has: object, wanted: object): string {
  const [is, tobe] = [has as Record<string, unknown>, wanted as Record<string, unknown>];
  const said = (value: unknown) => (value === undefined ? 'nothing' : JSON.stringify(value));
  return [...new Set([...Object.keys(is), ...Object.keys(tobe)])]
    .filter((name) => JSON.stringify(is[name]) !== JSON.stringify(tobe[name]))
    .map((name) => `${name} is ${said(is[name])}, applied was ${said(tobe[name])}`)
    .join('; ');
}
