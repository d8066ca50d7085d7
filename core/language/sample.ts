/** Samples: messages kept, to be followed again at every change. */
import { note } from './common.ts';
import { type Infer, field, id, json, jsonMap, object, shortText, text } from './shape.ts';

export const sample = object({
  name: field(text('a name'), 'what to call it', { required: true }),
  group: field(text('a name'), 'what it is kept with', { otherwise: 'none' }),
  message: field(id('a message type'), 'the message type it is of', { required: true }),
  from: field(id('an app'), 'the app that sends it, where several do', {
    otherwise: 'the first app that publishes it',
  }),
  key: field(shortText('a routing key'), 'the routing key, where it is not the one its headers give', {
    otherwise: 'the key its headers make',
  }),
  headers: field(jsonMap(), 'header values', { otherwise: 'none' }),
  properties: field(jsonMap(), 'property values', { otherwise: 'none' }),
  body: field(json(), 'the payload', { otherwise: 'none' }),
  note,
});

export type SampleDecl = Infer<typeof sample>;
