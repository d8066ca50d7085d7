/** The page of everything that can be stated, from the description that the reader itself uses. */
import type { Fields, Shape } from '../language/shape.ts';
import { document } from './document.ts';

/** One construct of the language: what people call it, where it stands, and its shape. */
export interface Construct {
  readonly title: string;
  readonly path: string;
  readonly fields: Fields;
}

const TITLES: Readonly<Record<string, string>> = {
  '': 'A document',
  'tenants.x': 'A tenant',
  'labels.x': 'A data label',
  'parameters.x': 'A parameter',
  'environments.x': 'An environment',
  'messages.x': 'A message type',
  'messages.x.examples[]': 'An example of a message type',
  'apps.x': 'An app',
  'apps.x.publishes[]': 'A publish of an app',
  'apps.x.consumes[]': 'A take of an app',
  'apps.x.hands[]': 'What an app hands on',
  'brokers.x amqp': 'An AMQP 0-9-1 broker',
  'brokers.x.mqtt': 'Its MQTT side',
  'brokers.x.exchanges.x': 'An exchange',
  'brokers.x.queues.x': 'An AMQP 0-9-1 queue',
  'brokers.x.bindings[]': 'A binding',
  'brokers.x.bindings[].headers': 'The condition on a headers exchange',
  'brokers.x.aliases.x': 'An alias',
  'brokers.x pubsub': 'A publish-subscribe broker',
  'brokers.x.topics.x': 'A topic',
  'brokers.x.queues.x pubsub': 'A queue of a publish-subscribe broker',
  'brokers.x.subscriptions.x': 'A subscription',
  'links.x': 'A link',
  'links.x.receives': 'The far end of a link',
  'spreads.x': 'A spread',
  'access[]': 'A statement of access',
  'access[].when': 'What narrows a statement',
  review: 'Who must agree',
  'review.owners[]': 'Who answers for what',
  'samples[]': 'A sample',
  'expectations[]': 'An expectation',
  'expectations[].given': 'What an expectation speaks of',
  'watch[]': 'An alert',
  'watch[].when': 'What must hold for an alert',
  'taps[]': 'A tap',
  deadLetter: 'Where given-up messages go',
  'accept[]': 'An accepted finding',
};

/** @returns every construct of the language once, in the order a document has them */
export function constructs(): Construct[] {
  const found = new Map<string, Construct>();
  const add = (shape: Shape<unknown>, path: string, kind = ''): void => {
    // the filters have a table of their own
    if (path.endsWith('.filter')) return;
    for (const [variant, each] of Object.entries(shape.variants ?? {})) add(each, path, variant);
    if (shape.variants) return;
    if (shape.fields) {
      const named = /(?:^|\.)(accept\[\]|deadLetter)$/.exec(path)?.[1] ?? path;
      const title = TITLES[`${named} ${kind}`] ?? TITLES[named];
      if (title === undefined) throw new Error(`The reference has no title for ${named} ${kind}.`);
      if (!found.has(title)) found.set(title, { title, path: named, fields: shape.fields });
      for (const [name, field] of Object.entries(shape.fields))
        add(field.shape, path ? `${path}.${name}` : name, kind);
      return;
    }
    if (shape.items) add(shape.items, shape.byName ? `${path}.x` : `${path}[]`, kind);
  };
  add(document, '');
  const shared = ['deadLetter', 'accept[]'];
  const all = [...found.values()];
  return [
    ...all.filter(({ path }) => !shared.includes(path)),
    ...all.filter(({ path }) => shared.includes(path)),
  ];
}

/** @returns tables in Markdown, one a construct: its keys, what each says, and what holds where it is not stated */
export function settingsReference(): string {
  return constructs()
    .map(({ title, fields }) => {
      const rows = Object.entries(fields)
        .filter(([name]) => name !== 'note' && (name !== 'accept' || title === 'A document'))
        .map(
          ([name, { about, otherwise, required, shape }]) =>
            `| \`${name}\` | ${cell(about)} | ${required ? '**must be stated**' : cell(otherwise ?? (shape.items ? 'none' : ''))} |`,
        );
      return [`### ${title}`, '', '| key | what it says | without it |', '|---|---|---|', ...rows, ''].join(
        '\n',
      );
    })
    .join('\n');
}

const cell = (text: string): string => text.replaceAll('|', '\\|');

/** @returns the page of the language with its tables as they are now, between their marks */
export const withSettings = (page: string): string =>
  page.replace(/(<!-- made from [^]*?-->\n)[^]*?(<!-- end -->)/, (_, head: string, end: string) =>
    [head, settingsReference(), end].join('\n'),
  );
