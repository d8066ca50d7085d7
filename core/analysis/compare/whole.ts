/** Two topologies compared whole, but for what messages do: what is declared, who may what, what is wrong. */
import { addressOf } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Severity } from '../../language/finding.ts';
import { isOpen } from '../access/controlled.ts';
import { callersOf, cellsOf, subjectsOf } from '../access/matrix.ts';
import { usageOf } from '../access/usage.ts';
import { signsOf } from '../checks/identity.ts';
import { type Review, review } from '../checks/review.ts';
import { type DeclaredChange, compareDeclared } from './settings.ts';
import type { Topology } from '../../topology/topology.ts';

/** What one may do now, or could before, by one reason. */
export interface AccessChange {
  readonly kind: 'gained' | 'lost';
  /** As a person writes it: `app:archive`. */
  readonly who: string;
  readonly action: string;
  /** All that it is on. */
  readonly on: readonly string[];
  /** What lets them: a statement, or that the broker is open. */
  readonly why: string;
}

/** Something that is wrong now, or was before. */
export interface FindingChange {
  readonly kind: 'new' | 'cured';
  readonly check: string;
  readonly severity: Severity;
  readonly message: string;
}

/** A promise that is kept now and was not, or the other way, or came, or went. */
export interface PromiseChange {
  readonly kind: 'broken' | 'kept' | 'added' | 'removed';
  readonly name: string;
}

export interface Compared {
  readonly declared: readonly DeclaredChange[];
  /** Undefined where there are too many who could to tell. */
  readonly access: readonly AccessChange[] | undefined;
  readonly findings: readonly FindingChange[];
  readonly promises: readonly PromiseChange[];
}

/** More questions of who may what than this are not asked. */
const MOST_CELLS = 2_000_000;

/** @returns what differs between two topologies, what messages do left out */
export function compareTopologies(before: Topology, after: Topology): Compared {
  const [then, now] = [review(before), review(after)];
  return {
    declared: compareDeclared(before, after),
    access: accessBetween(then.graph, now.graph),
    findings: findingsBetween(then, now),
    promises: promisesBetween(then, now),
  };
}

/** One thing that one may do. */
interface Permitted {
  readonly who: string;
  readonly action: string;
  readonly on: string;
  readonly why: string;
  /** The thing it is on, where no way of messages needs it. */
  readonly unused?: string;
}

/** What is allowed, by who, action and what it is on; of an open broker one line for all of it. */
function allowedIn(graph: RoutingGraph): Map<string, Permitted> | undefined {
  const { topology } = graph;
  const open = new Set(
    [...(topology.declared.brokers?.keys() ?? [])].filter((each) => isOpen(topology, each)),
  );
  const who = callersOf(graph);
  const on = subjectsOf(graph).filter(({ broker }) => !open.has(broker));
  if (who.length * on.length > MOST_CELLS) return undefined;
  const allowed = new Map<string, Permitted>();
  for (const broker of open) {
    const all = { who: 'everybody', action: 'do everything on', on: broker, why: 'The broker is open.' };
    allowed.set(`everybody on ${broker}`, all);
  }
  for (const cell of cellsOf(graph, usageOf(graph), who, on)) {
    if (cell.state === 'missing') continue;
    const { action, why } = cell;
    allowed.set(`${cell.who.id} ${action} ${cell.on.id}`, {
      who: addressOf(cell.who),
      action,
      on: addressOf(cell.on),
      why,
      ...(cell.state === 'unused' ? { unused: cell.on.id } : {}),
    });
  }
  return allowed;
}

function accessBetween(before: RoutingGraph, after: RoutingGraph): AccessChange[] | undefined {
  const [was, is] = [allowedIn(before), allowedIn(after)];
  if (!was || !is) return undefined;
  const only = (
    all: typeof was,
    other: typeof was,
    there: RoutingGraph,
    kind: AccessChange['kind'],
  ): AccessChange[] => {
    const callers = new Set(callersOf(there).map(addressOf));
    // what one statement lets one do to many things is told together
    const told = new Map<string, AccessChange & { readonly on: string[] }>();
    for (const [id, { who, action, on, why, unused }] of all) {
      // that a wide statement covers what is new, and nobody needs it, is no news of those who were there
      const covered = unused !== undefined && !there.nodes.has(unused) && callers.has(who);
      if (other.has(id) || covered) continue;
      const together = `${who} ${action} ${why}`;
      const known = told.get(together);
      if (known) known.on.push(on);
      else told.set(together, { kind, who, action, on: [on], why });
    }
    return [...told.values()];
  };
  return [...only(is, was, before, 'gained'), ...only(was, is, after, 'lost')];
}

function findingsBetween(before: Review, after: Review): FindingChange[] {
  const told = ({ graph, findings }: Review) =>
    findings.map(({ check, severity, message, ...rest }) => ({
      check,
      severity,
      message,
      signs: signsOf(graph.topology, { check, severity, message, ...rest }),
    }));
  const [was, is] = [told(before), told(after)];
  const only = (all: typeof was, other: typeof was, kind: FindingChange['kind']): FindingChange[] => {
    const known = new Set(other.flatMap(({ signs }) => signs));
    return all.flatMap(({ signs, ...each }) =>
      signs.some((sign) => known.has(sign)) ? [] : [{ kind, ...each }],
    );
  };
  return [...only(is, was, 'new'), ...only(was, is, 'cured')];
}

function promisesBetween(before: Review, after: Review): PromiseChange[] {
  const told = ({ graph, proofs }: Review) => {
    const names = (graph.topology.declared.expectations?.items ?? []).map(({ name }) => name?.value ?? '');
    return new Map(proofs.map(({ verdict }, i) => [names[i] ?? '', verdict === 'kept']));
  };
  const [was, is] = [told(before), told(after)];
  return [
    ...[...is].flatMap(([name, kept]): PromiseChange[] => {
      const then = was.get(name);
      if (then === kept) return [];
      if (then === undefined && kept) return [{ kind: 'added', name }];
      return [{ kind: kept ? 'kept' : 'broken', name }];
    }),
    ...[...was.keys()].flatMap((name): PromiseChange[] => (is.has(name) ? [] : [{ kind: 'removed', name }])),
  ];
}
