import { check } from '../check.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';
import { plainOrQuoted } from '../../../syntax/render.ts';

/** A statement about a bare name that two things share. */
export const twoMeanings = check({
  id: 'access/two-meanings',
  severity: 'warning',
  finds: 'A statement on a name that two things share.',
  why: 'It speaks of both, and mostly one of them was meant: the other is opened, or closed, unseen.',
  of: 'statement',
  run: (statement, context) =>
    (statement.on?.items ?? []).flatMap(({ value, place, from }) => {
      const meant = context.things().byAddress.get(value) ?? [];
      if (meant.length < 2) return [];
      const written = meant.map(({ kind, broker, name }) => `${kind}:${broker}/${name}`);
      return [
        {
          message: `\`${value}\` names ${meant.map(({ kind }) => `${kind === 'exchange' || kind === 'alias' ? 'an' : 'a'} ${kind}`).join(' and ')}, and ${statement.name ? `“${statement.name.value}”` : 'this statement'} speaks of both: write ${written.map((each) => `\`${each}\``).join(' or ')}, or one after the other.`,
          place,
          about: meant[0]!.id,
          also: meant.slice(1).map(({ id }) => id),
          mends: from
            ? []
            : written.map((each, i) =>
                writing(place, plainOrQuoted(each), `Only the ${meant[i]!.kind} ${addressOf(meant[i]!)}`),
              ),
        },
      ];
    }),
});
