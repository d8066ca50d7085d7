import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';

/** A queue or exchange that goes by itself, though others depend on it. */
export const fleetingQueue = check({
  id: 'loss/fleeting-queue',
  severity: 'warning',
  finds: 'An exclusive or auto-delete queue that others depend on.',
  why: 'It goes with its connection or its last taker; what others send to it is then lost, and links and dead letters break.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue') return [];
    const exclusive =
      'exclusive' in node.decl && node.decl.exclusive?.value ? node.decl.exclusive : undefined;
    const fleeting =
      'autoDelete' in node.decl && node.decl.autoDelete?.value ? node.decl.autoDelete : undefined;
    const place = (exclusive ?? fleeting)?.place;
    if (!place) return [];
    const on: string[] = [];
    for (const edge of context.into(node.id)) {
      if (edge.kind === 'deadLetter') on.push(`dead letters of ${addressOf(context.node(edge.from)!.thing)}`);
      if (edge.kind === 'member' || edge.kind === 'alias') on.push(context.node(edge.from)!.thing.id);
      if (edge.kind === 'publish')
        on.push(`${context.node(edge.from)!.thing.name}, which publishes straight to it`);
    }
    const takers = new Set<string>();
    for (const edge of context.out(node.id)) {
      if (edge.kind === 'link') on.push(`link ${edge.label}`);
      if (edge.kind === 'take') takers.add(context.node(edge.to)!.thing.name);
    }
    if (exclusive && takers.size > 1)
      on.push(`${listed([...takers])}, of which only one connection can have it`);
    if (on.length === 0) return [];
    return [
      {
        message: `${addressOf(node.thing)} is ${exclusive ? 'exclusive to one connection' : 'removed with its last taker'}, but others depend on it: ${listed([...new Set(on)])}.`,
        place,
        about: node.id,
      },
    ];
  },
});
