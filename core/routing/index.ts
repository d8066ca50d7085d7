export { type RotationState } from './choose.ts';
export { type RoutingGraph, buildGraph } from './graph.ts';
export type { DeadLetterReason, Hop, Outcome, Sending } from './hop.ts';
export { KeyTrie } from './key-trie.ts';
export type { Edge, EdgeKind, GraphNode, NodeRole, StoreNode } from '../brokers/terms.ts';
export { type AccessRequest, type Caller, type Decide, accessOf, fits } from './permission.ts';
export { type Trace, hopsOf, trace, traceDeadLetter } from './trace.ts';
export { instancesOf } from './walk.ts';
