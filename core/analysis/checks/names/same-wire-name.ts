import { kindOf } from '../../../brokers/kinds.ts';
import { type Complaint, check } from '../check.ts';

/** Two things that are one and the same on the broker. */
export const sameWireName = check({
  id: 'names/same-wire-name',
  severity: 'error',
  finds: 'Two things of one kind on a broker with the same wire name.',
  why: 'On the broker they are one: declaring it twice with other settings is refused, and with the same ones two plans share one thing.',
  of: 'broker',
  run: ({ name: broker, decl: value }, context) => {
    // names in the text are different already
    if (!context.wireNamed(broker)) return [];
    return kindOf(value)
      .resources(value)
      .flatMap(([kind, items]): Complaint[] => {
        const byWire = new Map<string, string>();
        const found: Complaint[] = [];
        for (const { name, key, value: decl } of items?.values() ?? []) {
          const wire = decl.wireName?.value ?? name;
          const before = byWire.get(wire);
          if (before === undefined) byWire.set(wire, name);
          else
            found.push({
              message: `${kind} ${broker}/${name} has the wire name \`${wire}\`, as ${broker}/${before} has: on the broker they are one ${kind}.`,
              place: decl.wireName?.place ?? key,
              about: `${kind}:${broker}/${name}`,
              also: [`${kind}:${broker}/${before}`],
            });
        }
        return found;
      });
  },
});
