/** Webhooks: who else is told of what goes on in a topology, as CloudEvents. */
import { array, string, type InferType } from 'yup';
import { EVENTS, type EventType } from './events.ts';
import { list, record, text, time, whole, word, yes } from './kinds.ts';
import type { Routes } from './route.ts';

const TYPES = Object.keys(EVENTS) as EventType[];

export const newWebhook = record({
  url: string()
    .required()
    .max(1000)
    .test('url', 'the address begins https:// or http:// and names a host', (given) => {
      if (!given) return true;
      try {
        const { protocol, hostname, username, password, hash } = new URL(given);
        return ['https:', 'http:'].includes(protocol) && hostname !== '' && !username && !password && !hash;
      } catch {
        return false;
      }
    }),
  events: array()
    .of(string().oneOf(TYPES).required())
    .required()
    .min(1, 'say of what it is to be told')
    .max(50),
  /** What the receiver knows us by, sent as `authorization: Bearer …`. */
  token: string()
    .max(500)
    .matches(/^[\x21-\x7e]*$/, 'a token has letters, digits and signs of ASCII, and no spaces'),
});

const OUTCOMES = ['taken', 'given up', 'waiting'] as const;
const delivery = record(
  {
    id: text(),
    type: text(),
    at: time(),
    outcome: word(...OUTCOMES),
    tries: whole(),
    /** What was answered, or what went wrong, at the last try. */
    said: text().nullable(),
  },
  'Delivery',
);
export type Delivery = InferType<typeof delivery>;

const webhook = record(
  {
    id: whole(),
    url: text(),
    events: list(text()),
    /** Whether it has a token; the token itself is never told. */
    token: yes(),
    by: text(),
    createdAt: time(),
    /** Once the receiver said that it is gone, or nothing was taken for long: nothing is sent any more. */
    endedAt: time().nullable(),
    last: delivery.nullable().defined(),
    /** Events that wait to be sent. */
    waiting: whole(),
  },
  'Webhook',
);
export type Webhook = InferType<typeof webhook>;

export const webhookRoutes = {
  'GET /topologies/:slug/webhooks': { what: 'Who else is told', door: 'manage', answer: list(webhook) },
  'POST /topologies/:slug/webhooks': {
    what: 'Tell somebody else of what goes on',
    more: 'The receiver has to agree first: it is asked by OPTIONS with `WebHook-Request-Origin`, and answers with `WebHook-Allowed-Origin` (HTTP 1.1 Web Hooks for Event Delivery §4). It must be at an address that the operator of this server allows.',
    door: 'manage',
    body: newWebhook,
    status: 201,
    answer: record({ id: whole() }),
  },
  'DELETE /topologies/:slug/webhooks/:id': { what: 'Tell them no more', door: 'manage' },
  'POST /topologies/:slug/webhooks/:id/try': {
    what: 'Send an event of no meaning now, and see what is answered',
    door: 'manage',
    answer: record({ taken: yes(), said: text() }),
  },
  'GET /topologies/:slug/webhooks/:id/deliveries': {
    what: 'The newest fifty events of a webhook, and what became of them',
    door: 'manage',
    answer: list(delivery),
  },
} as const satisfies Routes;
