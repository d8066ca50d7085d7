/** Targets: the real brokers of a topology's environments, and which environments are protected. */
import { boolean, number, string, type InferType } from 'yup';
import { list, maybeWhole, record, text, whole, yes } from './kinds.ts';
import type { Routes } from './route.ts';

const LONGEST = 1000;

const name = (what: string) =>
  string()
    .required()
    .max(100)
    .matches(/^[a-z][a-z0-9-]*$/, `${what} is small letters, digits and hyphens, a letter first`);

function anAddress(protocols: readonly string[], says: string) {
  return string()
    .max(LONGEST)
    .test('address', says, (given) => {
      if (given === undefined) return true;
      try {
        const { protocol, hostname, username, password, pathname } = new URL(given);
        // what is in an address is written there percent-encoded (RFC 3986 §2.1), and has to decode
        for (const part of [username, password, pathname]) decodeURIComponent(part);
        return protocols.includes(protocol) && hostname !== '';
      } catch {
        return false;
      }
    });
}

const address = (protocols: readonly string[], says: string) => anAddress(protocols, says).required();

/** How one AMQP 0-9-1 broker is reached: the protocol's address and its HTTP API's, with user and password. */
export const amqpAddresses = record({
  amqp: address(['amqp:', 'amqps:'], 'an AMQP address begins amqp:// or amqps:// and names a host'),
  http: address(
    ['http:', 'https:'],
    'the address of the HTTP API begins http:// or https:// and names a host',
  ),
  /** Where MQTT publishers connect, for probes; not needed else. */
  mqtt: anAddress(['mqtt:', 'mqtts:'], 'an MQTT address begins mqtt:// or mqtts:// and names a host'),
});
export type AmqpAddresses = InferType<typeof amqpAddresses>;

/** How one publish-subscribe service is reached: its administration, with tenant and secret, and the space on it. */
export const hostedAddresses = record({
  service: address(
    ['http:', 'https:'],
    'the address of the service begins http:// or https:// and names a host',
  ),
  space: string()
    .required()
    .matches(/^[a-z0-9][a-z0-9.-]{0,126}$/, 'a space is called by small letters, digits, dots and hyphens'),
});
export type HostedAddresses = InferType<typeof hostedAddresses>;

/** What a target may lead to: an AMQP 0-9-1 broker, or a publish-subscribe service. */
export const TARGET_KINDS = ['amqp', 'hosted'] as const;
export type TargetKind = (typeof TARGET_KINDS)[number];

export const newTarget = record({
  environment: name('environment'),
  broker: name('broker'),
  kind: string().oneOf(TARGET_KINDS).required(),
  /** Of an AMQP 0-9-1 broker. */
  addresses: amqpAddresses.optional().default(undefined),
  /** Of a publish-subscribe service. */
  hosted: hostedAddresses.optional().default(undefined),
  /** A place on the broker that came with the installation, instead of addresses. */
  builtIn: boolean().oneOf([true]).optional(),
}).test(
  'one',
  'say the addresses of its kind, or `builtIn: true`',
  ({ kind, addresses, hosted, builtIn }) =>
    [addresses, hosted, builtIn].filter(Boolean).length === 1 && (kind === 'amqp' ? !hosted : !addresses),
);
/** What is taken in of a broker beside what every broker tells. */
export const takeIn = record({
  /** What its users may do. */
  rights: boolean(),
  /** So many messages of each store are looked at, to guess the types there are. */
  sample: number().integer().min(0).max(100),
});

/** What is tried out: addresses that are not set yet, or a target by its number. */
export const triedTarget = record({
  addresses: amqpAddresses.optional().default(undefined),
  hosted: hostedAddresses.optional().default(undefined),
  target: maybeWhole(),
}).test(
  'one',
  'say the addresses, or the number of a target',
  ({ addresses, hosted, target }) =>
    [addresses, hosted, target].filter((each) => each !== undefined).length === 1,
);
export const protectedEnvironment = record({ environment: name('environment') });
export const protection = record({ protected: boolean().required() });

const target = record({ id: whole(), environment: text(), broker: text(), kind: text() }, 'Target');
export type Target = InferType<typeof target>;

/** What may be connected: the environments and brokers that are declared. */
const places = record(
  {
    environments: list(text()),
    brokers: list(text()),
    /** Those of them that are publish-subscribe services. */
    hosted: list(text()),
    /** All brokers that are declared, those too that cannot be connected yet. */
    all: list(text()),
    /** Whether there is a broker that came with the installation. */
    builtIn: yes(),
    /** Whether a publish-subscribe service came with it. */
    builtInHosted: yes(),
  },
  'Places',
);
export type Places = InferType<typeof places>;

const tried = record({ what: text(), ok: yes(), said: text() }, 'Tried');
export type Tried = InferType<typeof tried>;

export const targetRoutes = {
  'GET /topologies/:slug/targets': {
    what: 'Its targets',
    more: 'Addresses go in and never come out again.',
    door: 'read',
    answer: list(target),
  },
  'GET /topologies/:slug/targets/places': { what: 'What may be connected', door: 'read', answer: places },
  'PUT /topologies/:slug/targets': {
    what: 'Connect a broker of an environment',
    more: 'Both must be declared, by the draft or the newest revision. `builtIn: true` in place of addresses makes a place of its own on the built-in broker, or on the built-in publish-subscribe service.',
    door: 'operate',
    body: newTarget,
    answer: record({ id: whole() }),
  },
  'POST /topologies/:slug/targets/try': {
    what: 'Try a connection out',
    more: 'Each address by itself, and whether the rights suffice, with throw-away things that go with the connection.',
    door: 'operate',
    body: triedTarget,
    answer: record({ tried: list(tried) }),
  },
  'POST /topologies/:slug/targets/:id/taken-in': {
    what: 'What a broker has, as documents of a topology',
    more: 'What is declared there, and who takes now as apps to be named; with `rights` what its users may do (AMQP 0-9-1), with `sample` the types of messages, guessed from so many of each store. Nothing is changed there; what looking at messages does says `GET …/messages/:environment`. Payloads are read for those only whom an owner lets read what is guarded, and that they were is recorded. Begin a topology with the documents by `POST /topologies/taken-in`.',
    door: 'operate',
    body: takeIn,
    status: 200,
    answer: record({
      documents: list(record({ name: text(), text: text() })),
      /** What is there and the language cannot say, a sentence each. */
      unsaid: list(text()),
      /** How many messages were looked at. */
      looked: whole(),
    }),
  },
  'DELETE /topologies/:slug/targets/:id': { what: 'Remove a target', door: 'operate' },
  'GET /topologies/:slug/protections': {
    what: 'The environments in which an approver has to consent',
    door: 'read',
    answer: list(text()),
  },
  'PUT /topologies/:slug/protections/:environment': {
    what: 'Protect an environment, or lift that',
    door: 'approve',
    body: protection,
    answer: record({ environment: text(), protected: yes() }),
  },
} as const satisfies Routes;
