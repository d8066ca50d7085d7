import { check } from '../check.ts';
import { usualAmong } from '../suggest.ts';
import { type Met, metBy } from '../../classes/met.ts';
import { kindOf } from '../../../brokers/kinds.ts';
import type { Arrival } from '../../classes/variety.ts';
import { messageAmong } from '../../classes/verdicts.ts';
import { listed } from '../../../base/phrase.ts';
import { type Thing, addressOf } from '../../../language/thing.ts';
import type { Edge } from '../../../brokers/terms.ts';
import { setAt } from '../../../syntax/edit/edit.ts';
import type { Mend, Topology } from '../../../topology/topology.ts';

/** So many exchanges are offered to choose from. */
const MOST_CHOICES = 5;

/** More bindings than this are not tried together. */
const MOST_BINDINGS = 60;

/** An exchange where published messages can match no binding, and that has no unrouted-to. */
export const unmatched = check({
  id: 'nowhere/unmatched',
  severity: 'warning',
  finds: 'An exchange where published messages can match no binding, without an unroutedTo.',
  why: 'A message that matches no binding is lost without a word, unless the exchange says where such messages go.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'exchange' || node.decl.unroutedTo) return [];
    const out = context.out(node.id);
    if (!out.some((edge) => edge.kind === 'binding')) return [];
    const missed = context.arrivals(node.id).flatMap((arrival) => {
      const key = missedBy(metBy(out, arrival), arrival);
      return key === undefined ? [] : [{ type: arrival.type.id, key }];
    });
    if (missed.length === 0) return [];
    // who publishes as mandatory is told
    const told = new Set(
      context
        .into(node.id)
        .flatMap(({ publish }) => (publish?.mandatory?.value ? [publish.message?.value] : [])),
    );
    const lost = missed.filter(({ type }) => !told.has(type));
    if (lost.length === 0) return [];
    const others = context
      .fanouts(node.thing.broker)
      .filter((name) => name !== node.thing.name)
      .slice(0, MOST_CHOICES);
    return [
      {
        message: `${addressOf(node.thing)} has no unroutedTo, and no binding of it matches some messages: ${listed(lost.map(({ type, key }) => (key ? `${type} (as \`${key}\`)` : type)))}. Those are lost.`,
        place: node.place,
        about: node.id,
        mends: () => [catching(node.thing), ...others.map((other) => sending(node.thing, other))],
      },
    ];
  },
});

/** @returns a key that no binding matches, '' for a message whose key does not matter; undefined where all match, or it cannot be told */
function missedBy(met: readonly Met[], arrival: Arrival): string | undefined {
  const relevant: Edge[] = [];
  for (const { edge, verdict } of met) {
    if (edge.kind !== 'binding') continue;
    if (verdict.every) return undefined;
    relevant.push(edge);
  }
  if (relevant.length > MOST_BINDINGS) return undefined;
  const conditions = relevant.map(({ condition }) => condition);
  if (conditions.length === 0) return arrival.key?.includes('{') ? '' : (arrival.key ?? '');
  return messageAmong(conditions, arrival, (passing, diagrams) =>
    diagrams.not(diagrams.all(diagrams.or, passing, diagrams.no)),
  )?.key;
}

/** Where most exchanges on a broker send what nothing matched, unless that is the one that asks. */
function usualOn(topology: Topology, { broker, name }: Thing): string | undefined {
  const decl = topology.declared.brokers?.get(broker)?.value;
  const usual = usualAmong(decl ? kindOf(decl).unroutedTo(decl) : []);
  return usual === name ? undefined : usual;
}

function catching(of: Thing): Mend {
  return {
    title: 'Send them where its neighbours send theirs',
    offered: (topology) => usualOn(topology, of) !== undefined,
    edit: (topology) => sendingTo(topology, of, usualOn(topology, of)!),
  };
}

/** Where no neighbour says where such messages go, the exchanges there are to choose from. */
function sending(of: Thing, to: string): Mend {
  return {
    title: `Send them to ${to}`,
    offered: (topology) => usualOn(topology, of) === undefined,
    edit: (topology) => sendingTo(topology, of, to),
  };
}

const sendingTo = (topology: Topology, { broker, name }: Thing, to: string) =>
  setAt(topology, ['brokers', broker, 'exchanges', name, 'unroutedTo'], to);
