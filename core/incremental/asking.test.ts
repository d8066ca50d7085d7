import fc from 'fast-check';
import { type Ask, Asking, type Tables } from './asking.ts';
import { Layered } from './layered.ts';

type Kind = 'name' | 'size' | 'whole';
type Facts = ReadonlyMap<string, number>;

interface State {
  readonly subjects: Facts;
  readonly name: Facts;
  readonly size: Facts;
  readonly whole: number;
}

/** Looks at a subject: asks its name, the sizes of what that leads to, and at times about everything. */
function look(id: unknown, subject: unknown, ask: Ask<Kind>): string | undefined {
  const name = ask('name', id) as number | undefined;
  if (name === undefined) return undefined;
  const sizes = [ask('size', `k${name}`), ask('size', `k${name + 1}`)];
  const whole = name % 2 ? ask('whole', 'sum') : '';
  return `${String(id)} ${String(subject)} ${name} ${sizes.join()} ${String(whole)}`;
}

const tablesOf = ({ name, size, whole }: State): Tables<Kind> => ({
  name,
  size,
  whole: () => whole || undefined,
});

/** Made here: subjects and facts that come, go and change, an answer that is undefined. Not made: circles of asking. */
const facts = fc
  .array(fc.tuple(fc.constantFrom('k0', 'k1', 'k2', 'k3', 'k4'), fc.nat(3)), { maxLength: 5 })
  .map((entries): Facts => new Map(entries));
const states = fc.array(fc.record({ subjects: facts, name: facts, size: facts, whole: fc.nat(2) }), {
  minLength: 1,
  maxLength: 12,
});

test('after any changes, back to earlier states too, what is found is what looking anew finds', () => {
  fc.assert(
    fc.property(states, fc.array(fc.nat(11), { maxLength: 8 }), (all, back) => {
      const asking = new Asking<Kind, string>();
      for (const each of [...all, ...back.map((i) => all[i % all.length]!)]) {
        const run = (by: Asking<Kind, string>) =>
          by
            .run(tablesOf(each), new Map([['thing', each.subjects]]), (_, ...about) => look(...about, by.ask))
            .sort();
        expect(run(asking)).toEqual(run(new Asking()));
      }
    }),
    { numRuns: 300 },
  );
});

test('only those look again who asked about what is otherwise', () => {
  const ids = Array.from({ length: 50 }, (_, i) => `k${i}`);
  const subjects = Layered.on(new Map(ids.map((id) => [id, 1])));
  const name = Layered.on(new Map(ids.map((id, i) => [id, i * 2])));
  let size = Layered.on(new Map(Array.from({ length: 120 }, (_, i) => [`k${i}`, i])));
  const asking = new Asking<Kind, string>();
  const run = () => {
    const looked: unknown[] = [];
    const found = asking.run(
      tablesOf({ subjects, name, size, whole: 1 }),
      new Map([['thing', subjects]]),
      (_, id, ...more) => {
        looked.push(id);
        return look(id, ...more, asking.ask);
      },
    );
    return { looked, found };
  };
  expect(run().looked).toHaveLength(50);
  expect(run().looked).toEqual([]);
  size = size.with(new Map([['k7', 700]]));
  const { looked, found } = run();
  // of those who asked for k7 there is one: who is called 6
  expect(looked).toEqual(['k3']);
  expect(found).toHaveLength(50);
  expect(found.filter((each) => each.includes('700'))).toHaveLength(1);
});

test('what is named anew at every key does not pile up', () => {
  const asking = new Asking<Kind, string>();
  for (let i = 0; i < 2000; i++) {
    const id = `k${i}`;
    const state = { subjects: new Map([[id, 1]]), name: new Map([[id, i]]), size: new Map(), whole: 1 };
    asking.run(tablesOf(state), new Map([['thing', state.subjects]]), (_, ...about) =>
      look(...about, asking.ask),
    );
  }
  expect(asking.size).toBeLessThan(200);
});

test('of subjects of one kind, what was found stands by each, and what is asked of the same function is not asked again', () => {
  const asking = new Asking<Kind, string>();
  let worked = 0;
  const whole = (about: unknown) => {
    worked++;
    return String(about).length;
  };
  const looked: string[] = [];
  const find = (subjects: ReadonlyMap<string, number>, sizes: (about: unknown) => unknown) =>
    asking.find(
      { name: new Map(), size: new Map(), whole: sizes },
      'thing',
      subjects,
      (subject: number, id) => {
        looked.push(id);
        return `${id} ${subject} ${String(asking.ask('whole', id))}`;
      },
    );
  expect([
    ...find(
      new Map([
        ['b', 2],
        ['aa', 1],
      ]),
      whole,
    ),
  ]).toEqual([
    ['b', 'b 2 1'],
    ['aa', 'aa 1 2'],
  ]);
  // in the order they have now; of the same function no answer is worked out again
  expect([
    ...find(
      new Map([
        ['aa', 1],
        ['b', 2],
        ['c', 3],
      ]),
      whole,
    ).keys(),
  ]).toEqual(['aa', 'b', 'c']);
  expect([looked, worked]).toEqual([['b', 'aa', 'c'], 3]);
  // another function is asked, and only who got another answer looks again
  find(
    new Map([
      ['aa', 1],
      ['b', 2],
    ]),
    (about) => (about === 'b' ? 9 : String(about).length),
  );
  expect(looked).toEqual(['b', 'aa', 'c', 'b']);
});
