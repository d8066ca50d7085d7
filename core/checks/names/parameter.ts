import { removeAt, setAt } from '../../language/edit.ts';
import { listed } from '../../model/phrase.ts';
import { check, type Complaint } from '../check.ts';

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
              edit: ({ documents, declared: now }) => {
                const given = [...(now.environments ?? [])].filter(([, each]) =>
                  each.value.values?.has(name),
                );
                const edits = [
                  removeAt(documents, ['parameters', name]),
                  ...given.map(([id]) => removeAt(documents, ['environments', id, 'values', name])),
                ];
                return edits.every((each) => each.ok)
                  ? { ok: true, edits: edits.flatMap((each) => (each.ok ? each.edits : [])) }
                  : edits.find((each) => !each.ok)!;
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
                  edit: ({ documents, declared: now }) => {
                    const known = [...(now.environments?.values() ?? [])].map(
                      (each) => each.value.values?.get(name)?.value.value,
                    );
                    const usual = known.find((each) => each !== undefined);
                    return usual === undefined
                      ? { ok: false, message: 'No environment gives it a value yet; write one.' }
                      : setAt(documents, ['environments', lacking[0]!, 'values', name], usual);
                  },
                },
              ]
            : [],
        });
      return found;
    });
  },
});
