/** A single question about permission, as a person asks it. */
import type { Action } from '../../language/statement.ts';
import { type Thing, type ThingKind, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Decision } from '../../routing/permission.ts';
import { lookUp } from '../../topology/address.ts';
import { tenantOf } from '../../topology/owner.ts';

export interface Question {
  /** `app:x`, `tenant:x`, `topic:broker/x` or `link:x`. */
  readonly who: string;
  readonly action: Action;
  /** The address of a resource. */
  readonly on: string;
  /** The message's routing key, where it matters. */
  readonly key?: string;
  /** How the caller is connected; as the broker asks where it is not said. */
  readonly encrypted?: boolean;
}

const RESOURCES: readonly ThingKind[] = ['exchange', 'queue', 'topic', 'subscription', 'alias'];

/** @returns the decision; or, in words, why the question cannot be answered */
export function askAccess(
  graph: RoutingGraph,
  { who, action, on, key, encrypted }: Question,
):
  | {
      readonly ok: true;
      readonly decision: Decision;
      readonly tenant: string | undefined;
      readonly on: Thing;
    }
  | { readonly ok: false; readonly message: string } {
  const { topology } = graph;
  const [, kind, name] = /^(app|tenant|topic|link):(.+)$/s.exec(who) ?? [];
  if (!kind) return { ok: false, message: 'Say who: `app:x`, `tenant:x`, `topic:broker/x` or `link:x`.' };
  const slash = name!.indexOf('/');
  const caller: Thing =
    kind === 'topic' && slash > 0
      ? thing('topic', name!.slice(slash + 1), name!.slice(0, slash))
      : thing(kind as ThingKind, name!);
  const { declared } = topology;
  const there =
    kind === 'app'
      ? declared.apps?.has(name!)
      : kind === 'link'
        ? declared.links?.has(name!)
        : kind === 'tenant' || graph.nodes.has(caller.id);
  if (!there) return { ok: false, message: `There is no ${who}.` };
  const found = graph.nodes.get(on) ?? lookUp(topology.names, on, RESOURCES);
  const target = 'thing' in found ? found.thing : undefined;
  if (!target) return { ok: false, message: 'message' in found ? found.message : `There is no ${on}.` };
  const tenant = kind === 'tenant' ? name : tenantOf(topology, caller);
  const decision = graph.decide({
    who: { thing: caller, tenant },
    action,
    on: target,
    ...(key === undefined ? {} : { key }),
    ...(encrypted === undefined ? {} : { encrypted }),
    ...(kind === 'topic' ? { source: caller } : {}),
  });
  return { ok: true, decision, tenant, on: target };
}

/** @returns a question and its answer as a sentence */
export function answerInWords({ who, action, on }: Question, { allowed, why }: Decision): string {
  return `${allowed ? 'Yes' : 'No'}: ${who} may ${allowed ? '' : 'not '}${action} ${action === 'consume' ? 'from ' : action === 'publish' ? 'to ' : ''}${on}; ${why}.`;
}
