/** A topology at a glance: what the draft holds, what is wrong with it, and its shape. Worked out on a thread. */
import type { TextDocument } from '@vondle/core/base';
import { review } from '@vondle/core/analysis';
import { readTopology } from '@vondle/core/topology';
import type { GraphNode } from '@vondle/core/routing';
import type { Database } from '../db/connect.ts';
import { documentsOf } from '../revisions/store.ts';
import { draftDocumentsOf, draftSize } from '../drafts/store.ts';

/** More text than this is not looked through for a list. */
const MOST_TEXT = 4 * 1024 * 1024;
/** A shape drawn small has no room for more. */
const MOST_NODES = 160;
const MOST_WAYS = 400;

export interface Glance {
  readonly documents: number;
  /** Not looked through, for it is very large; what follows is empty then. */
  readonly large: boolean;
  readonly findings: { readonly error: number; readonly warning: number; readonly advice: number };
  readonly expectations: { readonly kept: number; readonly broken: number };
  readonly counts: {
    readonly brokers: number;
    readonly queues: number;
    readonly messages: number;
    readonly apps: number;
  };
  /** The environments that it declares. */
  readonly environments: readonly string[];
  /** Its nodes, each with its lane from left to right and its broker's number, and ways by their numbers. */
  readonly shape: {
    readonly nodes: readonly (readonly [lane: number, band: number])[];
    readonly ways: readonly (readonly [from: number, to: number])[];
  };
}

const LANES: Readonly<Record<GraphNode['role'], number>> = {
  publisher: 0,
  exchange: 1,
  topic: 1,
  alias: 1,
  spread: 1,
  queue: 2,
  subscription: 2,
  taker: 3,
};

/** @returns a draft at a glance */
export async function glanceAt(db: Database, draftId: number): Promise<Glance> {
  const large = (await draftSize(db, draftId)) > MOST_TEXT;
  return { ...glanceOf(large ? [] : await draftDocumentsOf(db, draftId)), large };
}

/** @returns a revision at a glance; undefined where there is none of that number */
export async function glanceAtRevision(
  db: Database,
  topologyId: number,
  number: number,
): Promise<Glance | undefined> {
  const documents = await documentsOf(db, topologyId, number);
  return documents && glanceOf(documents);
}

/** @returns documents at a glance, those of a very large topology left out */
export function glanceOf(all: readonly TextDocument[]): Glance {
  const large = all.reduce((sum, { text }) => sum + text.length, 0) > MOST_TEXT;
  const documents = large ? [] : all;
  const topology = readTopology(documents);
  const { findings, proofs, graph } = review(topology);
  const count = (severity: string) => findings.filter((each) => each.severity === severity).length;
  const nodes = [...graph.nodes.values()];
  const bands = new Map([...(topology.declared.brokers?.keys() ?? [])].map((broker, i) => [broker, i]));
  const drawn = new Map(nodes.slice(0, MOST_NODES).map(({ id }, i) => [id, i]));
  return {
    documents: documents.length,
    large,
    findings: { error: count('error'), warning: count('warning'), advice: count('advice') },
    expectations: {
      kept: proofs.filter(({ verdict }) => verdict === 'kept').length,
      broken: proofs.filter(({ verdict }) => verdict !== 'kept').length,
    },
    counts: {
      brokers: bands.size,
      queues: nodes.filter(({ role }) => LANES[role] === 2).length,
      messages: topology.messages.size,
      apps: topology.declared.apps?.size ?? 0,
    },
    environments: [...(topology.declared.environments?.keys() ?? [])].slice(0, 20),
    shape: {
      nodes: nodes.slice(0, MOST_NODES).map(({ role, thing }) => [LANES[role], bands.get(thing.broker) ?? 0]),
      ways: graph.edges
        .flatMap(({ from, to }): [number, number][] =>
          drawn.has(from) && drawn.has(to) ? [[drawn.get(from)!, drawn.get(to)!]] : [],
        )
        .slice(0, MOST_WAYS),
    },
  };
}
