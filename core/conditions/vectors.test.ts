import { headersMatch, topicKey } from './amqp.ts';
import { admits } from './evaluate.ts';
import { message } from './message.ts';
import type { Constant } from './predicate.ts';
import { parseSelector } from './selector.ts';
import { KeyTrie } from '../routing/key-trie.ts';
import topicVectors from '../testing/vectors/amqp-topic.json';
import headerVectors from '../testing/vectors/amqp-headers.json';
import selectorVectors from '../testing/vectors/selector.json';

/**
 * Three rows admit messages in which an operand of `=` or `<>` is missing. The standard's text says
 * that a comparison with NULL is unknown (Jakarta Messaging 3.1 §3.8.1.2), and unknown admits nothing;
 * we follow the text. Everything else in these rows must agree.
 */
const AGAINST_THE_TEXT: Record<string, (headers: Record<string, unknown>) => boolean> = {
  '(m * 10) = m': (headers) => !('m' in headers),
  '((10 - m) <> n OR f = FALSE)': (headers) => 'm' in headers !== 'n' in headers,
  '(missing <= x OR 1 <> x)': (headers) => !('x' in headers),
};

describe('observed behaviour', () => {
  test.each(topicVectors.rows.map((row) => [row.pattern, row.matches] as const))(
    'topic pattern %j',
    (pattern, matches) => {
      const predicate = topicKey(pattern);
      expect(topicVectors.keys.filter((key) => admits(predicate, message({ key })))).toEqual(matches);
    },
  );

  test('all topic patterns at once, through the trie', () => {
    const trie = new KeyTrie<number>();
    topicVectors.rows.forEach((row, index) => trie.add(row.pattern, index));
    for (const key of topicVectors.keys) {
      const expected = topicVectors.rows.flatMap((row, index) => (row.matches.includes(key) ? [index] : []));
      expect(trie.match(key).sort((a, b) => a - b)).toEqual(expected);
    }
  });

  test.each(headerVectors.rows.map((row, index) => [index, row] as const))('headers binding %i', (_, row) => {
    const values = new Map(Object.entries(row.values as Record<string, Constant>));
    const predicate = headersMatch(row.match as 'all' | 'any', values);
    const found = headerVectors.messages.flatMap((headers, index) =>
      admits(predicate, message({ headers: headers as Record<string, unknown> })) ? [index] : [],
    );
    expect(found).toEqual(row.matches);
  });

  test.each(selectorVectors.rows.map((row) => [row.selector, row.admits] as const))(
    'selector %s',
    (text, expected) => {
      const result = parseSelector(text);
      if (!result.ok) throw new Error(result.problem.message);
      const found = selectorVectors.messages.flatMap((headers, index) =>
        admits(result.predicate, message({ headers: headers as Record<string, unknown> })) ? [index] : [],
      );
      const exempt = AGAINST_THE_TEXT[text];
      const counts = (index: number) => !exempt?.(selectorVectors.messages[index] as Record<string, unknown>);
      expect(found.filter(counts)).toEqual(expected.filter(counts));
      if (exempt) expect(expected.length).toBeGreaterThan(expected.filter(counts).length);
    },
  );
});
