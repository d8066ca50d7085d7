import { Validator, type Schema } from '@cfworker/json-schema';
import type { Place } from '../../model/place.ts';
import { check, type Complaint } from '../check.ts';

/** An example that is no message of its type. */
export const badExample = check({
  id: 'loss/bad-example',
  severity: 'warning',
  finds: 'An example that breaks the schema of its message type.',
  why: 'Either the example misleads whoever reads it, or the schema does; what is tried with it proves nothing.',
  of: 'message',
  run: (type) =>
    type.examples.flatMap((example, index): Complaint[] => {
      const name = example.name?.value ?? `example ${index + 1}`;
      const about = `message:${type.id}`;
      const found: Complaint[] = [];
      const complain = (what: string, place: Place) =>
        found.push({ message: `Example “${name}” of ${type.id} breaks its schema: ${what}.`, place, about });
      for (const part of ['headers', 'properties'] as const) {
        const given = example[part];
        for (const [key, value] of Object.entries(given?.value ?? {})) {
          const domain = type[part].get(key);
          const wrong = domain && breach(domain.schema, value);
          if (wrong) complain(`\`${key}\` is ${JSON.stringify(value)}: ${wrong}`, given!.place);
        }
      }
      if (type.body && example.body) {
        const wrong = breach(type.body.value, example.body.value);
        if (wrong) complain(`the body: ${wrong}`, example.body.place);
      }
      return found;
    }),
});

/** What a value breaks of a JSON Schema 2020-12, in words; undefined for nothing, or a schema that cannot be used. */
function breach(schema: Readonly<Record<string, unknown>>, value: unknown): string | undefined {
  try {
    const { valid, errors } = new Validator(schema as Schema, '2020-12', false).validate(value);
    const last = errors.at(-1);
    if (valid || !last) return undefined;
    const at = last.instanceLocation.replace(/^#\/?/, '');
    return `${last.error.replace(/\.$/, '')}${at ? ` (at ${at})` : ''}`;
  } catch {
    // a reference to a file, which only its owner has
    return undefined;
  }
}
