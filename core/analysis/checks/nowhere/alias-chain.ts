import { check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';

/** Nobody reads through more aliases in a row. */
const LONGEST = 64;

/** An alias that leads round in a circle, or to another broker without a link that goes there. */
export const aliasChain = check({
  id: 'nowhere/alias-chain',
  severity: 'error',
  finds:
    'An alias that leads in a circle, through very many others, or to another broker without a link that goes there.',
  why: 'What is published to such an alias arrives nowhere.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'alias') return [];
    const complain = (message: string) => [{ message, place: node.place, about: node.id }];
    const seen = new Set([node.id]);
    let smaller = false;
    for (let at = node.id; ;) {
      const edge = context.out(at).find(({ kind }) => kind === 'alias');
      // one that names nothing is told about where it is read
      if (!edge) break;
      if (edge.to === node.id) {
        if (smaller) return [];
        const names = [...seen, edge.to].map((id) => addressOf(context.node(id)!.thing));
        return complain(`The alias ${addressOf(node.thing)} leads in a circle: ${names.join(' → ')}.`);
      }
      // a circle is told once, at the first of it by name; what leads into one is mended with it
      if (seen.has(edge.to)) return [];
      if (context.node(edge.to)?.role !== 'alias') break;
      if (seen.size >= LONGEST) {
        const first = !context.into(node.id).some(({ kind }) => kind === 'alias');
        return first
          ? complain(`${addressOf(node.thing)} leads through more than ${LONGEST} other aliases.`)
          : [];
      }
      if (edge.to < node.id) smaller = true;
      seen.add(edge.to);
      at = edge.to;
    }
    const own = context.out(node.id).find(({ kind }) => kind === 'alias');
    const target = own && context.node(own.to);
    if (!own || !target || target.role === 'spread' || target.thing.broker === node.thing.broker) return [];
    const { broker } = target.thing;
    if (!own.link)
      return complain(
        `${addressOf(node.thing)} stands for ${addressOf(target.thing)} on another broker, but names no link that goes there: write \`over\`.`,
      );
    const { from, to } = own.link.decl;
    const ends = [brokerIn(from?.value), brokerIn(to?.value)];
    if (ends[0] === node.thing.broker && ends[1] === broker) return [];
    return complain(
      `${addressOf(node.thing)} goes over ${own.link.thing.name} to ${broker}, but that link goes from ${ends[0]} to ${ends[1]}.`,
    );
  },
});

const brokerIn = (address: string | undefined): string =>
  (address ?? '').replace(/^(?:queue|exchange|topic|alias):/, '').split('/')[0]!;
