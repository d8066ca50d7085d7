import { check } from '../check.ts';
import { entriesFor, patternOf } from '../suggest.ts';
import type { Edited } from '../../../base/edits.ts';
import { listed } from '../../../base/phrase.ts';
import { kindOf } from '../../../brokers/kinds.ts';
import { type Thing, addressOf } from '../../../language/thing.ts';
import type { GraphNode } from '../../../brokers/terms.ts';
import { addItem, setAt } from '../../../syntax/edit/edit.ts';
import type { Mend, Topology } from '../../../topology/topology.ts';

/** A queue that no publish, binding, subscription, link or dead letter leads to. */
export const unreachableStore = check({
  id: 'nowhere/unreachable-store',
  severity: 'warning',
  finds: 'A queue that no way leads to.',
  why: 'A queue that nothing leads to stays empty for ever, and its takers wait in vain: usually a binding is missing.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' || context.into(node.id).length) return [];
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const names = [...new Set(takes.map((edge) => context.node(edge.to)!.thing.name))];
    const waiting = names.length ? `; ${listed(names)} will wait in vain` : '';
    const apart = context.apart(node.thing.broker);
    const entry = apart?.queue === node.id ? context.node(apart.entry) : undefined;
    if (entry)
      return [
        {
          message: `Nothing leads to ${addressOf(node.thing)}${waiting}, and what comes to ${addressOf(entry.thing)} leads nowhere and is lost.`,
          place: node.place,
          about: node.id,
          also: [entry.id],
          related: [{ place: entry.place, message: 'leads nowhere' }],
          mends: [feeding(node.thing, entry.thing)],
        },
      ];
    const expected = takes.flatMap((edge) => edge.consume?.expects?.items.map(({ value }) => value) ?? []);
    return [
      {
        message: `Nothing leads to ${addressOf(node.thing)}: no binding, subscription, publish or link${waiting}.`,
        place: node.place,
        about: node.id,
        mends: expected.length ? [bringing(node, [...new Set(expected)])] : [],
      },
    ];
  },
});

/** The mend that joins what lacks but each other. */
function feeding({ broker, name }: Thing, entry: Thing): Mend {
  return {
    title: `Bind ${name} to ${entry.name}`,
    edit: (topology) => {
      const decl = topology.declared.brokers!.get(broker)!.value;
      return kindOf(decl).feedQueue(topology, { broker, decl, queue: name, from: entry.name }, undefined);
    },
  };
}

/** The mend that brings a queue the messages its takers expect. */
function bringing(node: GraphNode, types: readonly string[]): Mend {
  const { broker, name } = node.thing;
  return {
    title: `Bring it what its takers expect: ${listed(types)}`,
    offered: (topology) => types.some((type) => entriesFor(topology, broker, type).length > 0),
    edit: (topology) => {
      let found: Edited = { ok: false, message: `Nothing on ${broker} gets ${listed(types)}.` };
      const edits = types.flatMap((type) => {
        found = bring(topology, broker, name, type);
        return found.ok ? found.edits : [];
      });
      return edits.length ? { ok: true, edits } : found;
    },
  };
}

function bring(topology: Topology, broker: string, name: string, type: string): Edited {
  const [entry] = entriesFor(topology, broker, type);
  if (!entry) return { ok: false, message: `Nobody publishes ${type} to ${broker}.` };
  if (entry.kind === 'exchange')
    return addItem(topology, ['brokers', broker, 'bindings'], {
      from: entry.name,
      to: name,
      ...patternOf(topology, entry, type),
    });
  return setAt(topology, ['brokers', broker, 'subscriptions', `${name}-${type}`], {
    topic: entry.name,
    to: name,
  });
}
