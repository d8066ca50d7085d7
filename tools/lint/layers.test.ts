import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { architectureSvg } from '../architecture.mjs';
import { circleThrough, importsIn, LAYERS, trespass } from './layers.mjs';

const files = (texts: Readonly<Record<string, string>>) => (path: string) => texts[path];

describe('the order of core’s folders', () => {
  test('a folder imports from itself and from those below it', () => {
    expect(trespass('routing/trace.ts', 'routing/graph.ts')).toBeUndefined();
    expect(trespass('routing/trace.ts', 'base/span.ts')).toBeUndefined();
    expect(trespass('analysis/checks/run.ts', 'topology/read.ts')).toBeUndefined();
  });

  test('it imports nothing from above, and nothing that is in no layer', () => {
    expect(trespass('base/span.ts', 'syntax/tree.ts')).toContain('base is below syntax');
    expect(trespass('language/app.ts', 'brokers/kinds.ts')).toContain('language is below brokers');
    expect(trespass('routing/trace.ts', 'elsewhere/a.ts')).toContain('in no layer');
    expect(trespass('topology/read.ts', '../server/main.ts')).toContain('in no layer');
  });

  test('every kind of import counts, over several lines and of types too', () => {
    const text =
      "import type {\n  A,\n  B,\n} from './a.ts';\nexport { c } from '../c.ts';\nimport { d } from 'yaml';\nexport * from './e.ts';\nconst f = \"from './no.ts'\";\n";
    expect(importsIn('x/y.ts', text)).toEqual(['x/a.ts', 'c.ts', 'x/e.ts']);
  });

  test('the list is the one in the page on the architecture', () => {
    const page = readFileSync(join(__dirname, '../../docs/architecture.md'), 'utf8');
    const rows = [...page.split('## Inside core')[1]!.matchAll(/^\| `(\w+)\/` \|/gm)].map(
      (match) => match[1],
    );
    expect(rows).toEqual(LAYERS);
  });
});

test('the picture is what the code is', () => {
  // to publish a change: npm run architecture
  expect(readFileSync(join(__dirname, '../../docs/architecture.svg'), 'utf8')).toBe(architectureSvg());
});

describe('circles of files', () => {
  test('a file that comes back to itself is told with the way', () => {
    const read = files({
      'a.ts': "import { b } from './b.ts';",
      'b.ts': "import type { C } from './c.ts';",
      'c.ts': "export { a } from './a.ts';",
      'd.ts': "import { a } from './a.ts';",
    });
    expect(circleThrough('a.ts', read)).toEqual(['a.ts', 'b.ts', 'c.ts', 'a.ts']);
    expect(circleThrough('d.ts', read)).toBeUndefined();
  });
});
