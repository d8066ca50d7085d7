/** The administration of the stand-in: what it answers, as data; its routes and their description are made of it. */
import { anything, list, record, text, whole, word } from '@vondle/api/kinds';
import { jsonSchema, type Components } from '@vondle/api/json-schema';
import { Hono, type Context } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { boolean, number, string, ValidationError, type InferType, type Schema } from 'yup';
import {
  KINDS,
  PLURAL,
  space as spaceShape,
  user as userShape,
  type Kind,
  type Settings,
} from '../setup/kinds.ts';
import type { Intake } from '../messages/intake.ts';
import { data, encode } from '../messages/encoding.ts';
import { partsOf } from '../messages/sections.ts';
import { bodyOf, seenOf, TYPE } from '../messages/seen.ts';
import type { Signed } from '../setup/space.ts';
import type { Spaces } from '../setup/spaces.ts';
import { answerOf, none, Problem } from './problem.ts';
import type { Admin, Administration } from './service.ts';

const LARGEST_BODY = 256 * 1024;

/** A message that is sent by hand: as whom, and what. */
const sending = record(
  {
    as: string()
      .matches(/^(app|link):./, '${path} is no app:x or link:x')
      .max(260)
      .required(),
    tenant: string().max(255).required(),
    subject: string().max(10_000),
    messageId: string().max(10_000),
    group: string().max(255),
    type: string().max(10_000),
    priority: number().integer().min(0).max(255),
    headers: anything('application properties: texts, numbers, true or false').optional(),
    body: anything('its body, as JSON').optional(),
  },
  'Sending',
);
const lying = record(
  {
    id: whole(),
    arrivedAt: text(),
    /** As whom it was sent, as statements speak of them; null where that was not noted. */
    sentBy: text().nullable(),
    tries: whole(),
    inHand: word('yes', 'no'),
    headers: anything('its application properties'),
    properties: anything('its properties, as conditions name them'),
    body: anything('its body: JSON, text, or its bytes in base64'),
    died: anything('why and where it was given up last').nullable(),
  },
  'Lying',
);

const ids = () => list(number().integer().min(1).required()).min(1).max(1000);
/** Messages that are moved, by their ids as they are browsed. */
const moving = record({ to: string().max(255).required(), ids: ids(), copy: boolean() }, 'Moving');
const destroying = record({ ids: ids() }, 'Destroying');

interface Asked {
  readonly admin: Admin;
  readonly at: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, string>>;
  readonly body: unknown;
}
interface Route {
  readonly what: string;
  readonly body?: Schema;
  readonly query?: Readonly<Record<string, string>>;
  readonly answer?: Schema;
  readonly status?: 200 | 201 | 204;
  run(asked: Asked): Promise<unknown>;
}

const DESTROYS = { destroys: 'how many messages may be destroyed; 0 where nothing is said' };

function countIn(text: string | undefined, otherwise: number): number {
  if (text === undefined) return otherwise;
  if (!/^\d{1,9}$/.test(text)) throw new Problem(400, 'No number', 'A number of messages is a whole number.');
  return Number(text);
}

function idIn(text: string | undefined): number {
  if (text === undefined) return 0;
  if (!/^\d{1,15}$/.test(text)) throw new Problem(400, 'No number', 'An id of a message is a whole number.');
  return Number(text);
}

