/** Finds every reference that names nothing, or two things at once, and says so where it stands. */
import { lookUp, STORES, ENTRIES, type ThingKind } from '../model/address.ts';
import type { Val } from '../model/place.ts';
import { nearest } from '../model/values.ts';
import type { DocumentDecl } from './language.ts';
import type { MessageType } from './messages.ts';
import type { Reading } from './shape.ts';

/** Reports unknown and ambiguous references in a topology as findings of `reading`. */
export function checkReferences(
  declared: DocumentDecl,
  messages: ReadonlyMap<string, MessageType>,
  reading: Reading,
): void {
  const names = (broker: string) => {
    const decl = declared.brokers?.get(broker)?.value;
    if (!decl) return [];
    const maps =
      decl.variant === 'amqp'
        ? [decl.exchanges, decl.queues, decl.aliases]
        : [decl.topics, decl.queues, decl.subscriptions, decl.aliases];
    return maps.flatMap((map) => [...(map?.keys() ?? [])]);
  };
  const to = (value: Val<string> | undefined, kinds: readonly ThingKind[], home?: string) => {
    if (!value) return;
    const found = lookUp(declared, value.value, kinds, home);
    if (found.ok) return;
    reading.doc = value.place.doc;
    let hint: string | undefined;
    if (found.reason === 'unknown') {
      const slash = value.value.indexOf('/');
      const broker = slash > 0 ? value.value.slice(0, slash) : home;
      const near =
        broker && declared.brokers?.has(broker)
          ? nearest(value.value.slice(slash + 1), names(broker))
          : undefined;
      if (near !== undefined && near !== value.value.slice(slash + 1))
        hint = slash > 0 ? `${broker}/${near}` : near;
    }
    const mends =
      hint && !value.from
        ? [{ title: `Write \`${hint}\``, edits: [{ ...value.place, text: quoteIfNeeded(hint) }] }]
        : undefined;
    reading.report(
      found.reason === 'ambiguous' ? 'ambiguous-reference' : 'unknown-reference',
      value.place,
      hint ? `${found.message} Did you mean \`${hint}\`?` : found.message,
      mends ? { mends } : {},
    );
  };
  const one = (
    value: Val<string> | undefined,
    of: string,
    known: ReadonlyMap<string, unknown> | undefined,
  ) => {
    if (!value || known?.has(value.value)) return;
    reading.doc = value.place.doc;
    const hint = nearest(value.value, known?.keys() ?? []);
    const mends =
      hint && !value.from
        ? [{ title: `Write \`${hint}\``, edits: [{ ...value.place, text: hint }] }]
        : undefined;
    reading.report(
      'unknown-reference',
      value.place,
      `There is no ${of} \`${value.value}\`.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
      mends ? { mends } : {},
    );
  };
  const tenant = (value: Val<string> | undefined) => {
    if (value && declared.tenant?.value !== value.value) one(value, 'tenant', declared.tenants);
  };

  for (const { value: app } of declared.apps?.values() ?? []) {
    tenant(app.tenant);
    one(app.home, 'broker', declared.brokers);
    for (const publish of app.publishes?.items ?? []) {
      one(publish.message, 'message type', messages);
      if (publish.via?.value === 'mqtt') one(publish.to, 'broker', declared.brokers);
      else to(publish.to, ENTRIES);
    }
    for (const consume of app.consumes?.items ?? []) {
      if (consume.via?.value === 'mqtt') one(consume.from, 'broker', declared.brokers);
      else to(consume.from, STORES);
      for (const message of consume.expects?.items ?? []) one(message, 'message type', messages);
    }
  }
  for (const { name: home, value: broker } of declared.brokers?.values() ?? []) {
    tenant(broker.tenant);
    for (const { value: queue } of broker.queues?.values() ?? []) {
      to(queue.deadLetter?.to, broker.variant === 'amqp' ? ['exchange', 'queue'] : ['topic', 'queue'], home);
      if ('perInstanceOf' in queue) one(queue.perInstanceOf, 'app', declared.apps);
    }
    for (const { value: alias } of broker.aliases?.values() ?? []) {
      to(alias.to, ENTRIES, home);
      one(alias.over, 'link', declared.links);
    }
    if (broker.variant === 'amqp') {
      to(broker.mqtt?.exchange, ['exchange'], home);
      for (const { value: exchange } of broker.exchanges?.values() ?? [])
        to(exchange.unroutedTo, ['exchange'], home);
      for (const binding of broker.bindings?.items ?? []) {
        to(binding.from, ['exchange'], home);
        to(binding.to, ['queue', 'exchange'], home);
      }
    } else {
      for (const { value: subscription } of broker.subscriptions?.values() ?? []) {
        to(subscription.topic, ['topic'], home);
        to(subscription.to, ['queue'], home);
        to(subscription.deadLetter?.to, ['topic', 'queue'], home);
      }
    }
  }
  for (const { value: link } of declared.links?.values() ?? []) {
    to(link.from, ['queue']);
    to(link.to, ENTRIES);
  }
  for (const { value: spread } of declared.spreads?.values() ?? []) {
    for (const member of spread.members?.items ?? []) to(member, ['queue']);
  }
  for (const { value: environment } of declared.environments?.values() ?? []) {
    for (const [name, { key }] of environment.values ?? []) {
      if (!declared.parameters?.has(name)) one({ value: name, place: key }, 'parameter', declared.parameters);
    }
  }
  for (const { given } of declared.expectations?.items ?? []) one(given?.message, 'message type', messages);
}

/** A name as a YAML scalar inside flow or block text: quoted where a plain one would be read otherwise. */
function quoteIfNeeded(name: string): string {
  return /^[A-Za-z][\w./-]*$/.test(name) ? name : JSON.stringify(name);
}
