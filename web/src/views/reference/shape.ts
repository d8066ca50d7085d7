/** JSON Schemas as one reads them: members and what each is, indented. */
export interface JsonSchema {
  readonly [member: string]: unknown;
  readonly type?: string | readonly string[];
  readonly $ref?: string;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly JsonSchema[];
  readonly properties?: Readonly<Record<string, JsonSchema>>;
  readonly required?: readonly string[];
  readonly items?: JsonSchema | false;
  readonly prefixItems?: readonly JsonSchema[];
  readonly additionalProperties?: JsonSchema | boolean;
}

const WORDS: Readonly<Record<string, string>> = { string: 'text', boolean: 'true or false', null: 'null' };

/** @returns a schema in words and braces; names that stand for shapes of their own begin with a capital letter */
export function shapeOf(schema: JsonSchema, indent = ''): string {
  const deeper = `${indent}  `;
  if (schema.$ref) return schema.$ref.slice(schema.$ref.lastIndexOf('/') + 1);
  if (schema.anyOf) return schema.anyOf.map((each) => shapeOf(each, indent)).join(' or ');
  if (schema.enum) return schema.enum.map((each) => JSON.stringify(each)).join(' or ');
  const types = [schema.type ?? []].flat();
  const [type] = types;
  const orNull = types.length > 1 && types.includes('null') ? ' or null' : '';
  if (type === 'array') {
    if (schema.prefixItems) return `[${schema.prefixItems.map((each) => shapeOf(each, indent)).join(', ')}]`;
    const of = schema.items ? shapeOf(schema.items, indent) : 'anything';
    return `list of ${of}${orNull}`;
  }
  if (type === 'object') {
    const members = Object.entries(schema.properties ?? {});
    if (members.length === 0) {
      const values = schema.additionalProperties;
      return `{ any name: ${typeof values === 'object' ? shapeOf(values, indent) : 'anything'} }${orNull}`;
    }
    const lines = members.map(
      ([name, of]) => `${deeper}${name}${schema.required?.includes(name) ? '' : '?'}: ${shapeOf(of, deeper)}`,
    );
    return `{\n${lines.join('\n')}\n${indent}}${orNull}`;
  }
  if (type === undefined) return (schema['description'] as string | undefined) ?? 'anything';
  return `${schema['format'] === 'date-time' ? 'time' : (WORDS[type] ?? type)}${boundsOf(schema)}${orNull}`;
}

function boundsOf(schema: JsonSchema): string {
  const { minLength, maxLength, minimum, maximum } = schema as Record<string, number | undefined>;
  // what every column holds at most says nothing of a number
  const most = maximum === 2 ** 31 - 1 ? undefined : maximum;
  const least = minimum || undefined;
  const said = [
    ...(minLength === undefined || (minLength === 1 && maxLength === undefined)
      ? []
      : [`at least ${minLength}`]),
    ...(maxLength === undefined ? [] : [`at most ${maxLength} characters`]),
    ...(least === undefined ? [] : [`at least ${least}`]),
    ...(most === undefined ? [] : [`at most ${most}`]),
  ];
  return said.length ? ` (${said.join(', ')})` : '';
}
