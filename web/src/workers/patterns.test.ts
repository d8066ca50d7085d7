import { patternsFor, RE2JS } from './patterns.ts';

test('patterns are matched once a text speaks of one, and loaded no sooner', async () => {
  await patternsFor(() => [{ text: 'messages: { a: { headers: { h: { type: string } } } }' }]);
  expect(() => RE2JS.translateRegExp('a')).toThrow('before it is loaded');
  await patternsFor(() => [
    { text: 'messages: { a: { headers: { h: { type: string, pattern: "^a+$" } } } }' },
  ]);
  expect(RE2JS.compile(RE2JS.translateRegExp('^a+$')).matcher('aaa').find()).toBe(true);
  // once it is there nobody looks into texts for it
  await patternsFor(() => {
    throw new Error('asked again');
  });
});
