import { addressOf } from '../../model/address.ts';
import { writing } from '../../model/finding.ts';
import { check, type Complaint } from '../check.ts';

/** A queue for each instance of an app that does not use it so. */
export const perInstance = check({
  id: 'copies/per-instance',
  severity: 'warning',
  finds: 'A queue for each instance of an app that shares it, or does not take from it.',
  why: 'A queue for each instance gives every instance every message; an app that means to share the work does it several times over.',
  of: 'node',
  run: (node, look) => {
    if (node.role !== 'queue' || !('perInstanceOf' in node.decl) || !node.decl.perInstanceOf) return [];
    const { value: app, place } = node.decl.perInstanceOf;
    const address = addressOf(node.thing);
    const takes = look.out(node.id).filter((edge) => edge.kind === 'take');
    const own = takes.filter((edge) => look.node(edge.to)!.thing.name === app);
    const found: Complaint[] = [];
    if (own.length === 0)
      found.push({
        message: `There is one ${address} for each instance of ${app}, but ${app} does not take from it.`,
        place,
        about: node.id,
      });
    for (const edge of takes) {
      const { name } = look.node(edge.to)!.thing;
      const each = edge.consume?.each;
      if (name === app && each?.value === 'share' && (look.app(app)?.instances?.value ?? 1) > 1)
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
