/** The publish-subscribe service that comes with an installation: a space of one's own on it. */
import type { HostedAddresses } from '@vondle/api';
import type { Allowed } from '../allowed.ts';
import { HostedService } from './service.ts';

/** Where it is, with the operator's secret. */
export interface BuiltInHosted {
  readonly service: string;
}

/** The tenant that built-in spaces belong to. */
const TENANT = 'vondle';

/**
 * Makes sure that a space is there, and may be administered by a tenant that is no operator.
 * @throws BrokerTrouble
 */
export async function spaceOn(
  { service }: BuiltInHosted,
  allowed: Allowed,
  space: string,
): Promise<HostedAddresses> {
  const tenant = `${TENANT}-${space}`.replace(/[^a-z0-9-]/g, '-').slice(0, 63);
  const operator = new HostedService({ service, space }, allowed);
  const { secret } = (await operator.ask<{ secret: string }>('PUT', `/tenants/${tenant}`))!;
  const there = await operator.ask<{ access: 'open' | 'controlled' }>('GET', `/spaces/${space}`);
  if (!there)
    await operator.ask('PUT', `/spaces/${encodeURIComponent(space)}`, { tenant, access: 'controlled' });
  const own = new URL(service);
  own.username = tenant;
  own.password = secret;
  return { service: own.href, space };
}
