/** JSON Schema (2020-12, as OpenAPI 3.1 has it) of what inputs and answers are checked by. */
import type { ArraySchema, ObjectSchema, Schema, SchemaDescription } from 'yup';

export type JsonSchema = { [member: string]: unknown };

/** Schemas that others refer to, by name. */
export type Components = Map<string, JsonSchema>;

const TYPES: Readonly<Record<string, JsonSchema>> = {
  string: { type: 'string' },
  number: { type: 'number' },
  boolean: { type: 'boolean' },
  // a point in time comes as text
  date: { type: 'string', format: 'date-time' },
  mixed: {},
};

/**
 * @param components where schemas with a name are kept; what has one is referred to
 * @returns the JSON Schema that says what a schema says, as far as JSON Schema can: a test that is more than a
 *   bound, a pattern or a choice is left out
 */
export function jsonSchema(schema: Schema, components: Components): JsonSchema {
  const { component } = schema.spec.meta ?? {};
  const nullable = schema.spec.nullable === true;
  if (component === undefined) return orNull(plain(schema, components), nullable);
  if (!components.has(component)) {
    // named before it is looked into: it may hold itself
    components.set(component, {});
    components.set(component, plain(schema, components));
  }
  return orNull({ $ref: `#/components/schemas/${component}` }, nullable);
}

function orNull(schema: JsonSchema, nullable: boolean): JsonSchema {
  if (!nullable) return schema;
  if (typeof schema['type'] !== 'string') return { anyOf: [schema, { type: 'null' }] };
  const { enum: words } = schema as { enum?: unknown[] };
  return { ...schema, type: [schema['type'], 'null'], ...(words ? { enum: [...words, null] } : {}) };
}

function plain(schema: Schema, components: Components): JsonSchema {
  const { either, row, values, format, what } = schema.spec.meta ?? {};
  const inner = (each: Schema) => jsonSchema(each, components);
  const described = schema.describe() as SchemaDescription;
  const said = what === undefined ? {} : { description: what };
  if (either) return { ...said, anyOf: either.map(inner) };
  if (row) return { ...said, type: 'array', prefixItems: row.map(inner), items: false, minItems: row.length };
  if (values)
    return { ...said, type: 'object', additionalProperties: values === true ? true : inner(values) };
  const choices = described.oneOf.filter((each) => each !== null && each !== undefined);
  return {
    ...said,
    ...(TYPES[schema.type] ?? {}),
    ...(schema.type === 'object' ? ofObject(schema as ObjectSchema<object>, inner) : {}),
    ...(schema.type === 'array' ? ofArray(schema as ArraySchema<unknown[], object>, inner) : {}),
    ...(format === undefined ? {} : { format }),
    ...(choices.length ? { enum: choices } : {}),
    ...bounds(schema.type, described.tests),
  };
}

function ofObject(schema: ObjectSchema<object>, inner: (schema: Schema) => JsonSchema): JsonSchema {
  const fields = Object.entries(schema.fields as unknown as Record<string, Schema>);
  const needed = fields.flatMap(([name, field]) => (field.spec.optional === false ? [name] : []));
  return {
    type: 'object',
    properties: Object.fromEntries(fields.map(([name, field]) => [name, inner(field)])),
    ...(needed.length ? { required: needed } : {}),
    ...(schema.describe().tests.some(({ name }) => name === 'noUnknown')
      ? { additionalProperties: false }
      : {}),
  };
}

const ofArray = (
  schema: ArraySchema<unknown[], object>,
  inner: (schema: Schema) => JsonSchema,
): JsonSchema => ({
  type: 'array',
  ...(schema.innerType ? { items: inner(schema.innerType as Schema) } : {}),
});

function bounds(type: string, tests: SchemaDescription['tests']): JsonSchema {
  const found: JsonSchema = {};
  for (const { name, params = {} } of tests) {
    if (name === 'integer') found['type'] = 'integer';
    // text that is required is not empty either
    if (name === 'required' && type === 'string') found['minLength'] ??= 1;
    if (name === 'matches' && params['regex'] instanceof RegExp) found['pattern'] = params['regex'].source;
    if (name === 'min')
      found[type === 'string' ? 'minLength' : type === 'array' ? 'minItems' : 'minimum'] = params['min'];
    if (name === 'max')
      found[type === 'string' ? 'maxLength' : type === 'array' ? 'maxItems' : 'maximum'] = params['max'];
  }
  return found;
}
