/** New things and what they need, in one go: a queue with what feeds it, who takes from it, and the permission for both. */
import { kindOf } from '../brokers/kinds.ts';
import type { Edited } from '../base/edits.ts';
import { byteLength } from '../base/values.ts';
import { thing } from '../language/thing.ts';
import { accessOf } from '../routing/permission.ts';
import { addItem, setAt } from '../syntax/edit/edit.ts';
import { sequence } from '../syntax/edit/proved.ts';
import type { Placed } from '../syntax/place.ts';
import type { Json } from '../syntax/render.ts';
import { tenantOf } from '../topology/owner.ts';
import type { Topology } from '../topology/topology.ts';

/** What is to be made. */
export interface NewQueue {
  readonly broker: string;
  readonly name: string;
  /** The exchange or topic on the same broker that feeds it; none to leave it unfed. */
  readonly from?: string;
  /** The binding key (AMQP), or the selector (publish-subscribe) with which it is fed. */
  readonly condition?: string;
  /** The app that takes from it. */
  readonly taker?: string;
  /** Whether statements are added for whoever has no permission yet. */
  readonly permission: boolean;
}

/**
 * @returns the edits that declare the queue, its binding or subscription, its taker, and the narrowest
 * statements for who has no permission yet; offsets are those of the present documents
 */
export function beginQueue(topology: Topology, wanted: NewQueue): Edited {
  const { declared } = topology;
  const { broker, name, from, condition, taker } = wanted;
  const decl = declared.brokers?.get(broker)?.value;
  if (!decl) return { ok: false, message: `There is no broker \`${broker}\`.` };
  if (name === '' || byteLength(name) > 255) return { ok: false, message: 'A name has 1 to 255 bytes.' };
  if (decl.queues?.has(name))
    return { ok: false, message: `There is a queue \`${broker}/${name}\` already.` };
  if (taker !== undefined && !declared.apps?.has(taker))
    return { ok: false, message: `There is no app \`${taker}\`.` };
  const kind = kindOf(decl);
  if (from !== undefined && !kind.feeds(decl).some((each) => each.name === from))
    return { ok: false, message: `There is no ${kind.feed} \`${from}\` on ${broker}.` };

  const steps: ((now: Placed) => Edited)[] = [(now) => setAt(now, ['brokers', broker, 'queues', name], {})];
  if (from !== undefined)
    steps.push((now) => kind.feedQueue(now, { broker, decl, queue: name, from }, condition));
  if (taker !== undefined)
    steps.push((now) => addItem(now, ['apps', taker, 'consumes'], { from: `${broker}/${name}` }));
  if (wanted.permission) {
    for (const statement of statementsFor(topology, wanted))
      steps.push((now) => addItem(now, ['access'], statement));
  }
  return sequence(topology, steps);
}

/** Statements for those who would be refused: the topic that hands over, the app that takes. */
function statementsFor(topology: Topology, { broker, name, from, taker }: NewQueue): Json[] {
  const decide = accessOf(topology);
  const queue = thing('queue', name, broker);
  const address = `${broker}/${name}`;
  const found: Json[] = [];
  const decl = topology.declared.brokers?.get(broker)?.value;
  const kind = decl && kindOf(decl);
  if (kind?.feedsNeedPermission && from !== undefined) {
    const topic = thing(kind.feed, from, broker);
    const who = { thing: topic, tenant: tenantOf(topology, topic) };
    if (!decide({ who, action: 'publish', on: queue, source: topic }).allowed)
      found.push({ name: `${from} into ${name}`, allow: ['publish'], who: topic.id, on: address });
  }
  if (taker !== undefined) {
    const app = thing('app', taker);
    const who = { thing: app, tenant: tenantOf(topology, app) };
    if (!decide({ who, action: 'consume', on: queue }).allowed)
      found.push({ name: `${taker} takes ${name}`, allow: ['consume'], who: app.id, on: address });
  }
  return found;
}
