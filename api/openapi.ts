/** The description of the API for programs: OpenAPI 3.1, made of the routes. */
import { object, type ObjectSchema, type Schema } from 'yup';
import { list, record, text, whole } from './kinds.ts';
import { jsonSchema, type Components, type JsonSchema } from './json-schema.ts';
import type { Door, Route } from './route.ts';
import { CHAPTERS, statusOf } from './routes.ts';

const DOORS: Readonly<Record<Door, string>> = {
  open: 'Open to everybody.',
  'signed in': 'For whoever is signed in.',
  read: 'For every member, and tokens of every scope.',
  write: 'For authors, approvers and owners, and tokens of the scope `write`.',
  approve: 'For approvers and owners.',
  operate: 'For operators and owners, and tokens of the scope `operate`.',
  manage: 'For owners.',
};

/** A problem document (RFC 9457); further members say more, such as both sides of a conflict. */
const problem = object({
  type: text(),
  status: whole(),
  title: text(),
  detail: text(),
  /** Each mistake of an input, and where it is. */
  errors: list(record({ path: text(), message: text() })).optional(),
}).meta({ component: 'Problem' });

/** The parts of an OpenAPI document that are made here (OpenAPI 3.1.1 §4.8). */
export interface OpenApi {
  readonly openapi: string;
  readonly info: { readonly title: string; readonly version: string; readonly description: string };
  readonly servers: readonly { readonly url: string }[];
  readonly security: readonly object[];
  readonly tags: readonly { readonly name: string }[];
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components: {
    readonly securitySchemes: object;
    readonly schemas: Readonly<Record<string, JsonSchema>>;
  };
}
export interface Operation {
  readonly operationId: string;
  readonly tags: readonly string[];
  readonly summary: string;
  readonly description: string;
  readonly security?: readonly object[];
  readonly parameters?: readonly {
    readonly name: string;
    readonly in: 'path' | 'query';
    readonly required: boolean;
    readonly schema: JsonSchema;
  }[];
  readonly requestBody?: { readonly required: boolean; readonly content: Content };
  readonly responses: Readonly<Record<string, { readonly description: string; readonly content?: Content }>>;
}
type Content = Readonly<Record<string, { readonly schema: JsonSchema }>>;

const STATUS: Readonly<Record<number, string>> = {
  200: 'It is answered.',
  201: 'It was made.',
  202: 'It was begun.',
  204: 'It was done.',
  302: 'The browser is led on.',
};

/** @param version of the server @returns the description of all routes */
export function openapi(version: string): OpenApi {
  const components: Components = new Map();
  const paths: Record<string, Record<string, Operation>> = {};
  for (const [tag, routes] of Object.entries(CHAPTERS))
    for (const [name, route] of Object.entries(routes)) {
      const [method, path] = name.split(' ') as [string, string];
      const there = (paths[path.replace(/:(\w+)/g, '{$1}')] ??= {});
      there[method.toLowerCase()] = operation(tag, method, path, route, components);
    }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Vondle',
      version,
      description:
        'What the interface does, for programs. They sign in with a token: `authorization: Bearer …`. Everything is JSON in UTF-8; what goes wrong is a problem document (RFC 9457) that says what, where, and how to mend it.',
    },
    servers: [{ url: '/api' }],
    security: [{ token: [] }, { session: [] }],
    tags: Object.keys(CHAPTERS).map((name) => ({ name })),
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'vondle_session' },
      },
      schemas: Object.fromEntries([...components].sort(([a], [b]) => (a < b ? -1 : 1))),
    },
  };
}

function operation(
  tag: string,
  method: string,
  path: string,
  route: Route,
  components: Components,
): Operation {
  const { what, more, door, query, body, bodyOptional, large, answer, type = 'application/json' } = route;
  const schema = (of: Schema) => jsonSchema(of, components);
  const parameters = [
    ...[...path.matchAll(/:(\w+)/g)].map(([, name]) => ({
      name: name!,
      in: 'path' as const,
      required: true,
      schema: { type: /^(number|id|thread|draft)$/.test(name!) ? 'integer' : 'string' },
    })),
    ...Object.entries((query as ObjectSchema<object> | undefined)?.fields ?? {}).map(([name, field]) => ({
      name,
      in: 'query' as const,
      required: (field as unknown as Schema).spec.optional === false,
      schema: schema(field as unknown as Schema),
    })),
  ];
  const status = statusOf(route);
  const size = body ? ` The body has at most ${large ? '32 MiB' : '4 KiB'}.` : '';
  return {
    operationId: operationId(method, path),
    tags: [tag],
    summary: what,
    description: `${more ? `${more} ` : ''}${DOORS[door]}${size}`,
    ...(door === 'open' ? { security: [] } : {}),
    ...(parameters.length ? { parameters } : {}),
    ...(body
      ? {
          requestBody: { required: !bodyOptional, content: { 'application/json': { schema: schema(body) } } },
        }
      : {}),
    responses: {
      [status]: {
        description: STATUS[status]!,
        ...(answer ? { content: { [type]: { schema: schema(answer) } } } : {}),
      },
      default: {
        description: 'What went wrong.',
        content: { 'application/problem+json': { schema: schema(problem) } },
      },
    },
  };
}

/** A name for programs: `GET /topologies/:slug/drafts` is `getTopologiesSlugDrafts`. */
const operationId = (method: string, path: string): string =>
  method.toLowerCase() +
  path
    .split(/[^a-zA-Z]+/)
    .filter(Boolean)
    .map((word) => word[0]!.toUpperCase() + word.slice(1))
    .join('');
