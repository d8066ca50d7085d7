/**
 * JSON Schemas in documents of their own, beside those of the topology: what stands in a folder `schemas` and ends in
 * `.json` declares nothing, and may be named by `$ref` from headers, properties and bodies.
 */

type Json = Readonly<Record<string, unknown>>;

/** Schemas by the names of their documents. */
export type Schemas = ReadonlyMap<string, unknown>;

/** @returns whether a document of that name holds a schema, and nothing of the topology */
export const isSchemaDocument = (name: string): boolean => /(?:^|\/)schemas\/.*\.json$/.test(name);

const isMap = (value: unknown): value is Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Whether a `$ref` names another document. */
const leads = (reference: unknown): reference is string =>
  typeof reference === 'string' && !reference.startsWith('#') && !/^[a-z][a-z0-9+.-]*:/i.test(reference);

const namesOthers = (schema: unknown): boolean =>
  Array.isArray(schema)
    ? schema.some(namesOthers)
    : isMap(schema) &&
      Object.entries(schema).some(([key, value]) => (key === '$ref' ? leads(value) : namesOthers(value)));

/** @returns the name of a document as another one names it, relative to its own folder */
function resolved(reference: string, from: string): string {
  const path = from.split('/').slice(0, -1);
  for (const step of reference.split('/')) {
    if (step === '..') path.pop();
    else if (step !== '.' && step !== '') path.push(step);
  }
  return path.join('/');
}

/**
 * @param doc the document the schema is written in
 * @returns the schema with those it names in other documents put into its `$defs`, each once, so that it can be used
 *   by itself; the same object where it names none. What is not there goes on being named.
 */
export function withSchemas(schema: Json, doc: string, schemas: Schemas): Json {
  if (schemas.size === 0 || !namesOthers(schema)) return schema;
  const taken = new Map<string, { readonly id: string; made?: unknown }>();
  /** @param home where `#` leads in what is rewritten */
  const rewritten = (value: unknown, from: string, home: string): unknown => {
    if (Array.isArray(value)) return value.map((each) => rewritten(each, from, home));
    if (!isMap(value)) return value;
    return Object.fromEntries(
      Object.entries(value).flatMap(([key, each]): [string, unknown][] => {
        // inside of another schema these would say where references lead
        if (home !== '#' && (key === '$id' || key === '$schema')) return [];
        if (key !== '$ref' || typeof each !== 'string') return [[key, rewritten(each, from, home)]];
        if (each.startsWith('#')) return [[key, home + each.slice(1)]];
        const [file = '', pointer = ''] = each.split('#');
        const name = resolved(file, from);
        return leads(each) && schemas.has(name) ? [[key, take(name) + pointer]] : [[key, each]];
      }),
    );
  };
  const take = (name: string): string => {
    const known = taken.get(name);
    if (known) return known.id;
    const entry: { id: string; made?: unknown } = {
      id: `#/$defs/document ${taken.size + 1}`.replace(' ', '-'),
    };
    taken.set(name, entry);
    entry.made = rewritten(schemas.get(name), name, entry.id);
    return entry.id;
  };
  const own = rewritten(schema, doc, '#') as Json;
  const defs = [...taken.values()].map(({ id, made }) => [id.slice('#/$defs/'.length), made] as const);
  return { ...own, $defs: { ...(isMap(own['$defs']) ? own['$defs'] : {}), ...Object.fromEntries(defs) } };
}
