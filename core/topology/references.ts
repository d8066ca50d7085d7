/** Finds every reference that names nothing, or two things at once, and says so where it stands. */
import { withArticle } from '../base/phrase.ts';
import { nearest } from '../base/similar.ts';
import { parseMqttFilter } from '../conditions/mqtt.ts';
import { writing } from '../language/finding.ts';
import { type Memory, Question } from '../incremental/memory.ts';
import type { AppDecl } from '../language/app.ts';
import type { Reading, ReadingFinding } from '../language/reading.ts';
import type { Items } from '../language/shape.ts';
import type { ThingKind } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { plainOrQuoted } from '../syntax/render.ts';
import { appsByDocument } from './apps.ts';
import { type Names, type OnBroker, RESOURCES, lookUp, thingsNamed } from './address.ts';
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

/** What was found in one part, and the brokers on which it was looked. */
interface Looked {
  readonly findings: readonly ReadingFinding[];
  readonly brokers: ReadonlyMap<string, OnBroker | undefined>;
}

const PARTS = new Question<ReadonlyMap<string, Looked>>('references');

/** Declarations that name nothing but what is on their own broker, with what was on it then. */
const RIGHT = new Question<WeakMap<object, OnBroker>>('right references');

/** Whether a use names one thing on a broker. */
const isOn = ({ value, means }: Use, on: OnBroker): boolean =>
  means.by === 'address' && thingsNamed(on, value.value, means.kinds).length === 1;

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
  const right = memory.own(RIGHT, () => new WeakMap<object, OnBroker>());
  const apps = appsByDocument(declared, memory);
  const parts = new Map([...partsIn(declared, apps)].map((part) => [part.id, part]));
  let looked = new Set<string>();
  const on = new Map([...parts].map(([id, { whole }]) => [id, [whole, names.spreads, ...names.ids]]));
  const all = memory.each(
    PARTS,
    on,
    (part): Looked => {
      const before = reading.findings.length;
      looked = new Set();
      const home = part.startsWith('broker ') ? names.brokers.get(part.slice('broker '.length)) : undefined;
      for (const { owner, uses } of parts.get(part)!.namings((each) => right.get(each) === home)) {
        const wrong = reading.findings.length;
        uses.forEach(use);
        // a binding names only what is on its broker, as a rule
        if (home && reading.findings.length === wrong && uses.every((each) => isOn(each, home)))
          right.set(owner, home);
      }
      if (part.startsWith('apps ')) topicFilters(apps.get(part.slice('apps '.length))!);
      const findings = reading.findings.splice(before);
      return { findings, brokers: new Map([...looked].map((each) => [each, names.brokers.get(each)])) };
    },
    // names elsewhere come and go without a word here
    { holds: ({ brokers }) => [...brokers].every(([id, then]) => names.brokers.get(id) === then) },
  );
  for (const { findings } of all.values()) for (const finding of findings) reading.findings.push(finding);

  function topicFilters(of: Items<AppDecl>): void {
    for (const { value: app } of of.values()) {
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
  }

  function use({ value, means }: Use): void {
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
