import { type Complaint, check } from '../check.ts';
import { Unusable, breach } from './linear-schema.ts';
import { nearest } from '../../../base/similar.ts';
import type { Domain } from '../../../topology/messages.ts';

/** Every keyword of JSON Schema 2020-12, and what is known beside it. */
const KEYWORDS = new Set(
  `$schema $id $ref $anchor $dynamicRef $dynamicAnchor $vocabulary $comment $defs definitions allOf anyOf oneOf not if then else
  dependentSchemas dependentRequired prefixItems items contains properties patternProperties additionalProperties
  propertyNames unevaluatedItems unevaluatedProperties type enum const multipleOf maximum exclusiveMaximum minimum
  exclusiveMinimum maxLength minLength pattern maxItems minItems uniqueItems maxContains minContains maxProperties
  minProperties required title description default deprecated readOnly writeOnly examples format contentEncoding
  contentMediaType contentSchema`.split(/\s+/),
);

/** Members that hold a schema, a list of them, or schemas by name. */
const ONE = new Set(
  'not if then else items contains additionalProperties propertyNames unevaluatedItems unevaluatedProperties contentSchema'.split(
    ' ',
  ),
);
const SEVERAL = new Set(['allOf', 'anyOf', 'oneOf', 'prefixItems']);
const BY_NAME = new Set(['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas']);

const isMap = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Deeper schemas are told of as that. */
const DEEPEST = 100;

/** @returns the words in a schema that look like keywords and are none */
function* strange(schema: unknown, depth = 0): Generator<string> {
  if (!isMap(schema) || depth > DEEPEST) return;
  for (const [key, value] of Object.entries(schema)) {
    if (!KEYWORDS.has(key)) yield key;
    else if (ONE.has(key)) yield* strange(value, depth + 1);
    else if (SEVERAL.has(key) && Array.isArray(value))
      for (const each of value) yield* strange(each, depth + 1);
    else if (BY_NAME.has(key) && isMap(value))
      for (const each of Object.values(value)) yield* strange(each, depth + 1);
  }
}

/** A schema that cannot be used, or has a word in it that means nothing. */
export const badSchema = check({
  id: 'loss/schema',
  severity: 'warning',
  finds: 'A header, property or body whose JSON Schema cannot be used, or has a misspelt keyword.',
  why: 'A keyword that nobody knows is passed over: what it was to keep out is let in. Of a schema that cannot be used nothing is checked at all.',
  of: 'message',
  run: (type) => {
    const found: Complaint[] = [];
    const look = (what: string, { schema, place }: Pick<Domain, 'schema' | 'place'>) => {
      const complain = (message: string) => found.push({ message, place, about: `message:${type.id}` });
      for (const word of new Set(strange(schema))) {
        const hint = nearest(word, KEYWORDS);
        // words of one's own begin with x-, or mean nothing like a keyword
        if (hint)
          complain(
            `\`${word}\` means nothing in the schema of ${what} of ${type.id}. Did you mean \`${hint}\`?`,
          );
      }
      try {
        breach(schema, '');
      } catch (error) {
        if (!(error instanceof Unusable)) throw error;
        complain(`The schema of ${what} of ${type.id} cannot be used: ${error.message}.`);
      }
    };
    for (const part of ['headers', 'properties'] as const)
      for (const [name, domain] of type[part]) if (domain.declaredBy === type.id) look(`\`${name}\``, domain);
    if (type.decl.body && type.body) look('the body', { schema: type.body.value, place: type.body.place });
    return found;
  },
});
