import { type Complaint, check } from '../check.ts';
import { brokenIn } from './linear-schema.ts';
import type { Place } from '../../../syntax/place.ts';

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
          const wrong = domain && brokenIn(domain.schema, value);
          if (wrong) complain(`\`${key}\` is ${JSON.stringify(value)}: ${wrong}`, given!.place);
        }
      }
      if (type.body && example.body) {
        const wrong = brokenIn(type.body.value, example.body.value);
        if (wrong) complain(`the body: ${wrong}`, example.body.place);
      }
      return found;
    }),
});
