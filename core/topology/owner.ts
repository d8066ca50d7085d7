/** Who owns what. */
import { type BrokerDecl, kindOf } from '../brokers/kinds.ts';
import type { Thing } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import type { Topology } from './topology.ts';

/** @returns who owns a thing: the tenant it names, its broker's, or the topology's. */
export function tenantOf({ declared }: Topology, of: Thing): string | undefined {
  const app = of.kind === 'app' ? declared.apps?.get(of.name)?.value.tenant : undefined;
  const broker = declared.brokers?.get(of.kind === 'broker' ? of.name : of.broker)?.value;
  return (app ?? ownTenant(broker, of) ?? broker?.tenant ?? declared.tenant)?.value;
}

function ownTenant(broker: BrokerDecl | undefined, { kind, name }: Thing): Located<string> | undefined {
  if (!broker) return undefined;
  const items = kindOf(broker)
    .resources(broker)
    .find(([each]) => each === kind)?.[1];
  return items?.get(name)?.value.tenant;
}
