import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { checksReference } from '../analysis/checks/reference.ts';
import { GLOSSARY, glossaryPage } from '../assist/glossary.ts';
import { readTopology } from '../topology/read.ts';
import { constructs, withSettings } from '../topology/reference.ts';

const text = readFileSync(join(__dirname, '../../docs/language.md'), 'utf8');
const examples = [...text.matchAll(/^```yaml\n([^]*?)^```/gm)].map((match) => match[1]!);

test.each(examples.map((example, i) => [i + 1, example] as const))(
  'example %i of the language reference reads',
  (_, example) => {
    expect(readTopology([{ name: 'example.yaml', text: example }]).findings).toEqual([]);
  },
);

test('the page of the checks is what the registry says', () => {
  // to publish a change: npm run checks
  expect(readFileSync(join(__dirname, '../../docs/checks.md'), 'utf8')).toBe(checksReference());
});

test('the tables of settings are what the language says, and say what holds without each', () => {
  // to publish a change: npm run schema
  expect(text).toBe(withSettings(text));
  const untold = constructs().flatMap(({ title, fields }) =>
    Object.entries(fields)
      .filter(
        ([name, { required, otherwise, shape }]) =>
          !required && !otherwise && !shape.items && !['note', 'accept'].includes(name),
      )
      .map(([name]) => `${title}: ${name}`),
  );
  expect(untold).toEqual([]);
});

test('the page of words is what the glossary says, and every section of a document is in it', () => {
  // to publish a change: npm run schema
  expect(readFileSync(join(__dirname, '../../docs/glossary.md'), 'utf8')).toBe(glossaryPage());
  const keys = new Set(GLOSSARY.flatMap(({ key }) => key ?? []));
  const sections = constructs()[0]!.fields;
  const untold = Object.keys(sections).filter(
    (name) => !keys.has(name) && !['vondle', 'topology', 'tenant', 'labels'].includes(name),
  );
  expect(untold).toEqual([]);
});

test('there is an example for every part of a document', () => {
  const parts = [
    'tenants',
    'parameters',
    'environments',
    'messages',
    'apps',
    'brokers',
    'links',
    'spreads',
    'access',
    'expectations',
  ];
  for (const part of parts)
    expect(examples.some((example) => example.includes(`\n${part}:`) || example.startsWith(`${part}:`))).toBe(
      true,
    );
});
