/** What the words mean that Vondle uses. The page docs/glossary.md and what is said of a name in the text come from here. */

/** One word. */
export interface Term {
  readonly term: string;
  readonly words: string;
  /** The key of the language that things of this kind are declared under. */
  readonly key?: string;
}

export const GLOSSARY: readonly Term[] = [
  {
    term: 'access',
    key: 'access',
    words:
      'Statements that say who may do what on which thing. On a controlled broker what no statement allows is refused; one that denies wins.',
  },
  {
    term: 'alert',
    key: 'watch',
    words:
      'What somebody is to be told of a running environment: too much waits, for too long, nobody takes, nothing comes.',
  },
  {
    term: 'alias',
    key: 'aliases',
    words: 'Another name for an entry: of the same broker, or over a link of another one.',
  },
  {
    term: 'app',
    key: 'apps',
    words: 'A program that publishes, takes, or both; in one or several instances.',
  },
  {
    term: 'binding',
    key: 'bindings',
    words:
      'The rule by which an exchange gives a message to a queue or another exchange: a key, a pattern, or headers.',
  },
  { term: 'broker', key: 'brokers', words: 'A running message server, or one namespace of a hosted one.' },
  {
    term: 'class of messages',
    words:
      'All messages that end alike. Every message that can be sent is in exactly one; a promise about a type is proved by trying one message of each class that it can tell apart.',
  },
  {
    term: 'copy',
    words: 'What of a message comes to rest in one store. One message may become many copies.',
  },
  {
    term: 'dead letter',
    key: 'deadLetter',
    words:
      'A message that its store gave up: it expired, was rejected, had no room, or was tried too often. Where there is a place for it, it goes there.',
  },
  {
    term: 'draft',
    words:
      'The state of the documents that is being worked on. Everybody who may write sees and changes the same one.',
  },
  {
    term: 'end',
    words:
      'How one branch of a trace finishes: held, taken, lost, sent back, refused, waiting, unresolved, looped or endless.',
  },
  {
    term: 'entry',
    words: 'What a publisher addresses: an exchange, a topic, a queue, an alias or a spread.',
  },
  {
    term: 'environment',
    key: 'environments',
    words: 'A set of parameter values with brokers of its own: a rehearsal, the real thing.',
  },
  {
    term: 'exchange',
    key: 'exchanges',
    words:
      'Where an AMQP 0-9-1 broker routes: direct by equal keys, topic by patterns, headers by values, fanout to everything bound. It keeps nothing.',
  },
  {
    term: 'expectation',
    key: 'expectations',
    words: 'A promise about where messages go, kept with the topology and tried at every change.',
  },
  {
    term: 'fan-out',
    words: 'How one message becomes many copies: by every binding and subscription that it meets.',
  },
  {
    term: 'filter',
    key: 'filter',
    words: 'The condition of a subscription: a selector, equal values, or beginnings of texts.',
  },
  {
    term: 'finding',
    words:
      'One thing that the checks found wrong: an error, a warning or advice, with the line it stands in.',
  },
  {
    term: 'link',
    key: 'links',
    words:
      'A store-and-forward path from a queue of one broker to an entry of another. What it cannot carry now waits in the queue.',
  },
  {
    term: 'message type',
    key: 'messages',
    words:
      'What travels: its key, its headers and properties with the values they may have, its payload, and the labels of the data in it.',
  },
  {
    term: 'mend',
    words: 'An edit of the documents that removes a finding, shown and tried before it is made.',
  },
  {
    term: 'parameter',
    key: 'parameters',
    words: 'A value with a name that differs between environments, written ${name} where it is used.',
  },
  {
    term: 'permission',
    words:
      'What a statement of access gives. Whoever moves a message needs one: the app that publishes, a topic that hands to a queue, a link at both ends, the app that takes.',
  },
  { term: 'probe', words: 'A real message, sent after a rollout to see that it lands where the trace says.' },
  {
    term: 'queue',
    key: 'queues',
    words:
      'Where messages wait, in order, until somebody takes them. Each goes to one of those who take from it.',
  },
  {
    term: 'review',
    key: 'review',
    words:
      'Others looking at a draft before it becomes a revision; who has to agree is written in the topology itself.',
  },
  {
    term: 'revision',
    words:
      'A saved state of the documents, numbered, which never changes again. Only revisions are carried out on brokers.',
  },
  { term: 'rollout', words: 'Making a broker as a revision says, step by step, each of them listed before.' },
  {
    term: 'routing key',
    key: 'key',
    words:
      'The words, with dots between, by which AMQP 0-9-1 exchanges route. In a pattern * is one word and # any number.',
  },
  {
    term: 'sample',
    key: 'samples',
    words: 'A whole message kept with the topology, followed again at every change.',
  },
  {
    term: 'spread',
    key: 'spreads',
    words:
      'One name for the same queue on several brokers, and how a message picks one: in turn, the nearest, or by weights.',
  },
  { term: 'store', words: 'Where a copy comes to rest: a queue, or the backlog of a subscription.' },
  {
    term: 'subscription',
    key: 'subscriptions',
    words:
      'A named copy of what a topic receives, as far as its filter lets through: kept by itself, or handed to a queue.',
  },
  { term: 'taker', words: 'An app that takes from a store.' },
  {
    term: 'tap',
    key: 'taps',
    words: 'A declared copy of what passes a place, kept for a time, to see later where a message went.',
  },
  {
    term: 'target',
    words:
      'The connection to a broker of an environment, kept sealed by the server and never in the documents.',
  },
  { term: 'tear-down', words: 'Removing from a target what this topology made there, and nothing else.' },
  { term: 'tenant', key: 'tenants', words: 'The organisation or account that owns a thing.' },
  {
    term: 'topic',
    key: 'topics',
    words:
      'The named publish point of a publish-subscribe broker. It keeps nothing; each subscription gets a copy.',
  },
  {
    term: 'topology',
    words:
      'All of it together: brokers, what is on them, who uses it, and what travels; a folder of documents.',
  },
  {
    term: 'trace',
    words: 'The full account of one message: every step, copy, refusal and end, each with its reason.',
  },
  {
    term: 'unrouted',
    key: 'unroutedTo',
    words:
      'Of a message: no binding of the exchange matches it. It is lost, unless the exchange says by unroutedTo where such messages go.',
  },
  {
    term: 'wire name',
    key: 'wireName',
    words: 'The name a thing has on the broker, where that is not the one it has here.',
  },
];

const BY_KEY = new Map(GLOSSARY.flatMap((each) => (each.key ? [[each.key, each]] : [])));

/** @returns what a word of the glossary says of a key of the language; undefined for a key that has none of its own */
export const termFor = (key: string): Term | undefined => BY_KEY.get(key);

/** @returns the page of all words, in Markdown */
export function glossaryPage(): string {
  const lines = [...GLOSSARY]
    .sort((a, b) => a.term.localeCompare(b.term))
    .map(({ term, words, key }) => `| **${term}** | ${words} | ${key ? `\`${key}\`` : ''} |`);
  return `# The words

Made from the same source as what the editor says of a key when you point at it; \`npm run schema\` writes this page.

| word | what it means here | declared under |
|---|---|---|
${lines.join('\n')}
`;
}
