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
      message: field(id('a message type'), 'messages of this type'),
      label: field(named('a data label'), 'messages that carry this label'),
      from: field(named('app:x'), 'only as this app publishes them'),
      key: field(shortText('a routing key'), 'with this key'),
      headers: field(jsonMap(), 'with these headers'),
      properties: field(jsonMap(), 'with these properties'),
      body: field(json(), 'with this payload'),
    }),
    'the messages it speaks of',
    { required: true },
  ),
  reaches: field(list(named('the address of a store, or app:x'), { orOne: true }), 'where they must arrive'),
  only: field(flag(), 'and nowhere else'),
  never: field(
    list(named('an address, app:x, tenant:x or broker:x'), { orOne: true }),
    'where they must never arrive',
  ),
  copies: field(integer(0), 'how many copies there must be in all'),
  within: field(duration(), 'how long the longest way may take'),
  note,
});

export type ExpectationDecl = Infer<typeof expectation>;
