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
  name: field(text('a name'), 'what to call this sample', { otherwise: 'its number' }),
  key: field(shortText('a routing key'), 'the routing key, where the type leaves it open', {
    otherwise: 'the key its headers make',
  }),
  headers: field(jsonMap(), 'header values', { otherwise: 'none' }),
  properties: field(jsonMap(), 'property values', { otherwise: 'none' }),
  body: field(json(), 'the payload', { otherwise: 'none' }),
});

export const messageType = object({
  extends: field(
    list(id('a message type'), { orOne: true }),
    'message types whose headers, body and labels it inherits',
    { otherwise: 'nothing' },
  ),
  key: field(shortText('a routing key'), 'the routing key; {x} is one word, {x...} any number', {
    otherwise: 'what it extends has, or none',
  }),
  properties: field(mapOf(jsonMap(), 'parameter'), 'the domains of its properties, as JSON Schemas', {
    otherwise: 'any',
  }),
  headers: field(mapOf(jsonMap(), 'parameter'), 'the domains of its headers, as JSON Schemas', {
    otherwise: 'any',
  }),
  required: field(list(named('a header or property name')), 'headers and properties every such message has', {
    otherwise: 'none',
  }),
  body: field(jsonMap(), 'a JSON Schema 2020-12 of the payload', { otherwise: 'anything' }),
  labels: labels('data labels it carries', 'none'),
  size: field(size(), 'a typical payload in bytes', { otherwise: 'not known' }),
  mustArrive: field(flag(), 'no message of this type may be lost on its way', {
    otherwise: 'what it extends has, or `false`',
  }),
  examples: field(list(example), 'sample messages', { otherwise: 'one made of its schemas' }),
  accept,
  note,
});

export type MessageTypeDecl = Infer<typeof messageType>;
export type ExampleDecl = Infer<typeof example>;
