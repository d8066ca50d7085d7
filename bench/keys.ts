/** Matching routing keys against many topic patterns, beside qlobber and a loop of regular expressions. */
import { KeyTrie } from '@vondle/core/routing';
import { Qlobber } from 'qlobber';
import { held, inTurn, print } from './measure.ts';
import { crowdedKeys, crowdedPatterns } from './topologies.ts';

const PATTERNS = 10_000;
const KEYS = 1_000_000;

/** Prints time and memory of both for one set of patterns. */
function compare(distinct: boolean, ids: boolean): void {
  const patterns = crowdedPatterns(PATTERNS, distinct);
  const keys = crowdedKeys(KEYS, ids);
  const trie = held(() => {
    const made = new KeyTrie<number>();
    patterns.forEach((each, i) => made.add(each, i));
    // what it remembers of keys counts
    for (const key of keys) made.match(key);
    return made;
  });
  const qlobber = held(() => {
    const made = new Qlobber<number>({ separator: '.', wildcard_one: '*', wildcard_some: '#' });
    patterns.forEach((each, i) => made.add(each, i));
    return made;
  });
  const expressions = patterns.map(
    (each) =>
      new RegExp(`^${each.replaceAll('.', '\\.').replaceAll('*', '[^.]*').replaceAll('\\.#', '(\\..*)?')}$`),
  );
  // the three agree before they are compared
  let met = 0;
  for (const each of keys.slice(0, 50)) {
    const found = trie.made.match(each).length;
    const others = [
      new Set(qlobber.made.match(each)).size,
      expressions.filter((one) => one.test(each)).length,
    ];
    if (others.some((other) => other !== found)) throw new Error(`${each}: ${found}, ${others.join(', ')}`);
    met += found / 50;
  }
  const note = `10,000 patterns, ${met.toFixed(0)} matches a key${ids ? ', half of the keys ending in an id of their own' : ''}`;
  print(
    'matching a million keys against topic patterns',
    inTurn(
      {
        'vondle: found': () => keys.forEach((each) => trie.made.groups(each)),
        'vondle: found, and copied into one list': () => keys.forEach((each) => trie.made.match(each)),
        qlobber: () => keys.forEach((each) => qlobber.made.match(each)),
      },
      3,
    ),
    note,
  );
  if (distinct) {
    const few = keys.slice(0, 500);
    print(
      'the same, 500 keys',
      inTurn({
        'vondle: trie': () => few.forEach((each) => trie.made.match(each)),
        'a loop of regular expressions': () =>
          few.forEach((each) => expressions.filter((one) => one.test(each))),
      }),
    );
  }
  console.log(
    `  memory of the patterns, after the keys: vondle ${trie.megabytes.toFixed(1)} MB, qlobber ${qlobber.megabytes.toFixed(1)} MB`,
  );
}

export function keys(): void {
  compare(true, false);
  compare(false, false);
  compare(false, true);
}
