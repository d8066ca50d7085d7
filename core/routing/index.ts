export { type RoutingGraph, buildGraph } from './graph.ts';
export { KeyTrie } from './key-trie.ts';
export type { Edge, EdgeKind, GraphNode, NodeRole, StoreNode } from './parts.ts';
export {
  type DeadLetterReason,
  type Hop,
  type Outcome,
  type Sending,
  type Trace,
  type RotationState,
  instancesOf,
  trace,
  traceFate,
} from './trace.ts';
