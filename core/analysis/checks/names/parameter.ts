import { type Complaint, check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { removeAt, setAt } from '../../../syntax/edit/edit.ts';
import { together } from '../../../syntax/edit/proved.ts';
import type { Topology } from '../../../topology/topology.ts';

/** A parameter that nothing uses, or that an environment leaves without a value. */
export const parameter = check({
  id: 'names/parameter',
  severity: 'warning',
  finds: 'A parameter that nothing uses, or that has no value in some environment.',
  why: 'An unused parameter promises that changing it does something; one without a value leaves part of the topology unreadable there.',
  of: 'whole',
  run: ({ topology }) => {
    const { declared, usedParameters } = topology;
    return [...(declared.parameters?.values() ?? [])].flatMap(({ name, key, value }): Complaint[] => {
      const about = `parameter:${name}`;
      const found: Complaint[] = [];
      if (!usedParameters.has(name))
        found.push({
          message: `Nothing uses the parameter \`${name}\`.`,
          place: key,
          about,
          severity: 'advice',
          mends: [
            {
              title: 'Take it away',
              edit: (topology) => {
                const given = [...(topology.declared.environments ?? [])].filter(([, each]) =>
                  each.value.values?.has(name),
                );
                return together(topology, [
                  removeAt(topology, ['parameters', name]),
                  ...given.map(([id]) => removeAt(topology, ['environments', id, 'values', name])),
                ]);
              },
            },
          ],
        });
      const lacking = value.default
        ? []
        : [...(declared.environments ?? [])]
            .filter(([, each]) => !each.value.values?.has(name))
            .map(([id]) => id);
      if (lacking.length)
        found.push({
          message: `\`${name}\` has no default and no value in ${listed(lacking)}.`,
          place: key,
          about,
          severity: 'error',
          mends: lacking.length
            ? [
                {
                  title: `Give it a value in ${lacking[0]}`,
                  offered: (topology) => usualValue(topology, name) !== undefined,
                  edit: (topology) =>
                    setAt(
                      topology,
                      ['environments', lacking[0]!, 'values', name],
                      usualValue(topology, name)!,
                    ),
                },
              ]
            : [],
        });
      return found;
    });
  },
});

/** What the first environment that gives a parameter a value gives it. */
const usualValue = ({ declared }: Topology, name: string) =>
  [...(declared.environments?.values() ?? [])]
    .map(({ value }) => value.values?.get(name)?.value.value)
    .find((each) => each !== undefined);
