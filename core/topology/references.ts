/** Finds every reference that names nothing, or two things at once, and says so where it stands. */
import { withArticle } from '../base/phrase.ts';
import { nearest } from '../base/similar.ts';
import { parseMqttFilter } from '../conditions/mqtt.ts';
import { writing } from '../language/finding.ts';
import { type Found, foundIn } from '../incremental/changed.ts';
import { type Memory, Question, sameItems } from '../incremental/memory.ts';
import type { AppDecl } from '../language/app.ts';
import type { Reading, ReadingFinding } from '../language/reading.ts';
import type { ThingKind } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { plainOrQuoted } from '../syntax/render.ts';
import { appsByDocument } from './apps.ts';
import { type Names, type OnBroker, RESOURCES, namedOnce, lookUp, thingsNamed } from './address.ts';
import type { DocumentDecl } from './document.ts';
import type { MessageType } from './messages.ts';
import { type Means, type NamedKind, type Part, partOfApps, partsApart, partsOn } from './uses.ts';

const WORDS: Record<NamedKind, string> = {
  message: 'message type',
  app: 'app',
  broker: 'broker',
  tenant: 'tenant',
  link: 'link',
  spread: 'spread',
  parameter: 'parameter',
};

/** What was found in one part, and what that follows from. */
interface Looked extends Found<ReadingFinding> {
  readonly ground: readonly unknown[];
  /** The brokers on which was looked. */
  readonly brokers: ReadonlyMap<string, OnBroker | undefined>;
  readonly names: Names;
}

const APART = new Question<ReadonlyMap<string, Looked>>('references');
const OF_APPS = new Question<ReadonlyMap<string, Looked>>('references of apps by document');
const ON_BROKERS = new Question<ReadonlyMap<string, ReadonlyMap<string, Looked>>>('references on brokers');
const NO_BROKERS: NonNullable<DocumentDecl['brokers']> = new Map();
const NONE: readonly ReadingFinding[] = [];

