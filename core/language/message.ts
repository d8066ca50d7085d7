/** Message types: what travels. */
import { accept } from './acceptance.ts';
import { labels, named, note } from './common.ts';
import {
  type Infer,
  field,
  flag,
  id,
  json,
  jsonMap,
  list,
  mapOf,
  object,
  shortText,
  size,
  text,
} from './shape.ts';

const example = object({
  name: field(text('a name'), 'what to call this sample'),
  key: field(shortText('a routing key'), 'the routing key, where the type leaves it open'),
  headers: field(jsonMap(), 'header values'),
  properties: field(jsonMap(), 'property values'),
  body: field(json(), 'the payload'),
});

export const messageType = object({
  extends: field(
    list(id('a message type'), { orOne: true }),
    'message types whose headers, body and labels it inherits',
  ),
  key: field(shortText('a routing key'), 'the routing key; {x} is one word, {x...} any number'),
  properties: field(mapOf(jsonMap(), 'parameter'), 'the domains of its properties, as JSON Schemas'),
  headers: field(mapOf(jsonMap(), 'parameter'), 'the domains of its headers, as JSON Schemas'),
  required: field(list(named('a header or property name')), 'headers and properties every such message has'),
  body: field(jsonMap(), 'a JSON Schema 2020-12 of the payload'),
  labels: labels('data labels it carries'),
  size: field(size(), 'a typical payload in bytes'),
  mustArrive: field(flag(), 'no message of this type may be lost on its way'),
  examples: field(list(example), 'sample messages'),
  accept,
  note,
});

export type MessageTypeDecl = Infer<typeof messageType>;
export type ExampleDecl = Infer<typeof example>;