/** @returns the routes, by method and path */
function routesOf(service: Administration, spaces: Spaces, intake: Intake): Record<string, Route> {
  const routes: Record<string, Route> = {
    'PUT /tenants/:tenant': {
      what: 'Makes a tenant, or gives one a new secret. The operator may, and the tenant itself.',
      answer: record({ secret: text() }, 'Secret'),
      run: ({ admin, at }) => service.putTenant(admin, at['tenant']!),
    },
    'GET /spaces': {
      what: 'The spaces that may be seen.',
      answer: record({ spaces: list(record({ name: text(), tenant: text(), access: text() })) }, 'Spaces'),
      run: async ({ admin }) => ({ spaces: await service.listSpaces(admin) }),
    },
    'GET /spaces/:space': {
      what: 'All a space has, and how its stores stand.',
      answer: anything('name, tenant, access, change, topics, queues, subscriptions, statements and users'),
      run: ({ admin, at }) => service.setup(admin, at['space']!),
    },
    'PUT /spaces/:space': {
      what: 'Makes a space, or changes whether it is controlled.',
      body: spaceShape,
      run: ({ admin, at, body }) => service.putSpace(admin, at['space']!, body as never),
      status: 204,
    },
    'DELETE /spaces/:space': {
      what: 'Removes a space with all it has.',
      query: DESTROYS,
      status: 204,
      run: ({ admin, at, query }) => service.removeSpace(admin, at['space']!, countIn(query['destroys'], 0)),
    },
    'PUT /spaces/:space/users/:user': {
      what: 'Makes a user, or gives one a new secret, which is told this once.',
      body: userShape,
      answer: record({ name: text(), secret: text() }, 'Credentials'),
      run: ({ admin, at, body }) => service.putUser(admin, at['space']!, at['user']!, body as never),
    },
    'DELETE /spaces/:space/users/:user': {
      what: 'Removes a user; its connections end.',
      status: 204,
      run: ({ admin, at }) => service.removeUser(admin, at['space']!, at['user']!),
    },
    'GET /spaces/:space/stores/:name/messages': {
      what: 'The oldest messages of a store. None is taken.',
      query: {
        most: 'at most so many; 20 where nothing is said, 100 at most',
        after: 'only those that came after the one of this id',
      },
      answer: record({ messages: list(lying) }, 'Browsed'),
      run: async ({ admin, at, query }) => {
        const found = await service.browse(
          admin,
          at['space']!,
          at['name']!,
          countIn(query['most'], 20),
          idIn(query['after']),
        );
        return {
          messages: found.map(({ id, bare, annotations, sentBy, arrivedAt, readyAt, lease, tries, died }) => {
            const { decoded } = partsOf(Buffer.concat(annotations ? [annotations, bare] : [bare]));
            const { headers, properties } = seenOf(decoded);
            const inHand = lease !== null && readyAt.getTime() > Date.now() ? 'yes' : 'no';
            return {
              id,
              arrivedAt: arrivedAt.toISOString(),
              sentBy,
              tries,
              inHand,
              headers,
              properties,
              body: bodyOf(decoded),
              died,
            };
          }),
        };
      },
    },
    'POST /spaces/:space/stores/:name/messages/move': {
      what: 'Moves messages to another store of the space, or copies them there, all at one stroke.',
      body: moving,
      answer: record({ moved: whole() }, 'Moved'),
      run: async ({ admin, at, body }) => {
        const { to, ids, copy = false } = body as InferType<typeof moving>;
        return { moved: await service.move(admin, at['space']!, at['name']!, { to, ids, copy }) };
      },
    },
    'POST /spaces/:space/stores/:name/messages/destroy': {
      what: 'Destroys messages of a store that are named, and that nobody has in hand.',
      body: destroying,
      answer: record({ destroyed: whole() }, 'Destroyed'),
      run: async ({ admin, at, body }) => {
        const { ids } = body as InferType<typeof destroying>;
        return { destroyed: await service.destroy(admin, at['space']!, at['name']!, ids) };
      },
    },
    'DELETE /spaces/:space/stores/:name/messages': {
      what: 'Empties a store.',
      query: DESTROYS,
      answer: record({ destroyed: whole() }, 'Destroyed'),
      run: async ({ admin, at, query }) => ({
        destroyed: await service.empty(admin, at['space']!, at['name']!, countIn(query['destroys'], 0)),
      }),
    },
    'POST /spaces/:space/entries/:name/messages': {
      what: 'Sends a message to a topic or queue as somebody, with what they may do and nothing more.',
      body: sending,
      answer: record({ copies: whole() }, 'Sent'),
      run: async ({ admin, at, body }) => {
        await service.mayAdminister(admin, at['space']!);
        return sendAs(spaces, intake, at['space']!, at['name']!, body as Sending);
      },
    },
  };
  for (const [plural, kind] of Object.entries(PLURAL)) {
    routes[`PUT /spaces/:space/${plural}/:name`] = {
      what: `Makes a ${kind}, or changes its settings; all of them are told each time.`,
      body: KINDS[kind],
      status: 204,
      run: ({ admin, at, body }) =>
        service.put(admin, at['space']!, kind, at['name']!, pruned(body) as Settings),
    };
    routes[`DELETE /spaces/:space/${plural}/:name`] = {
      what: `Removes a ${kind}${kind === 'queue' || kind === 'subscription' ? ' with the messages in it' : ''}.`,
      ...(kind === 'queue' || kind === 'subscription' ? { query: DESTROYS } : {}),
      status: 204,
      run: ({ admin, at, query }) =>
        service.remove(admin, at['space']!, kind as Kind, at['name']!, countIn(query['destroys'], 0)),
    };
  }
  return routes;
}

