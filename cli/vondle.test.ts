/** The command as a user runs it: a process, its output and its exit code. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeZip } from '@vondle/core/formats/zip';

const ROOT = join(__dirname, '..');
const run = (args: string[], input = '') =>
  spawnSync(process.execPath, [join(ROOT, 'cli/bin/vondle.mjs'), ...args], {
    cwd: ROOT,
    input,
    encoding: 'utf8',
  });

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'vondle-'))));
afterAll(() => rmSync(folder, { recursive: true }));
const file = (name: string, text: string) => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

describe('vondle check', () => {
  test('exits 0 on a clean topology, 1 with findings, 2 when it cannot run', () => {
    expect(run(['check', 'demo/r2'])).toMatchObject({
      status: 0,
      stdout: expect.stringMatching(/^no findings in \d+ documents\n$/),
    });
    const draft = run(['check', 'demo/draft']);
    expect(draft.status).toBe(1);
    expect(draft.stdout).toContain('demo/draft/shore.yaml:23:7 error: Topic shore/notices may not publish');
    expect(run(['check', 'demo/none'])).toMatchObject({
      status: 2,
      stderr: 'vondle: there is no file or folder demo/none\n',
    });
    expect(run(['check', folder]).stderr).toContain('no .yaml, .yml or .json documents');
    expect(run(['check', 'demo/r2', '--format', 'pictures']).status).toBe(2);
    expect(run(['check', 'demo/r2', '-e', 'moon']).stderr).toContain('declared: rehearsal, live');
    expect(run(['check', '--help']).status).toBe(0);
  });

  test('tries the expectations, and reports all as JUnit XML', () => {
    const clean = run(['check', 'demo/r3', '-f', 'junit']);
    expect(clean.status).toBe(0);
    expect(clean.stdout).toContain(
      '<testsuite name="expectations" tests="20" failures="0" errors="0" skipped="0">',
    );
    const path = file(
      'promise.yaml',
      'messages: { note: { key: a } }\napps:\n  desk: { publishes: [{ message: note, to: m/q }] }\n  log: { consumes: [{ from: m/q }] }\nbrokers: { m: { kind: amqp, access: open, queues: { q: {}, r: {} } } }\nexpectations: [{ name: "a < b & \\"c\\"", given: { message: note }, never: m/q }]\n',
    );
    const broken = run(['check', path, '-f', 'junit']);
    expect(broken.status).toBe(1);
    // between the elements there is room
    const tags = broken.stdout.replace(/>\s+</g, '><');
    expect(tags).toContain(
      '<testcase classname="expectation" name="a &lt; b &amp; &quot;c&quot;"><failure message="reaches m/q">',
    );
    expect(tags).toContain('<testcase classname="check" name="nowhere/unreachable-store"><failure');
    expect(run(['check', path]).stdout).toContain(
      'error: “a < b & "c"” is broken: note, sent by desk, reaches m/q.',
    );
  });

  test('prints JSON and SARIF with lines and columns', () => {
    const path = file('broken.yaml', 'brokers:\n  m:\n    kind: amqp\n    queus: {}\n');
    const [finding] = JSON.parse(run(['check', path, '-f', 'json']).stdout);
    expect(finding).toMatchObject({
      check: 'language/unknown-key',
      severity: 'error',
      doc: path,
      line: 4,
      column: 5,
    });
    const log = JSON.parse(run(['check', path, '-f', 'sarif']).stdout);
    expect(log.version).toBe('2.1.0');
    const [result] = log.runs[0].results;
    expect(result).toMatchObject({ ruleId: 'language/unknown-key', level: 'error' });
    expect(log.runs[0].tool.driver.rules[result.ruleIndex].id).toBe('language/unknown-key');
    expect(result.locations[0].physicalLocation.region).toEqual({
      startLine: 4,
      startColumn: 5,
      endLine: 4,
      endColumn: 10,
    });
  });
});

describe('vondle trace', () => {
  const lines = [
    {
      to: 'mainland/sailings',
      type: 'closure-announced',
      headers: { area: 'outer', severity: 4 },
      from: 'app:duty-officer',
    },
    'nonsense',
    { to: 'mainland', via: 'mqtt', topic: 'deck/razorbill/swell' },
    { to: 'mainland/nothing' },
    { to: 'mainland/fares', key: 'x', type: 'no-such-type' },
    { to: 'mainland/fares', key: 'x', wrong: 1 },
    { to: 'mainland/fares', key: 'gone', mandatory: true },
  ];
  const messages = lines.map((line) => (typeof line === 'string' ? line : JSON.stringify(line))).join('\n');

  test('gives one object a line, in order, errors in their place', () => {
    const { stdout, status } = run(['trace', 'demo/r2', '--messages', '-', '--format', 'json'], messages);
    expect(status).toBe(0);
    const results = stdout
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line));
    expect(results.map(({ index }) => index)).toEqual([0, 1, 2, 3, 4, 5, 6]);
    // in the order of the text, hop by hop
    expect(results[0].stores).toEqual([
      { at: 'mainland/boards', kind: 'queue', copies: 6, takers: ['app:departure-board'] },
      { at: 'mainland/archive-in', kind: 'queue', copies: 1, takers: ['app:archive'] },
      { at: 'islet/desk', kind: 'queue', copies: 1, takers: ['app:islet-desk'] },
    ]);
    expect(results[0].hops[0]).toMatchObject({ at: 'mainland/sailings', key: 'closure.outer.berth' });
    expect(results[1].error).toContain('not JSON');
    expect(results[2].stores).toMatchObject([{ at: 'mainland/storm', copies: 1 }]);
    expect(results[3].ends).toMatchObject([{ outcome: 'unresolved', at: 'mainland/nothing' }]);
    expect(results[4].error).toBe('there is no message type `no-such-type`');
    expect(results[5].error).toContain('unknown: wrong');
    expect(results[6].ends).toMatchObject([{ outcome: 'sent back', at: 'mainland/fares' }]);
  });

  test('follows what is given up to where copies rest in the end', () => {
    const path = file(
      'sailing.ndjson',
      [{}, { headers: { route: 'north' } }, { headers: { route: 'west' } }]
        .map(
          (parts) => `${JSON.stringify({ to: 'mainland/sailings', type: 'sailing-departed', ...parts })}\n`,
        )
        .join(''),
    );
    const lines = run(['trace', 'demo/r2', '--messages', path, '--give-up', 'expired'])
      .stdout.trim()
      .split('\n');
    const [missing, result, odd] = lines.map((line) => JSON.parse(line));
    // nothing is made up, and what is not of its type is followed as it is
    expect(missing.error).toBe('the key `sailing.{route}.departed` cannot be made: `route` is missing');
    expect(odd.remarks).toEqual([expect.stringContaining('`route` is "west"')]);
    const at = Object.fromEntries(
      result.stores.map((store: { at: string; copies: number }) => [store.at, store.copies]),
    );
    // the boards expire into the incidents; the archive keeps its copy
    expect(at).toEqual({ 'mainland/archive-in': 1, 'mainland/incidents': 6 });
  });

  test('prints text, and says when the file is missing', () => {
    const { stdout } = run(['trace', 'demo/r2', '--messages', '-', '--format', 'text'], messages);
    expect(stdout).toContain('rests in mainland/boards: 6 copies, taken by app:departure-board');
    expect(stdout).toContain('not traced: there is no message type');
    expect(run(['trace', 'demo/r2', '--messages', join(folder, 'none')])).toMatchObject({ status: 2 });
  });
});

describe('vondle classes', () => {
  const json = (args: string[]) =>
    run([...args, '-f', 'json'])
      .stdout.trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>);

  test('tells each message of a publish once, with one of each class that trace reads', () => {
    const classes = json(['classes', 'demo/r3', '--message', 'closure-announced', '--from', 'duty-officer']);
    expect(classes[1]).toMatchObject({
      message: 'closure-announced',
      from: 'duty-officer',
      to: 'mainland/sailings',
      share: { messages: 5, of: 15 },
      proved: true,
      when: 'area is outer',
      witness: { key: 'closure.outer.berth', headers: { area: 'outer' } },
    });
    const to = (address: string) => classes.filter((each) => each['to'] === address);
    for (const address of ['mainland/sailings', 'shore/notices'])
      expect(to(address).reduce((sum, { share }) => sum + (share as { messages: number }).messages, 0)).toBe(
        15,
      );
    const witnesses = classes.map(({ witness }) => JSON.stringify(witness)).join('\n');
    const traced = run(['trace', 'demo/r3', '-m', '-'], witnesses).stdout.trimEnd().split('\n');
    traced.forEach((line, i) => {
      const { stores } = JSON.parse(line) as { stores: { at: string; copies: number }[] };
      const told = classes[i]!['stores'] as { at: string; copies: number }[];
      expect(new Map(stores.map(({ at, copies }) => [at, copies]))).toEqual(
        new Map(told.map(({ at, copies }) => [at, copies])),
      );
    });
  });

  test('as text, as CSV, and what there is not', () => {
    expect(run(['classes', 'demo/r3', '-m', 'closure-announced']).stdout).toContain(
      '  5 of 15: area is outer\n    → islet/desk, mainland/archive-in, mainland/boards ×6\n',
    );
    const csv = run(['classes', 'demo/r3', '-m', 'closure-announced', '-f', 'csv']).stdout.split('\r\n');
    expect(csv[0]).toBe('message,from,to,via,messages,of,proved,when,stores,ends,witness');
    expect(csv[2]).toMatch(/^closure-announced,duty-officer,mainland\/sailings,,5,15,true,area is outer,/);
    expect(run(['classes', 'demo/r3', '--from', 'nobody'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('there is no app `nobody`'),
    });
  });

  test('where classes explode it says so, tells what is reached, and exits 2', () => {
    const each = (make: (i: number) => string) => Array.from({ length: 20 }, (_, i) => make(i)).join(', ');
    const path = join(folder, 'many.yaml');
    writeFileSync(
      path,
      `tenant: t
messages: { note: { headers: { ${each((i) => `h${i}: { type: boolean }`)} } } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: pubsub, access: open, topics: { in: {} }, subscriptions: { ${each((i) => `s${i}: { topic: in, filter: { match: { h${i}: true } } }`)} } } }
`,
    );
    const made = run(['classes', path, '-f', 'json']);
    expect(made.status).toBe(2);
    expect(made.stderr).toContain('the classes are too many to tell apart');
    const { classes, reached } = JSON.parse(made.stdout) as { classes: null; reached: { at: string }[] };
    expect(classes).toBeNull();
    expect(reached.map(({ at }) => at)).toEqual(expect.arrayContaining(['m/s0', 'm/s19', 'm/in']));
    expect(run(['classes', path]).stdout).toContain('    held at m/s7\n');
    // what can be compared is, and it is said of what cannot
    expect(run(['compare', path, path])).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringContaining('note from one: cannot be compared'),
    });
  });

  test('a zip is as good as the folder it was made of, and nothing is written into one', () => {
    const path = join(folder, 'draft.zip');
    const documents = readdirSync(join(ROOT, 'demo/draft')).map((name) => ({
      name: `topology/${name}`,
      text: readFileSync(join(ROOT, 'demo/draft', name), 'utf8'),
    }));
    writeFileSync(path, writeZip(documents));
    expect(run(['compare', 'demo/draft', path])).toMatchObject({
      status: 0,
      stdout: 'No message goes elsewhere.\n',
    });
    expect(run(['check', path]).stdout).toContain(`${path}/shore.yaml:`);
    expect(run(['mend', path])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('unpack it first'),
    });
    writeFileSync(path, 'no zip at all');
    expect(run(['check', path])).toMatchObject({ status: 2, stderr: expect.stringContaining('no zip file') });
  });

  test('what stores give up is followed on request', () => {
    const given = (why: string) =>
      run(['classes', 'demo/r3', '-m', 'fare-refunded', '--given-up', why]).stdout;
    expect(given('expired')).toContain(
      '  8 of 12: subject is not drill\n    → shore/parked, lost at shore/audit\n',
    );
    expect(given('rejected')).toContain('→ mainland/refund-wait');
    expect(run(['classes', 'demo/r3', '--given-up', 'boredom']).status).toBe(2);
  });

  test('compare tells which messages go elsewhere, and exits 1 where some do', () => {
    const compared = run(['compare', 'demo/r3', 'demo/draft', '-f', 'json']);
    expect(compared.status).toBe(1);
    const { things, routes } = JSON.parse(compared.stdout) as Record<string, Record<string, unknown>[]>;
    expect(things).toContainEqual(expect.objectContaining({ text: 'Queue mainland/rostering is new.' }));
    expect(routes).toContainEqual(
      expect.objectContaining({
        message: 'sailing-delayed',
        to: 'shore/notices',
        share: { messages: 1713, of: 1803 },
        when: 'delayMinutes is 30 to 600',
        before: expect.objectContaining({ stores: [{ at: 'shore/kiosks', copies: 1 }] }),
        after: expect.objectContaining({
          ends: expect.arrayContaining([{ outcome: 'refused', at: 'shore/texting-in' }]),
        }),
      }),
    );
    expect(run(['compare', 'demo/r3', 'demo/r3'])).toMatchObject({
      status: 0,
      stdout: 'No message goes elsewhere.\n',
    });
    // by what is otherwise, whatever else becomes of them
    expect(run(['compare', 'demo/r3', 'demo/draft']).stdout).toContain(
      '\n9 of 15 closure-announced messages from duty-officer to shore/notices are now refused at shore/texting-in: those where severity is 3 to 5.\n',
    );
    expect(run(['compare', 'demo/r3', 'demo/draft', '-f', 'markdown']).stdout).toContain(
      '| sailing-delayed from bridge-console to shore/notices | 1,713 of 1,803 | delayMinutes is 30 to 600 |',
    );
  });
});

describe('vondle pull and push', () => {
  test('say what is missing before anything is asked or written', () => {
    const told = (args: string[]) => run(args).stderr;
    const away = { ...process.env, VONDLE_SERVER: 'http://127.0.0.1:9', VONDLE_TOKEN: '' };
    delete process.env['VONDLE_TOKEN'];
    expect(told(['push', 'demo/r3'])).toContain('demo/r3 was not pulled from a server');
    expect(told(['pull', 'ferries', 'demo/r3'])).toContain('has documents that come from elsewhere');
    expect(told(['pull', 'ferries', join(folder, 'fresh')])).toContain('say your token in VONDLE_TOKEN');
    expect(told(['compare', 'ferries@r3', 'demo/r3'])).toContain('VONDLE_TOKEN');
    const nobody = spawnSync(
      process.execPath,
      [join(ROOT, 'cli/bin/vondle.mjs'), 'pull', 'ferries', join(folder, 'fresh')],
      { env: { ...away, VONDLE_TOKEN: 'vondle_x' }, encoding: 'utf8' },
    );
    expect(nobody).toMatchObject({ status: 2, stderr: expect.stringContaining('cannot be reached') });
    expect(readdirSync(folder)).not.toContain('fresh');
    mkdirSync(join(folder, 'marked'));
    file('marked/.vondle.json', '{');
    expect(told(['push', join(folder, 'marked')])).toContain('does not say where the folder comes from');
    file('marked/.vondle.json', '{"topology": "ferries", "base": 1}');
    expect(told(['pull', 'other', join(folder, 'marked')])).toContain('comes from ferries');
    expect(told(['push', join(folder, 'marked')])).toContain('there are no documents');
  });
});

describe('vondle fanout', () => {
  test('prints the graph in each format', () => {
    const data = JSON.parse(run(['fanout', 'demo/r2']).stdout);
    expect(data.nodes).toContainEqual({
      id: 'exchange:mainland/sailings',
      role: 'exchange',
      broker: 'mainland',
      name: 'sailings',
    });
    expect(data.edges).toContainEqual(
      expect.objectContaining({ kind: 'binding', from: 'exchange:mainland/sailings', label: 'closure.#' }),
    );
    const dot = run(['fanout', 'demo/r2', '-f', 'dot']).stdout;
    expect(dot).toContain('"exchange:mainland/sailings" -> "queue:mainland/boards" [label="sailing.#"];');
    const xml = run(['fanout', 'demo/r2', '-f', 'graphml']).stdout;
    expect(xml.match(/<node /g)).toHaveLength(data.nodes.length);
    expect(xml.match(/<edge /g)).toHaveLength(data.edges.length);
  });
});

describe('vondle mend', () => {
  const TEXT = 'brokers:\n  m:\n    kind: amqp\n    queues:\n      q: { tll: 5m } # mine\n';

  test('shows what would change as a unified diff, and writes nothing', () => {
    const path = file('mend-dry.yaml', TEXT);
    const shown = run(['mend', path, '--check', 'language/unknown-key', '--dry-run']);
    expect(shown).toMatchObject({ status: 0, stderr: '1 mended, 0 left\n' });
    expect(shown.stdout).toBe(
      `--- ${path}\n+++ ${path}\n@@ -2,4 +2,4 @@\n   m:\n     kind: amqp\n     queues:\n-      q: { tll: 5m } # mine\n+      q: { ttl: 5m } # mine\n`,
    );
    expect(readFileSync(path, 'utf8')).toBe(TEXT);
  });

  test('writes, and says what is left', () => {
    const path = file('mend.yaml', TEXT);
    const done = run(['mend', path]);
    expect(done).toMatchObject({ status: 1, stdout: `${path}\n` });
    expect(done.stderr).toMatch(/^1 mended, \d+ left\n$/);
    expect(readFileSync(path, 'utf8')).toBe(TEXT.replace('tll', 'ttl'));
    expect(run(['mend', path, '--check', 'no/such']).status).toBe(2);
  });
});

describe('vondle rename', () => {
  test('renames in every document, or says why not and writes nothing', () => {
    const at = join(folder, 'renamed');
    mkdirSync(at);
    const [one, other] = [join(at, 'a.yaml'), join(at, 'b.yaml')];
    writeFileSync(one, 'brokers:\n  m: { kind: amqp, queues: { q: {} } }\n');
    writeFileSync(other, 'apps: { a: { consumes: [{ from: m/q }] } }\n');
    expect(run(['rename', at, 'm/q', 'panels', '--dry-run']).stdout).toContain(
      '+apps: { a: { consumes: [{ from: m/panels }] } }',
    );
    expect(readFileSync(other, 'utf8')).toContain('m/q');
    expect(run(['rename', at, 'm/q', 'panels'])).toMatchObject({ status: 0, stdout: `${one}\n${other}\n` });
    expect(readFileSync(one, 'utf8')).toContain('panels: {}');
    expect(readFileSync(other, 'utf8')).toContain('m/panels');
    expect(run(['rename', at, 'broker:m', 'Not An Id'])).toMatchObject({ status: 1 });
    expect(run(['rename', at, 'm/none', 'x'])).toMatchObject({
      status: 2,
      stderr: 'vondle: there is no m/none\n',
    });
    expect(run(['rename', at, 'x']).status).toBe(2);
  });
});

describe('beginning', () => {
  test('new lists the examples, writes one that has no findings, and writes nothing over', () => {
    const list = run(['new']);
    expect(list.stdout).toMatch(/^ {2}empty /);
    const ids = [...list.stdout.matchAll(/^ {2}([a-z-]+) /gm)].map(([, id]) => id!);
    expect(ids.length).toBeGreaterThanOrEqual(7);
    for (const id of ids) {
      const into = join(folder, 'examples', id);
      expect(run(['new', id, into])).toMatchObject({
        status: 0,
        stderr: expect.stringContaining(`check ${into}`),
      });
      // the ferry line comes with the mistakes that are really made
      expect([id, run(['check', into]).status]).toEqual([id, id === 'auklet-ferries' ? 1 : 0]);
    }
    const again = run(['new', 'two-sites', join(folder, 'examples/two-sites')]);
    expect(again).toMatchObject({ status: 2, stderr: expect.stringContaining('is not written over') });
    expect(run(['new', 'nothing-like-it'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('copies-for-all'),
    });
  });

  test('help has examples and the exit status, and is quick to load', () => {
    expect(run(['--help']).stdout).toMatch(/Examples:[^]*vondle serve[^]*Exit status: 0/);
    for (const command of [
      'check',
      'trace',
      'classes',
      'compare',
      'fanout',
      'mend',
      'rename',
      'new',
      'serve',
      'completion',
    ])
      expect([command, run([command, '--help']).stdout.includes('Examples:')]).toEqual([command, true]);
  });

  test('shells complete commands, options, choices and examples', () => {
    const script = file('completion.sh', run(['completion', 'bash']).stdout);
    const ask =
      'source "$1"; shift; COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _vondle; echo "${COMPREPLY[@]}"';
    const complete = (...words: string[]) =>
      spawnSync('bash', ['-c', ask, 'bash', script, 'vondle', ...words], { encoding: 'utf8' }).stdout.trim();
    expect(complete('ser')).toBe('serve');
    expect(complete('check', '--form')).toBe('--format');
    expect(complete('check', '-f', 's')).toBe('sarif');
    expect(complete('new', 'two')).toBe('two-sites');
    expect(run(['completion', 'fish']).stdout).toContain(
      "complete -c vondle -n '__fish_seen_subcommand_from check' -s f -l format",
    );
    expect(run(['completion', 'zsh']).stdout).toContain('bashcompinit');
    expect(run(['completion', 'abacus']).status).toBe(2);
  });
});

describe('vondle trace, for people', () => {
  const sent = (message: object, ...more: string[]) =>
    run(['trace', 'examples/two-sites', '-m', '-', ...more], `${JSON.stringify(message)}\n`);
  const coast = {
    from: 'bridge-console',
    type: 'sailing-event',
    headers: { route: 'coast', what: 'departed' },
  };

  test('says the ways not taken, where each stands, and needs no `to` where it is decided', () => {
    const { stdout, status } = sent(coast, '-f', 'text');
    expect(status).toBe(0);
    expect(stdout).toContain('rests in mainland/boards: 1 copy, taken by app:departure-board');
    expect(stdout).toMatch(
      /not to mainland\/to-islet: .*`coast`, not `islet` \(examples\/two-sites\/topology.yaml:\d+:\d+\)/,
    );
  });

  test('says why a store gets none, and what would let it through', () => {
    const text = sent(coast, '-f', 'text', '--why', 'islet/desk').stdout;
    expect(text).toContain('  not to islet/desk: ');
    expect(text).toContain('would let it through: send it with key "sailing.islet.departed"');
    const [line] = sent(coast, '--why', 'islet/desk').stdout.split('\n');
    expect(JSON.parse(line!).why).toMatchObject({ store: 'islet/desk', reached: false });
    expect(sent(coast, '--why', 'mainland/boards', '-f', 'text').stdout).toContain(
      'it does reach mainland/boards',
    );
    expect(sent(coast, '--why', 'mainland/nothing')).toMatchObject({ status: 2 });
  });
});

describe('vondle steps', () => {
  const broker = (key: string, queue = '') =>
    `messages: { note: { key: a } }\napps: { desk: { publishes: [{ message: note, to: m/in }] } }\nbrokers:\n  m:\n    kind: amqp\n    access: open\n    exchanges: { in: { type: topic } }\n    queues: { q: { ${queue} } }\n    bindings: [{ from: in, to: q, key: "${key}" }]\n`;

  test('leads from one topology to another, or from nothing', () => {
    const { status, stdout } = run(['steps', '-', '--to', 'demo/r3', '--broker', 'mainland', '-f', 'json']);
    expect(status).toBe(0);
    const { steps, windows, unproved, leftToOthers } = JSON.parse(stdout);
    expect([windows, unproved]).toEqual([[], []]);
    // which exchange MQTT enters is nothing that a rollout sets
    expect(leftToOthers).toEqual([expect.stringContaining('see that it is telemetry')]);
    const done = (what: string) => steps.filter((step: { do: string }) => step.do === what).length;
    expect(done('declare exchange') + done('declare queue') + done('bind')).toBe(steps.length);
    const same = run(['steps', 'demo/r3', '--to', 'demo/r3', '--broker', 'mainland']);
    expect(same.stdout).toContain('Nothing is to be done.\n\n0 steps, no window');
  });

  test('names the windows, in wire terms and with a message that meets them', () => {
    const [from, to] = [file('before.yaml', broker('a')), file('after.yaml', broker('#', 'ttl: 1s'))];
    const { stdout } = run(['steps', from, '--to', to, '-b', 'm', '-f', 'json']);
    const { steps, windows } = JSON.parse(stdout);
    expect(steps.map((step: { do: string; group?: string }) => [step.do, step.group])).toEqual([
      ['delete queue', 'replace queue q'],
      ['declare queue', 'replace queue q'],
      ['bind', undefined],
    ]);
    expect(steps[1].queue).toEqual({
      name: 'q',
      durable: true,
      autoDelete: false,
      exclusive: false,
      arguments: { 'x-message-ttl': 1000 },
    });
    expect(steps[2].binding).toEqual({
      source: 'in',
      destination: 'q',
      to: 'queue',
      key: '#',
      arguments: {},
    });
    expect(windows).toMatchObject([
      {
        from: 1,
        until: 2,
        kind: 'missing',
        message: 'note',
        store: 'm/q',
        witness: { type: 'note', from: 'desk', to: 'm/in', key: 'a', headers: {}, properties: {} },
      },
    ]);
    const text = run(['steps', from, '--to', to, '-b', 'm', '--strict']);
    expect(text.status).toBe(1);
    expect(text.stdout).toContain(
      'after step 1 to after step 2: note does not come to m/q, as it does before and after',
    );
  });

  test('says what it cannot begin with', () => {
    const to = file('after.yaml', broker('a'));
    expect(run(['steps', '-', '--to', to, '-b', 'x'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('no AMQP 0-9-1 broker `x` is declared'),
    });
    const broken = file('broken.yaml', broker('a').replace('to: q', 'to: nowhere'));
    expect(run(['steps', to, '--to', broken, '-b', 'm'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('cannot be planned with'),
    });
    expect(run(['steps', '-', '-b', 'm']).status).toBe(2);
  });
});
