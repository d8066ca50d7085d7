import { type Complaint, check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';
import { removeIn, setIn } from '../../../syntax/edit/edit.ts';
import { plainOrQuoted } from '../../../syntax/render.ts';

/** A link that carries nothing: inactive, emptied by others, or with ends that do not go together. */
export const linkEnd = check({
  id: 'nowhere/link-end',
  severity: 'warning',
  finds: 'A link that is not active, whose queue others empty, or whose ends do not go together.',
  why: 'Messages for the other broker wait in the link’s queue, or are turned away at the far end.',
  of: 'link',
  run: (id, context) => {
    const decl = context.link(id);
    const about = `link:${id}`;
    if (!decl?.from || !decl.to) return [];
    const found: Complaint[] = [];
    if (decl.active?.value === false)
      found.push({
        message: `Link ${id} is not active: what comes to ${decl.from.value} waits there.`,
        place: decl.active.place,
        about,
        mends: decl.active.from ? [] : [writing(decl.active.place, 'true', 'Make it active')],
      });
    const queue = [`queue:${decl.from.value}`, decl.from.value]
      .map((each) => context.node(each))
      .find(Boolean);
    if (!queue) return found;
    const edge = context.out(queue.id).find((each) => each.kind === 'link' && each.link?.thing.name === id);
    if (!edge) return found;
    const target = context.node(edge.to)!;
    if (target.thing.broker === queue.thing.broker)
      found.push({
        message: `Link ${id} begins and ends on ${queue.thing.broker}: a binding or a dead letter does that without a link.`,
        place: decl.place,
        about,
        severity: 'error',
      });
    if (target.role === 'exchange' && target.decl.internal?.value)
      found.push({
        message: `Link ${id} publishes to ${addressOf(target.thing)}, which is internal: everything is refused there.`,
        place: decl.to.place,
        about,
        severity: 'error',
      });
    const { receives } = decl;
    const expected = receives?.from;
    const begins = [decl.from.value, `queue:${decl.from.value}`];
    if (expected && !begins.includes(expected.value) && `queue:${expected.value}` !== decl.from.value)
      found.push({
        message: `The far end of link ${id} expects messages of ${expected.value}, but the link takes from ${decl.from.value}: nothing is let in there.`,
        place: expected.place,
        about,
        severity: 'error',
        mends: expected.from
          ? []
          : [writing(expected.place, plainOrQuoted(decl.from.value), `Write \`${decl.from.value}\``)],
      });
    for (const [name, value] of [
      ['keys', receives?.keys],
      ['batch', receives?.batch],
    ] as const) {
      if (!value) continue;
      const { place } = 'items' in value ? { place: value.items[0]?.place ?? receives!.place } : value;
      found.push({
        message: `\`${name}\` of link ${id} is decided where it begins; set at its far end too, it is refused or left unheard.`,
        place,
        about,
        mends: [
          {
            title: `Take \`${name}\` away there`,
            edit: (topology) => removeIn(topology, receives!.place, name),
          },
        ],
      });
    }
    const others = context
      .out(queue.id)
      .filter((each) => each.kind === 'take' || (each.kind === 'link' && each.id !== edge.id));
    if (others.length) {
      const names = [
        ...new Set(others.map((each) => each.link?.thing.name ?? context.node(each.to)!.thing.name)),
      ];
      found.push({
        message: `${listed(names)} also take from ${addressOf(queue.thing)}: each message goes to one of them, not to all.`,
        place: decl.from.place,
        about,
        also: [queue.id],
      });
    }
    const room =
      queue.role === 'queue' && 'maxLength' in queue.decl ? queue.decl.maxLength?.value : undefined;
    if (decl.batch && room !== undefined && room < decl.batch.value)
      found.push({
        message: `Link ${id} carries ${decl.batch.value} at a time, but ${addressOf(queue.thing)} keeps at most ${room}: what does not fit is lost before it travels.`,
        place: decl.batch.place,
        about,
        mends: [
          {
            title: `Carry ${room} at a time`,
            edit: (topology) => setIn(topology, decl.place, ['batch'], room),
          },
        ],
      });
    return found;
  },
});
