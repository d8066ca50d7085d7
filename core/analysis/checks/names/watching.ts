import { isThing, missing } from '../access/about-nothing.ts';
import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { nearest } from '../../../base/similar.ts';
import { listed } from '../../../base/phrase.ts';
import { writing } from '../../../language/finding.ts';
import type { Thing } from '../../../language/thing.ts';
import { covers } from '../../../routing/permission.ts';
import type { RoutingGraph } from '../../../routing/graph.ts';
import type { Located } from '../../../syntax/place.ts';
import { LONGEST_KEPT_MS, STORES_ONLY, askedIn, isWatched } from '../../watch/declared.ts';

/** An alert or a tap that can tell nothing. */
export const watchingNothing = check({
  id: 'names/watch',
  severity: 'warning',
  finds: 'An alert or a tap that can tell nothing: of what is not there, or by what cannot be seen there.',
  why: 'Nobody is woken by an alert that cannot go off, and silence is taken for health.',
  of: 'whole',
  run: (graph, context) => {
    const { watch, taps } = graph.topology.declared;
    const found: Complaint[] = [];
    const names = new Set<string>();
    for (const { name, on, when, in: where } of watch?.items ?? []) {
      const of = `“${name?.value ?? 'an alert'}”`;
      found.push(...placesOf(graph, context, of, on?.items), ...environmentsOf(graph, of, where?.items));
      if (name && names.has(name.value))
        found.push({
          message: `Two alerts are called ${of}, so nobody can tell which of them it was: give each a name of its own.`,
          place: name.place,
          about: '',
        });
      if (name) names.add(name.value);
      const asked = askedIn(when);
      if (when && asked.length === 0)
        found.push({
          message: `${of} asks nothing: say under \`when\` how many \`waiting\`, how \`oldest\`, or another of its keys.`,
          place: when.place,
          about: '',
        });
      const cannot = asked.filter((key) => STORES_ONLY.includes(key));
      for (const each of on?.items ?? []) {
        const entries = covered(context, each.value).filter(({ kind }) => isEntry(kind));
        if (cannot.length && entries.length)
          found.push({
            message: `${of} asks about ${listed(cannot.map((key) => `\`${key}\``))}, which ${each.value} has not: nothing waits in an exchange or a topic. Ask about the store behind it, or for \`comes\` or \`quiet\`.`,
            place: each.place,
            about: entries[0]!.id,
          });
      }
    }
    for (const { on, keep, in: where } of taps?.items ?? []) {
      found.push(
        ...placesOf(graph, context, 'A tap', on?.items),
        ...environmentsOf(graph, 'A tap', where?.items),
      );
      if (keep && keep.value > LONGEST_KEPT_MS)
        found.push({
          message: 'A tap keeps copies for 90 days at most; what is older is forgotten all the same.',
          place: keep.place,
          about: '',
          mends: keep.from ? [] : [writing(keep.place, '90d')],
        });
    }
    return found;
  },
});

const isEntry = (kind: Thing['kind']) => kind === 'exchange' || kind === 'topic';

const covered = (context: CheckContext, pattern: string): Thing[] =>
  context.things().all.filter((each) => covers(pattern, each));

function placesOf(
  { topology }: RoutingGraph,
  context: CheckContext,
  of: string,
  places: readonly Located<string>[] = [],
): Complaint[] {
  return places.flatMap((each) => {
    if (!isThing(context, each.value)) return [missing(of, 'is about', each, context.things().addresses)];
    const things = covered(context, each.value);
    if (things.length === 0 || things.some((one) => isWatched(topology, one))) return [];
    return [
      {
        message: `${of} is about \`${each.value}\`, which holds nothing itself on a broker: name the exchange, topic, queue or subscription that messages pass.`,
        place: each.place,
        about: things[0]!.id,
      },
    ];
  });
}

function environmentsOf(
  { topology }: RoutingGraph,
  of: string,
  environments: readonly Located<string>[] = [],
): Complaint[] {
  const known = topology.declared.environments;
  return environments.flatMap(({ value, place, from }) => {
    if (known?.has(value)) return [];
    const hint = nearest(value, known?.keys() ?? []);
    return [
      {
        message: `${of} is for the environment \`${value}\`, which is not there.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
        place,
        about: '',
        mends: hint && !from ? [writing(place, hint)] : [],
      },
    ];
  });
}
