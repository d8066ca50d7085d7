/** Takes in what a space of a publish-subscribe service has. */
import type { TextDocument } from '../../base/edits.ts';
import { type Json, plainOrQuoted } from '../../syntax/render.ts';
import type { HostedThing } from '../rollout/hosted.ts';
import {
  type Adopted,
  Apps,
  Ids,
  type TakersNow,
  UNKNOWN_PUBLISHER,
  appFor,
  publisherFor,
  flow,
  line,
  section,
  smallIdFor,
  wire,
} from './names.ts';
import { type NamesThere, hostedSaid } from './said.ts';
import type { Guessed } from './types.ts';

/**
 * @param broker what the broker is to be called
 * @param tenant whose the space is
 * @param takers apps are made of them, to be named better by who knows them
 * @param guessed message types of what lies there, and who sent it to which topic
 * @returns documents that ask of a service for just what this space has
 */
export function adoptHosted(
  things: readonly HostedThing[],
  broker: string,
  tenant: string | undefined,
  takers: TakersNow = new Map(),
  guessed?: Guessed,
): Adopted {
  const unsaid: string[] = [...(guessed?.notes ?? [])];
  const note = (sentence: string) => void unsaid.push(sentence);
  const of = (kind: HostedThing['kind']) => things.filter((each) => each.kind === kind);
  const ids = (kind: HostedThing['kind']) => new Ids(of(kind).map(({ name }) => name));
  const [topics, queues, subscriptions] = [ids('topic'), ids('queue'), ids('subscription')];
  const addressed = (kind: string, id: string | undefined) =>
    id === undefined ? undefined : `${kind}:${broker}/${id}`;
  const names: NamesThere = {
    exchange: () => undefined,
    queue: (name) => addressed('queue', queues.of(name)),
    topic: (name) => addressed('topic', topics.of(name)),
  };
  const tenants = new Set<string>();
  const linesOf = (kind: HostedThing['kind'], own: Ids) =>
    of(kind).flatMap((thing) => {
      const said = hostedSaid(thing, names, note);
      if (!said) {
        own.drop(thing.name);
        return [];
      }
      if (typeof said['tenant'] === 'string') tenants.add(said['tenant']);
      const id = own.of(thing.name)!;
      return [line(id, { ...said, ...wire(id, thing.name) })];
    });
  const access = of('service')[0]?.settings['access'];
  const lines = [
    'brokers:',
    `  ${plainOrQuoted(broker)}:`,
    '    kind: pubsub',
    `    access: ${access === 'open' ? 'open' : 'controlled'}`,
    ...section('topics', linesOf('topic', topics)),
    ...section('queues', linesOf('queue', queues)),
    ...section('subscriptions', linesOf('subscription', subscriptions)),
  ];
  const apps = new Apps();
  for (const kind of ['queue', 'subscription'] as const)
    for (const [name, id] of (kind === 'queue' ? queues : subscriptions).entries())
      for (const taker of takers.get(name) ?? [])
        apps.of(appFor(taker)).consumes.push({ from: `${kind}:${broker}/${id}` });
  for (const { app, message, entry } of guessed?.sent ?? []) {
    const to = addressed('topic', topics.of(entry));
    if (to === undefined) continue;
    if (app === '' && !unsaid.includes(UNKNOWN_PUBLISHER)) note(UNKNOWN_PUBLISHER);
    apps.of(publisherFor(app)).publishes.push({ message, to });
  }
  const local = { topic: topics, queue: queues, subscription: subscriptions };
  const statements = of('statement').flatMap((thing) =>
    statementSaid(thing, broker, local, tenants, apps, note),
  );
  const documents: TextDocument[] = [
    { name: 'broker.yaml', text: `${lines.join('\n')}\n` },
    ...(statements.length
      ? [
          {
            name: 'access.yaml',
            text: `${['access:', ...statements.map((each) => `  - ${flow(each)}`)].join('\n')}\n`,
          },
        ]
      : []),
    ...apps.documents(),
    ...(guessed?.documents ?? []),
  ];
  // every caller and owner that is named has to be there
  const owner = tenant === undefined ? undefined : smallIdFor(tenant) === tenant ? tenant : undefined;
  if (owner !== undefined) tenants.add(owner);
  const known = [...tenants].filter((each) => smallIdFor(each) === each);
  for (const each of tenants)
    if (!known.includes(each))
      note(`The tenant ${each} cannot be called so in documents; name it otherwise there.`);
  if (known.length)
    documents.push({
      name: 'tenants.yaml',
      text: `${[...(owner === undefined ? [] : [`tenant: ${owner}`]), 'tenants:', ...known.map((each) => `  ${each}: {}`)].join('\n')}\n`,
    });
  return { documents, unsaid };
}

type Local = Readonly<Record<'topic' | 'queue' | 'subscription', Ids>>;

function statementSaid(
  { name, settings }: HostedThing,
  broker: string,
  local: Local,
  tenants: Set<string>,
  apps: Apps,
  note: (sentence: string) => void,
): object[] {
  const place = (address: string): string => {
    if (address.includes('*')) return `${broker}/${address}`;
    for (const kind of ['topic', 'queue', 'subscription'] as const) {
      const id = local[kind].of(address);
      if (id !== undefined) return `${kind}:${broker}/${id}`;
    }
    return `${broker}/${address}`;
  };
  const {
    who = [],
    on = [],
    when,
    ...others
  } = settings as {
    readonly who?: readonly string[];
    readonly on?: readonly string[];
    readonly when?: Readonly<Record<string, Json>>;
  } & Record<string, Json>;
  const callers = who.flatMap((each) => {
    const [, kind, own] = /^(\w+):(.+)$/s.exec(each) ?? [];
    if (kind === 'topic') {
      const id = local.topic.of(own!);
      return [`topic:${broker}/${id ?? own!}`];
    }
    if (kind === 'tenant') tenants.add(own!);
    if (kind === 'app') apps.of(own!);
    if (kind === 'link')
      note(`The statement ${name} speaks of the link ${own!}, which no broker tells of: declare it.`);
    return [each];
  });
  if (callers.length === 0) return [];
  const source = when?.['source'];
  if (typeof when?.['tenant'] === 'string') tenants.add(when['tenant']);
  return [
    {
      name,
      ...others,
      who: callers,
      on: on.map(place),
      ...(when
        ? { when: { ...when, ...(source === undefined ? {} : { source: place(String(source)) }) } }
        : {}),
    },
  ];
}
