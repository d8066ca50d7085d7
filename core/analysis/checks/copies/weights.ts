import { check } from '../check.ts';
import { counted } from '../../../base/phrase.ts';

/** A spread whose weights do not say what each member gets. */
export const weights = check({
  id: 'copies/weights',
  severity: 'warning',
  finds: 'A spread with too few or too many weights, with none but zeros, or with weights it does not go by.',
  why: 'A member without a weight counts as 1, which is seldom what was meant; weights that nobody goes by mislead.',
  of: 'node',
  run: (node) => {
    if (node.role !== 'spread' || !node.decl.weights) return [];
    const { weights: given, members, choose } = node.decl;
    const complain = (message: string) => [
      { message: `Spread ${node.thing.name} ${message}.`, place: given.place, about: node.id },
    ];
    const count = members?.items.length ?? 0;
    if (choose?.value !== 'weighted')
      return complain(`has weights, but it chooses by ${choose?.value ?? 'rotate'}: they mean nothing`);
    if (given.items.length !== count)
      return complain(
        `has ${counted(given.items.length, 'weight')} for ${counted(count, 'member')}: ${given.items.length < count ? 'the others count as 1' : 'the last ones belong to nobody'}`,
      );
    if (given.items.every(({ value }) => value === 0))
      return complain('gives no member any share: nothing that is sent to it goes anywhere');
    return [];
  },
});
