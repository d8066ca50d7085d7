/** What a broker has, as documents of a topology: read on a thread, from a target that leads there. */
import type { TextDocument } from '@vondle/core/base';
import { adopt } from '@vondle/core/analysis';
import { notFound, Problem } from '../http/problem.ts';
import { onBroker, type Planning } from '../rollouts/planning.ts';
import { openTarget } from './store.ts';

export interface TakenIn {
  readonly documents: readonly TextDocument[];
  readonly unsaid: readonly string[];
}

/** Nothing is changed on the broker, and no message is looked at. @throws Problem */
export async function takeIn(
  { db, ...openers }: Planning,
  { topologyId, targetId }: { topologyId: number; targetId: number },
): Promise<TakenIn> {
  const target = await openTarget(db, openers, topologyId, targetId);
  if (!target) throw notFound(`target ${targetId}`);
  if (target.kind !== 'amqp')
    throw new Problem(
      409,
      'Not yet',
      'Only AMQP 0-9-1 brokers are taken in; of this kind nothing is, so far.',
    );
  const { reached } = target;
  const [has, standing] = await onBroker(target, () =>
    Promise.all([reached.inventory(), reached.standing()]),
  );
  const takers = new Map(
    standing.stores.map(({ name, takers: own }) => [name, own.map((each) => whoIs(each))] as const),
  );
  const { documents, unsaid } = adopt(has, target.broker, takers);
  return {
    documents,
    unsaid: [
      ...unsaid,
      'Who may do what on the broker is not taken in: it is declared as open. What is sent there is not known: declare message types, and who publishes them.',
    ],
  };
}

/** A connection that gives itself no name is known by who it signed in as. */
const whoIs = ({ name, user }: { name: string; user: string }): string =>
  /^amq\.ctag-|:\d+ -> /.test(name) ? user : name;