type Sending = {
  as: string;
  tenant: string;
  subject?: string;
  messageId?: string;
  group?: string;
  type?: string;
  priority?: number;
  headers?: Record<string, unknown>;
  body?: unknown;
};

async function sendAs(spaces: Spaces, intake: Intake, at: string, to: string, sent: Sending) {
  const space = await spaces.get(at);
  if (!space || (!space.topics.has(to) && space.stores.get(to)?.kind !== 'queue'))
    throw none(`topic or queue ${to}`);
  const who: Signed = { space: at, user: '', tenant: sent.tenant, actsAs: sent.as, encrypted: true };
  const why = space.mayNot(who, 'publish', to);
  if (why) throw new Problem(403, 'Not allowed', why);
  const { headers = {}, subject, messageId, group, type, priority, body = null } = sent;
  for (const [name, value] of Object.entries(headers))
    if (!['string', 'number', 'boolean'].includes(typeof value))
      throw new Problem(422, 'Not understood', `headers.${name}: it is a text, a number, true or false`);
  const properties = encode({
    ...(subject === undefined ? {} : { subject }),
    ...(messageId === undefined ? {} : { message_id: messageId }),
    ...(group === undefined ? {} : { group_id: group }),
    ...(priority === undefined ? {} : { priority }),
    ...(type === undefined ? {} : { message_annotations: { [TYPE]: type } }),
    content_type: 'application/json',
    durable: true,
    application_properties: headers,
    body: data(Buffer.from(JSON.stringify(body))),
  });
  const outcome = await intake.send(space, to, partsOf(properties), sent.as);
  if (!outcome.taken) throw new Problem(409, 'Not taken', outcome.why);
  return { copies: outcome.copies };
}

/** What was not said is not kept as said to be nothing. */
function pruned(value: unknown): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value;
  return Object.fromEntries(
    Object.entries(value).flatMap(([name, each]) => (each === undefined ? [] : [[name, pruned(each)]])),
  );
}

/** Where clients connect: the port, and whether by TLS. */
export interface Clients {
  readonly port: number;
  readonly tls: boolean;
}

/** @returns the administration as something that answers requests */
export function administration(
  service: Administration,
  spaces: Spaces,
  intake: Intake,
  clients: Clients,
): Hono {
  const app = new Hono();
  app.onError((error, c) => {
    if (error instanceof Problem) return answerOf(c, error);
    console.error(`the administration failed at ${c.req.method}: ${error.name}`);
    return answerOf(
      c,
      new Problem(500, 'A mistake of ours', 'Something went wrong here. Nothing was changed.'),
    );
  });
  app.notFound((c) => answerOf(c, none('such thing here')));
  app.use(
    bodyLimit({
      maxSize: LARGEST_BODY,
      onError: (c) => answerOf(c, new Problem(413, 'Too large', `A body has at most ${LARGEST_BODY} bytes.`)),
    }),
  );
  const routes = routesOf(service, spaces, intake);
  const description = openapiOf(routes);
  app.get('/health', async (c) => c.json({ ok: true, service: await service.id(), clients }));
  app.get('/openapi.json', (c) => c.json(description));
  for (const [route, { body, status = 200, run }] of Object.entries(routes)) {
    const [method, path] = route.split(' ') as [string, string];
    app.on(method, path, async (c) => {
      const admin = await whoAsks(c, service);
      const input = body ? read(body, await c.req.json().catch(() => undefined)) : undefined;
      const answer = await run({ admin, at: c.req.param(), query: c.req.query(), body: input });
      return status === 204 ? c.body(null, 204) : c.json(answer as object, status);
    });
  }
  return app;
}

