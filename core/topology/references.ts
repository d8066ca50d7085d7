/** Finds every reference that names nothing, or two things at once, and says so where it stands. */
import { nearest } from '../base/similar.ts';
import { parseMqttFilter } from '../conditions/mqtt.ts';
import { writing } from '../language/finding.ts';
import type { Reading } from '../language/shape.ts';
import type { ThingKind } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { plainOrQuoted } from '../syntax/render.ts';
import { lookUp } from './address.ts';
import type { DocumentDecl } from './document.ts';
import type { MessageType } from './messages.ts';
import { type NamedKind, type Use, partsIn } from './uses.ts';

const WORDS: Record<NamedKind, string> = {
  message: 'message type',
  app: 'app',
  broker: 'broker',
  tenant: 'tenant',
  link: 'link',
  spread: 'spread',
  parameter: 'parameter',
};

/** The declarations, and wholes of them, whose references were all found right; only as long as no name goes. */
export type Sound = WeakSet<object>;

/** Takes declarations that write one of these addresses out of the sound ones. @returns the rest */
export function doubt(sound: Sound, declared: DocumentDecl, addresses: ReadonlySet<string>): Sound {
  const unaffected = (owner: object) => {
    if (!('from' in owner && 'to' in owner)) return false;
    const { from, to } = owner as { from?: Located<string>; to?: Located<string> };
    return !addresses.has(from?.value ?? '') && !addresses.has(to?.value ?? '');
  };
  for (const { whole, namings } of partsIn(declared)) {
    for (const { owner, uses } of namings({ has: unaffected })) {
      if (!uses.some(({ value }) => addresses.has(value.value))) continue;
      sound.delete(owner);
      if (whole) sound.delete(whole);
    }
  }
  return sound;
}

/**
 * Reports unknown and ambiguous references in a topology as findings of `reading`.
 * @param sound declarations that need no looking at; those found right are added
 */
export function checkReferences(
  declared: DocumentDecl,
  messages: ReadonlyMap<string, MessageType>,
  reading: Reading,
  sound: Sound = new WeakSet(),
): void {
  const known: Record<NamedKind, ReadonlyMap<string, unknown> | undefined> = {
    message: messages,
    app: declared.apps,
    broker: declared.brokers,
    tenant: declared.tenants,
    link: declared.links,
    spread: declared.spreads,
    parameter: declared.parameters,
  };
  for (const { whole, namings } of partsIn(declared)) {
    if (whole && sound.has(whole)) continue;
    const found = reading.findings.length;
    for (const { owner, uses } of namings(sound)) {
      const before = reading.findings.length;
      uses.forEach(use);
      // a broker is the whole of what is declared on it
      if (reading.findings.length === before && owner !== whole) sound.add(owner);
    }
    if (whole && whole === declared.apps) topicFilters();
    if (whole && reading.findings.length === found) sound.add(whole);
  }

  function topicFilters(): void {
    for (const { value: app } of declared.apps?.values() ?? []) {
      for (const { via, topic, place } of app.consumes?.items ?? []) {
        if (via?.value !== 'mqtt') continue;
        const filter = topic && parseMqttFilter(topic.value);
        reading.doc = place.doc;
        if (!filter)
          reading.report(
            'missing-key',
            place,
            '`topic` is missing here: the MQTT topic filter it subscribes to.',
          );
        else if (!filter.ok) reading.report('bad-topic-filter', topic.place, filter.message);
      }
    }
  }

  function use({ value, means }: Use): void {
    if (means.by === 'address') address(value, means.kinds, means.home);
    else if (means.by === 'id' && !isKnown(value.value, means.kind)) id(value, means.kind);
  }

  function isKnown(name: string, kind: NamedKind): boolean {
    // the default tenant need not be declared; what `extends` names is told where types are resolved
    return (known[kind]?.has(name) ?? false) || (kind === 'tenant' && declared.tenant?.value === name);
  }

  function id(value: Located<string>, kind: NamedKind): void {
    const hint = nearest(value.value, known[kind]?.keys() ?? []);
    tell('unknown-reference', value, `There is no ${WORDS[kind]} \`${value.value}\`.`, hint);
  }

  function address(value: Located<string>, kinds: readonly ThingKind[], home?: string): void {
    const found = lookUp(declared, value.value, kinds, home);
    if (found.ok) return;
    if (found.reason === 'ambiguous') return tell('ambiguous-reference', value, found.message);
    const slash = value.value.indexOf('/');
    const broker = slash > 0 ? value.value.slice(0, slash) : home;
    const name = value.value.slice(slash + 1);
    const near = broker === undefined ? undefined : nearest(name, namesOn(declared, broker));
    const hint = near === undefined || near === name ? undefined : slash > 0 ? `${broker}/${near}` : near;
    tell('unknown-reference', value, found.message, hint);
  }

  function tell(check: string, value: Located<string>, message: string, hint?: string): void {
    reading.doc = value.place.doc;
    const mends =
      hint !== undefined && !value.from
        ? [writing(value.place, plainOrQuoted(hint), `Write \`${hint}\``)]
        : undefined;
    reading.report(
      check,
      value.place,
      hint === undefined ? message : `${message} Did you mean \`${hint}\`?`,
      mends ? { mends } : {},
    );
  }
}

function namesOn(declared: DocumentDecl, broker: string): string[] {
  const decl = declared.brokers?.get(broker)?.value;
  if (!decl) return [];
  const maps =
    decl.variant === 'amqp'
      ? [decl.exchanges, decl.queues, decl.aliases]
      : [decl.topics, decl.queues, decl.subscriptions, decl.aliases];
  return maps.flatMap((map) => [...(map?.keys() ?? [])]);
}
