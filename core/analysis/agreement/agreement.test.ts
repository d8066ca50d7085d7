/** Whether a proposal may become a revision, by the rules of what it goes on from. */
import { readTopology } from '../../topology/read.ts';
import { agreementOn, isRuled } from './agreement.ts';

const RULES = `review:
  approvals: 2
  owners:
    - { of: tenant:northquay, who: [ines, tam] }
    - { of: partners.yaml, who: [odo] }
`;
const MAIN = `tenant: auklet
tenants: { auklet: {}, northquay: {} }
brokers:
  m: { kind: amqp, access: open, queues: { a: {}, quay: { tenant: northquay } } }
`;
const read = (texts: Record<string, string>) =>
  readTopology(Object.entries(texts).map(([name, text]) => ({ name, text })));
const base = { 'main.yaml': MAIN, 'partners.yaml': 'apps: {}\n', 'rules.yaml': RULES };
const agreed = (after: Record<string, string>, approvedBy: string[] = [], author = 'mara') =>
  agreementOn(read(base), read({ ...base, ...after }), { authors: [author], last: author, approvedBy });
const longer = { 'main.yaml': MAIN.replace('a: {}', 'a: { maxLength: 5 }') };
const quay = { 'main.yaml': MAIN.replace('{ tenant: northquay }', '{ tenant: northquay, maxLength: 5 }') };

test('so many others have to approve', () => {
  expect(agreed(longer).lacking[0]).toBe('2 more approvals are needed, by others than mara.');
  expect(agreed(longer, ['odo']).lacking[0]).toBe('1 more approval is needed, by others than mara.');
  // one's own does not count, and nobody's counts twice
  expect(agreed(longer, ['odo', 'mara', 'odo']).lacking[0]).toContain('1 more approval');
  expect(agreed(longer, ['odo', 'wen'])).toMatchObject({ ruled: true, asked: [] });
});

test('who answers for what is touched has to approve: by tenant, before or after, and by document', () => {
  const who = (after: Record<string, string>, by: string[], author?: string) =>
    agreed(after, by, author).lacking.filter((line) => line.startsWith('It touches'));
  expect(who(longer, [])).toEqual([]);
  expect(who(quay, ['odo', 'wen'])).toEqual([
    'It touches tenant:northquay, for which ines or tam has to approve.',
  ]);
  expect(who(quay, ['tam'])).toEqual([]);
  expect(who(quay, [], 'ines')).toEqual([]);
  // given to another tenant, it touches both
  expect(who({ 'main.yaml': MAIN.replace('{ tenant: northquay }', '{}') }, [])).toHaveLength(1);
  expect(who({ 'partners.yaml': 'apps: {}\n# changed\n' }, [])).toEqual([
    'It touches partners.yaml, for which odo has to approve.',
  ]);
  expect(agreed({ 'partners.yaml': '' }, ['ines', 'tam']).asked).toEqual(['odo']);
});

test('a proposal is held to the rules it goes on from, not to its own', () => {
  expect(agreed({ 'rules.yaml': '' }).lacking[0]).toContain('2 more approvals');
  expect(isRuled(read(base))).toBe(true);
  expect(isRuled(read({ 'main.yaml': MAIN }))).toBe(false);
  expect(isRuled(read({ 'main.yaml': `${MAIN}review: { withErrors: true }\n` }))).toBe(false);
});

test('errors and broken promises stand in the way, unless the rules let them', () => {
  const before = read({ 'main.yaml': MAIN });
  const wrong = `${MAIN}links: { l: { from: m/a, to: m/nowhere } }\nmessages: { x: {} }\nexpectations: [ { name: n, given: { message: x }, reaches: [m/a] } ]\n`;
  const voices = { authors: ['mara'], last: 'mara', approvedBy: [] };
  const { lacking, ruled } = agreementOn(before, read({ 'main.yaml': wrong }), voices);
  expect(ruled).toBe(false);
  expect(lacking.join(' ')).toMatch(/errors? ha(?:s|ve) to be mended/);
  const lax = read({ 'main.yaml': `${MAIN}review: { withErrors: true, withBroken: true }\n` });
  expect(agreementOn(lax, read({ 'main.yaml': wrong }), voices).lacking).toEqual([]);
  // the first of all goes on from nothing
  expect(agreementOn(readTopology([]), before, voices).lacking).toEqual([]);
});
