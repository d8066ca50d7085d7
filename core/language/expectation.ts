/** Expectations: routing promises, proved on every revision. */
import { named, note } from './common.ts';
import {
  type Infer,
  duration,
  field,
  flag,
  id,
  integer,
  json,
  jsonMap,
  list,
  object,
  shortText,
  text,
} from './shape.ts';

export const expectation = object({
  name: field(text('a name'), 'the promise in words', { required: true }),
  given: field(
    object({
      message: field(id('a message type'), 'messages of this type', { otherwise: 'of any type' }),
      label: field(named('a data label'), 'messages that carry this label', { otherwise: 'with any labels' }),
      from: field(named('app:x'), 'only as this app publishes them', { otherwise: 'whoever publishes them' }),
      key: field(shortText('a routing key'), 'with this key', { otherwise: 'the key its headers make' }),
      headers: field(jsonMap(), 'with these headers', { otherwise: 'as the types have them' }),
      properties: field(jsonMap(), 'with these properties', { otherwise: 'as the types have them' }),
      body: field(json(), 'with this payload', { otherwise: 'as the types have it' }),
    }),
    'the messages it speaks of',
    { required: true },
  ),
  reaches: field(list(named('the address of a store, or app:x'), { orOne: true }), 'where they must arrive', {
    otherwise: 'nothing is promised of it',
  }),
  leadsTo: field(
    list(named('the address of a store, or app:x'), { orOne: true }),
    'where it, or what apps publish because of it, must arrive in the end',
    { otherwise: 'nothing is promised of it' },
  ),
  only: field(flag(), 'and nowhere else', { otherwise: '`false`' }),
  never: field(
    list(named('an address, app:x, tenant:x or broker:x'), { orOne: true }),
    'where they must never arrive',
    { otherwise: 'nothing is promised of it' },
  ),
  copies: field(integer(0), 'how many copies there must be in all', { otherwise: 'any number' }),
  within: field(duration(), 'how long the longest way may take', { otherwise: 'any time' }),
  note,
});

export type ExpectationDecl = Infer<typeof expectation>;