/** @throws Problem 401 where nobody says who they are, or wrongly (HTTP Basic, RFC 7617) */
async function whoAsks(c: Context, service: Administration): Promise<Admin> {
  const said = /^Basic ([A-Za-z0-9+/=]{1,2000})$/.exec(c.req.header('authorization') ?? '')?.[1];
  const [, name = '', secret = ''] =
    /^([^:]*):(.*)$/s.exec(said === undefined ? '' : Buffer.from(said, 'base64').toString('utf8')) ?? [];
  const admin = name ? await service.who(name, secret) : undefined;
  if (!admin) throw new Problem(401, 'Who asks', 'Sign in as operator or as a tenant, with its secret.');
  return admin;
}

function read(schema: Schema, input: unknown): unknown {
  try {
    return schema.validateSync(input, { strict: true, abortEarly: false });
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    const errors = (error.inner.length ? error.inner : [error])
      .slice(0, 20)
      .map(({ path = '', message }) => ({ path, message }));
    throw new Problem(422, 'Not understood', errors.map(({ message }) => message).join('; '), { errors });
  }
}

/** @returns the description of the routes for programs (OpenAPI 3.1) */
export function openapiOf(routes: Record<string, Route>): object {
  const components: Components = new Map();
  const paths: Record<string, Record<string, object>> = {};
  for (const [route, { what, body, query = {}, answer, status = 200 }] of Object.entries(routes)) {
    const [method, path] = route.split(' ') as [string, string];
    const names = [...path.matchAll(/:(\w+)/g)].map((match) => match[1]!);
    (paths[path.replace(/:(\w+)/g, '{$1}')] ??= {})[method.toLowerCase()] = {
      operationId: route
        .toLowerCase()
        .replace(/[^a-z]+/g, '-')
        .replace(/-$/, ''),
      summary: what,
      parameters: [
        ...names.map((name) => ({ name, in: 'path', required: true, schema: { type: 'string' } })),
        ...Object.entries(query).map(([name, description]) => ({
          name,
          in: 'query',
          required: false,
          description,
          schema: { type: 'integer', minimum: 0 },
        })),
      ],
      ...(body
        ? {
            requestBody: {
              required: true,
              content: { 'application/json': { schema: jsonSchema(body, components) } },
            },
          }
        : {}),
      responses: {
        [status]: {
          description: 'It is done.',
          ...(answer && status !== 204
            ? { content: { 'application/json': { schema: jsonSchema(answer, components) } } }
            : {}),
        },
        default: {
          description: 'It is not done, and why (RFC 9457).',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
        },
      },
    };
  }
  components.set('Problem', {
    type: 'object',
    properties: {
      type: { type: 'string' },
      status: { type: 'integer' },
      title: { type: 'string' },
      detail: { type: 'string' },
    },
    required: ['type', 'status', 'title', 'detail'],
  });
  return {
    openapi: '3.1.1',
    info: {
      title: 'Administration of the stand-in',
      version: '1',
      description: 'A simulated publish-subscribe service.',
    },
    security: [{ basic: [] }],
    paths,
    components: {
      securitySchemes: { basic: { type: 'http', scheme: 'basic' } },
      schemas: Object.fromEntries(components),
    },
  };
}
