import { type Need, isMet, keysOn, narrowest, needsOf } from '../../access/needs.ts';
import { keyWords } from '../../classes/variety.ts';
import { arrivalOf } from '../../classes/verdicts.ts';
import type { CheckContext } from '../context.ts';
import type { Edge } from '../../../brokers/terms.ts';
import { type Complaint, check } from '../check.ts';
import { counted } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';
import { addItem } from '../../../syntax/edit/edit.ts';
import type { Mend } from '../../../topology/topology.ts';

/** So many other ways that need the same are pointed at. */
const MOST_RELATED = 20;

/** Somebody who moves messages and has no permission to. */
export const missingPermission = check({
  id: 'access/missing-permission',
  severity: 'error',
  finds: 'A publisher, topic, link or taker without permission for what its way needs.',
  why: 'Everyone who moves a message needs permission. A topic without permission to publish into the queue it hands to is the usual case: every message on this way is refused, and nobody is told.',
  of: 'node',
  run: (node, context) => {
    const decide = context.decide();
    // one statement is missing, however many ways need it
    const missing = new Map<string, { need: Need; why: string; by: boolean; ways: Edge[] }>();
    for (const edge of context.out(node.id)) {
      for (const need of needsOf(context, edge)) {
        // few are held to keys
        const keys = () =>
          edge.kind === 'publish' ? publishedKeys(context, edge) : keysOn(context.arrivals(node.id), edge);
        const { allowed, why, by } = isMet(decide, need, keys);
        if (allowed) continue;
        const id = `${need.who.thing.id} ${need.action} ${need.on.id} ${why}`;
        const known = missing.get(id);
        if (known) known.ways.push(edge);
        else missing.set(id, { need, why, by: by !== undefined, ways: [edge] });
      }
    }
    return [...missing.values()].map(({ need, why, by, ways }): Complaint => {
      const { edge: way, on } = need;
      const others = ways.slice(1);
      const more = others.length ? ` The same is missing for ${counted(others.length, 'other way')}.` : '';
      return {
        message: `${whatFails(need)}, but ${why}. ${consequence(need)}${more}`.trim(),
        place: way.place,
        about: on.id,
        also: [
          ...new Set([
            need.who.thing.id,
            ...ways.flatMap(({ from, to, subscription }) => [
              from,
              to,
              ...(subscription ? [subscription.id] : []),
            ]),
          ]),
        ],
        related: others.slice(0, MOST_RELATED).map(({ place }) => ({ place, message: 'needs the same' })),
        // a deny wins over whatever is allowed
        mends: by ? [] : [giving(need, context.owner(on))],
      };
    });
  },
});

/** The keys that an app's messages have where it is asked whether it may send them: their own, before a queue's name is one. */
function publishedKeys(context: CheckContext, { publish, to }: Edge) {
  const type = context.arrivals(to).find((each) => each.type.id === publish?.message?.value)?.type;
  const key = type?.key?.value;
  if (!type || key === undefined) return undefined;
  const words = keyWords(
    arrivalOf(type, publish!.via?.value === 'mqtt' ? key.replaceAll('/', '.') : key, false),
  );
  return words && [words];
}

function whatFails({ who, action, on, edge, source }: Need): string {
  const { thing } = who;
  if (edge.kind === 'subscription')
    return `Topic ${addressOf(thing)} may not publish into ${addressOf(on)}: subscription ${edge.label} hands messages to this queue`;
  if (thing.kind === 'link')
    return action === 'consume'
      ? `Link ${thing.name} may not take from ${addressOf(on)}: it is to carry on what comes there`
      : `Link ${thing.name} may not publish to ${addressOf(on)}: it is to deliver there what it takes from ${source ? addressOf(source) : 'its queue'}`;
  return action === 'consume'
    ? `${thing.name} may not consume from ${addressOf(on)}: it is declared to take from there`
    : `${thing.name} may not publish to ${addressOf(on)}: it is declared to send ${edge.label} there`;
}

/** What comes of it that somebody may not. */
const consequence = ({ edge, action }: Need): string =>
  edge.kind === 'link' && action === 'publish'
    ? 'What it carries is refused there.'
    : (CONSEQUENCE[edge.kind] ?? '');

const CONSEQUENCE: Readonly<Partial<Record<Need['edge']['kind'], string>>> = {
  subscription: 'Every message on this way is refused.',
  publish: 'Every message it sends there is refused.',
  link: 'What comes to its queue waits.',
  take: 'What comes there stays.',
};

/** The mend that adds the narrowest statement. */
export function giving(need: Need, owner: string | undefined): Mend {
  // told now: whose somebody is must not be asked about by who opens the finding later
  const statement = narrowest(need, owner) as Parameters<typeof addItem>[2];
  return {
    title: 'Give the narrowest permission',
    edit: (topology) => addItem(topology, ['access'], statement),
  };
}
