import { isCaller, missing } from '../access/about-nothing.ts';
import { type Complaint, check } from '../check.ts';

/** An expectation about something that is not there. */
export const expectationAboutNothing = check({
  id: 'names/expectation',
  severity: 'warning',
  finds: 'An expectation about a store, an app, a tenant or a label that is not there.',
  why: 'It promises nothing: “never” about nobody always holds, and what should be reached never is.',
  of: 'whole',
  run: ({ topology }, context) => {
    let known: Set<string> | undefined;
    const labels = () =>
      (known ??= new Set([...topology.messages.values()].flatMap((type) => [...type.labels])));
    return (topology.declared.expectations?.items ?? []).flatMap(
      ({ name, given, reaches, leadsTo, never }): Complaint[] => {
        const of = `“${name?.value ?? 'an expectation'}”`;
        const found: Complaint[] = [];
        const { from, label } = given ?? {};
        for (const each of [reaches, leadsTo, never].flatMap((list) => list?.items ?? []).concat(from ?? []))
          if (!isCaller(context, each.value))
            found.push(missing(of, 'speaks of', each, [...context.callers(), ...context.things().addresses]));
        if (label && !labels().has(label.value))
          found.push(missing(of, 'speaks of the label', label, labels()));
        return found;
      },
    );
  },
});
