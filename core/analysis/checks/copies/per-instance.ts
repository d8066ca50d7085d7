import { type Complaint, check } from '../check.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';

/** A queue for each instance of an app that does not use it so. */
export const perInstance = check({
  id: 'copies/per-instance',
  severity: 'warning',
  finds: 'A queue for each instance of an app that shares it, or does not take from it.',
  why: 'A queue for each instance gives every instance every message; an app that means to share the work does it several times over.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' || !('perInstanceOf' in node.decl) || !node.decl.perInstanceOf) return [];
    const { value: app, place } = node.decl.perInstanceOf;
    const address = addressOf(node.thing);
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const own = takes.filter((edge) => context.node(edge.to)!.thing.name === app);
    const found: Complaint[] = [];
    if (own.length === 0)
      found.push({
        message: `There is one ${address} for each instance of ${app}, but ${app} does not take from it.`,
        place,
        about: node.id,
      });
    for (const edge of takes) {
      const { name } = context.node(edge.to)!.thing;
      const each = edge.consume?.each;
      if (name === app && each?.value === 'share' && (context.app(app)?.instances?.value ?? 1) > 1)
        found.push({
          message: `${app} means to share the work, but each of its instances has a ${address} of its own, with every message.`,
          place: each.place,
          about: node.id,
          also: [edge.to],
          mends: each.from ? [] : [writing(each.place, 'copy')],
        });
      if (name !== app && own.length)
        found.push({
          message: `${name} takes from ${address}, which there is once for each instance of ${app}: which one is open.`,
          place: edge.place,
          about: node.id,
          also: [edge.to],
        });
    }
    return found;
  },
});