/** Reports unknown and ambiguous references in a topology as findings of `reading`. */
export function checkReferences(
  declared: DocumentDecl,
  messages: ReadonlyMap<string, MessageType>,
  names: Names,
  reading: Reading,
  memory: Memory,
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
  const ground = [names.spreads, ...names.ids];
  // names elsewhere come and go without a word here; only what is amiss has hints at what is there
  const holds = ({ brokers, all, names: then }: Looked) =>
    (all.length === 0 || then === names) && [...brokers].every(([id, was]) => names.brokers.get(id) === was);
  let looked = new Set<string>();
  const look = (
    { owners, names: namesOf }: Part,
    last: Looked | undefined,
    more?: (app: AppDecl) => void,
  ) => {
    const before = last && sameItems(last.ground, ground) && holds(last) ? last : undefined;
    looked = new Set(before?.brokers.keys());
    const found = foundIn(before, owners, (owner) => {
      const first = reading.findings.length;
      namesOf(owner as never, use);
      more?.(owner as AppDecl);
      return reading.findings.length > first ? reading.findings.splice(first) : NONE;
    });
    const brokers = new Map([...looked].map((each) => [each, names.brokers.get(each)]));
    return { ...found, ground, brokers, names };
  };
  const kept = { ground, holds, steady: names };
  const apart = new Map(Array.from(partsApart(declared), (part) => [part.id, part]));
  const all = [
    ...memory
      .each(APART, apart, (part, _, before) => look(part, before), {
        ...kept,
        same: (a, b) => a.owners === b.owners,
      })
      .values(),
    ...memory
      .each(
        OF_APPS,
        appsByDocument(declared, memory),
        (apps, _, before) => look(partOfApps(apps), before, topicFilters),
        kept,
      )
      .values(),
    ...[
      ...memory
        .each(
          ON_BROKERS,
          declared.brokers ?? NO_BROKERS,
          ({ value }, id, before) => {
            const parts = [...partsOn(id, value)];
            return new Map(parts.map((part) => [part.id, look(part, before?.get(part.id))]));
          },
          { ...kept, holds: (parts) => [...parts.values()].every(holds) },
        )
        .values(),
    ].flatMap((parts) => [...parts.values()]),
  ];
  for (const part of all) for (const finding of part.all) reading.findings.push(finding);

  function topicFilters(app: AppDecl): void {
    for (const { via, topic, place } of app.consumes?.items ?? []) {
      if (via?.value !== 'mqtt') {
        reading.doc = place.doc;
        if (topic)
          reading.report(
            'unused-topic',
            topic.place,
            '`topic` is for what is taken over MQTT: write `via: mqtt` beside it, or take it away.',
          );
        continue;
      }
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

  function use(value: Located<string>, means: Means): void {
    if (means.by === 'address') address(value, means.kinds, means.home, means.stays);
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

  function address(value: Located<string>, kinds: readonly ThingKind[], home?: string, stays?: true): void {
    const here = home === undefined ? undefined : names.brokers.get(home);
    if (here && namedOnce(here, value.value, kinds)) {
      looked.add(home!);
      return;
    }
    const found = lookUp(names, value.value, kinds, home, looked);
    if (found.ok) {
      if (stays && found.thing.broker !== home)
        tell(
          'other-broker',
          value,
          `\`${value.value}\` is on another broker, and a broker binds only what it has itself. A link, or an alias over one, leads there.`,
        );
      return;
    }
    if (found.reason === 'ambiguous') return tell('ambiguous-reference', value, found.message);
    const message = elsewhere(value.value, home) ?? found.message;
    tell('unknown-reference', value, message, ...hintsFor(names, value.value, kinds, home));
  }

  /** What the name is, where it is only not what may stand here. */
  function elsewhere(address: string, home?: string): string | undefined {
    const other = lookUp(names, address, RESOURCES, home);
    return other.ok
      ? `\`${address}\` is ${withArticle(other.thing.kind)}, which cannot stand here.`
      : undefined;
  }

  function tell(
    check: string,
    value: Located<string>,
    message: string,
    ...hints: (string | undefined)[]
  ): void {
    reading.doc = value.place.doc;
    const meant = hints.filter((hint) => hint !== undefined);
    const mends = value.from
      ? []
      : meant.map((hint) => writing(value.place, plainOrQuoted(hint), `Write \`${hint}\``));
    const question = meant.length ? ` Did you mean ${meant.map((hint) => `\`${hint}\``).join(' or ')}?` : '';
    reading.report(check, value.place, message + question, mends.length ? { mends } : {});
  }
}

/** More places of one name than this are not asked about. */
const MOST_HINTS = 4;

/** The addresses that one which names nothing may be meant for. */
function hintsFor(names: Names, address: string, kinds: readonly ThingKind[], home?: string): string[] {
  const slash = address.indexOf('/');
  const broker = slash > 0 ? address.slice(0, slash) : home;
  const name = address.slice(slash + 1);
  const has = (on: OnBroker | undefined, what: string) =>
    on !== undefined && thingsNamed(on, what, kinds).length > 0;
  if (broker !== undefined && names.brokers.has(broker)) {
    const near = nearest(name, namesOn(names, broker, kinds));
    if (near !== undefined && near !== name) return [slash > 0 ? `${broker}/${near}` : near];
  }
  // the very name, on another broker
  const on = [...names.brokers].filter(([, each]) => has(each, name)).map(([id]) => id);
  const likeliest = nearest(broker ?? '', on.length ? on : names.brokers.keys());
  if (on.length > 0 && on.length <= MOST_HINTS)
    return [...new Set([...(likeliest === undefined ? [] : [likeliest]), ...on])].map(
      (each) => `${each}/${name}`,
    );
  const fitting = likeliest && nearest(name, namesOn(names, likeliest, kinds));
  return fitting ? [`${likeliest}/${fitting}`] : [];
}

const namesOn = ({ brokers }: Names, broker: string, kinds: readonly ThingKind[]): string[] =>
  [...(brokers.get(broker) ?? [])].flatMap(([kind, names]) =>
    kinds.includes(kind) ? [...names.keys()] : [],
  );
