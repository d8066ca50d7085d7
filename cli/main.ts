/** The `vondle` command: core over files, for a terminal and for CI. */
import { Argument, Command, InvalidArgumentError, Option } from 'commander';
import { check } from './check.ts';
import { fanout } from './fanout.ts';
import { CouldNotRun } from './files.ts';
import { traceMessages } from './trace.ts';

function portIn(text: string): number {
  const port = Number(text);
  if (!/^\d+$/.test(text) || port > 65_535)
    throw new InvalidArgumentError('a port is a whole number up to 65535');
  return port;
}

const environment = () =>
  new Option('-e, --environment <id>', 'the environment whose parameter values count');

const program = new Command('vondle')
  .description('Checks messaging topologies and traces messages through them.')
  .addHelpText(
    'after',
    `
Examples:
  $ vondle new copies-for-all             # begin from an example, in a folder of its own
  $ vondle check copies-for-all           # what is wrong with it
  $ vondle serve copies-for-all           # see it in a browser; edits go to the files
  $ vondle help trace                     # more on one command

Paths are documents (.yaml, .yml, .json) or folders of them, looked through whole.
Exit status: 0 done and nothing found, 1 something found or left, 2 could not run.
The language is described in docs/language.md, the checks in docs/checks.md.
`,
  )
  .showHelpAfterError()
  .exitOverride();

program
  .command('check')
  .description(
    'check topology documents and try their expectations; exit 0 clean, 1 findings, 2 could not run',
  )
  .argument('<path...>', 'documents, or folders or zips of them')
  .addOption(
    new Option('-f, --format <format>', 'how to print')
      .choices(['text', 'json', 'sarif', 'junit'])
      .default('text'),
  )
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle check topology                       # a line for each finding\n  $ vondle check topology -e live               # with the values of an environment\n  $ vondle check topology -f sarif > out.sarif  # for a code review\n`,
  )
  .action(check);

const REASONS = ['expired', 'rejected', 'overflow', 'too-many-deliveries'];

program
  .command('trace')
  .description('trace messages, one JSON object a line, and print where each goes')
  .argument('<path...>', 'documents, or folders or zips of them')
  .requiredOption('-m, --messages <file>', 'the messages, one JSON object a line; - for standard input')
  .addOption(
    new Option(
      '--give-up <reason>',
      'why stores give up what rests in them: followed to where it ends',
    ).choices(REASONS),
  )
  // what it was called before
  .addOption(new Option('--fate <reason>').choices(REASONS).hideHelp())
  .option('--why <store>', 'say of each message why it does not reach this queue or subscription')
  .addOption(new Option('-f, --format <format>', 'how to print').choices(['text', 'json']).default('json'))
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ echo '{"from": "bridge-console", "type": "sailing-departed"}' | vondle trace demo/r3 -m - -f text\n  $ vondle trace topology -m messages.ndjson --why mainland/boards -f text\n  $ vondle trace topology -m messages.ndjson --give-up rejected\n\nA message is a JSON object: to, from, type, key, headers, properties, body; or a CloudEvent.\n\`to\` may be left out where \`from\` and \`type\` decide it.\n`,
  )
  .action(traceMessages);

program
  .command('fanout')
  .description('print the routing graph')
  .argument('<path...>', 'documents, or folders or zips of them')
  .addOption(
    new Option('-f, --format <format>', 'how to print').choices(['json', 'dot', 'graphml']).default('json'),
  )
  .addOption(environment())
  .addHelpText('after', `\nExamples:\n  $ vondle fanout topology -f dot | dot -Tsvg > topology.svg\n`)
  .action(fanout);

program
  .command('classes')
  .description('all messages of each publish, by what becomes of them: every message is in exactly one class')
  .argument('<path...>', 'documents, or folders or zips of them')
  .option('-m, --message <type>', 'only messages of this type')
  .option('--from <app>', 'only what this app publishes')
  .addOption(
    new Option(
      '--given-up <why>',
      'as if every store gave up once what rests in it, and where that goes',
    ).choices(['expired', 'rejected', 'overflow', 'too many deliveries']),
  )
  .addOption(
    new Option('-f, --format <format>', 'how to print').choices(['text', 'json', 'csv']).default('text'),
  )
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle classes demo/r3 --message closure-announced\n  $ vondle classes topology -f json | jq .witness    # one message of each class\n`,
  )
  .action(async (paths, options) => (await import('./classes.ts')).classes(paths, options));

program
  .command('compare')
  .description('the messages that go elsewhere in one topology than in another; exit 1 where some do')
  .argument('<before>', 'a document, a folder or zip of them, or a revision of a server: topology@r3')
  .argument('<after>', 'another')
  .addOption(
    new Option('-f, --format <format>', 'how to print').choices(['text', 'json', 'markdown']).default('text'),
  )
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle compare demo/r3 demo/draft\n  $ vondle compare ferries-1a2b3c@r7 topology -f markdown  # with VONDLE_SERVER and VONDLE_TOKEN\n`,
  )
  .action(async (before, after, options) => (await import('./classes.ts')).compare(before, after, options));

program
  .command('steps')
  .description(
    'the steps that lead a broker from one topology to another, and the messages that meet it on the way',
  )
  .argument('<from...>', 'documents, folders or zips of what is there now; - for nothing')
  .requiredOption('--to <path...>', 'documents, folders or zips of what is wanted')
  .requiredOption('-b, --broker <id>', 'the AMQP 0-9-1 broker')
  .option('--strict', 'exit 1 where messages are missing or too many somewhere on the way')
  .addOption(new Option('-f, --format <format>', 'how to print').choices(['text', 'json']).default('text'))
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle steps demo/r2 --to demo/r3 --broker mainland\n  $ vondle steps - --to topology --broker mainland -f json | jq .windows\n`,
  )
  .action(async (paths, options) => (await import('./steps.ts')).steps(paths, options));

const ON_SERVER =
  '\nThe server is VONDLE_SERVER (http://127.0.0.1:4580 where none is said), and VONDLE_TOKEN a token for the topology.\n';

program
  .command('pull')
  .description('bring a topology of a server into a folder, together with what that has; exit 1 on conflicts')
  .argument('<topology>', 'as it stands in its address')
  .argument('<folder>', 'the folder')
  .addHelpText('after', `\nExamples:\n  $ vondle pull ferries-1a2b3c topology\n${ON_SERVER}`)
  .action(async (topology, folder) => (await import('./remote.ts')).pull(topology, folder));

program
  .command('push')
  .description(
    'put a folder that was pulled together with what the draft on its server has; exit 1 on conflicts',
  )
  .argument('<folder>', 'the folder')
  .addHelpText('after', `\nExamples:\n  $ vondle push topology\n${ON_SERVER}`)
  .action(async (folder) => (await import('./remote.ts')).push(folder));

const count = (text: string) => {
  if (!/^\d{1,9}$/.test(text)) throw new InvalidArgumentError('a whole number');
  return Number(text);
};

program
  .command('rollout')
  .description(
    'carry a revision out on the connected brokers of an environment; exit 0 when they are as it says, 1 when not',
  )
  .argument('<topology>', 'as it stands in its address, or a folder that was pulled from it')
  .requiredOption('-e, --environment <id>', 'the environment')
  .option('-r, --revision <number>', 'the revision; the newest where none is said', count)
  .option('--tear-down', 'instead take away all that the topology made there, and nothing else')
  .option('-n, --dry-run', 'list the steps, and touch nothing')
  .option('-y, --yes', 'carry them out')
  .option('--destroys <number>', 'agree that so many waiting messages are destroyed', count)
  .option('--cuts-off <number>', 'agree that so many takers are cut off', count)
  .addOption(new Option('-f, --format <format>', 'how to print').choices(['text', 'json']).default('text'))
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle rollout ferries-1a2b3c -e rehearsal             # what it would do\n  $ vondle rollout ferries-1a2b3c -e rehearsal -r 3 --yes  # do it\n${ON_SERVER}`,
  )
  .action(async (topology, options) => (await import('./rollout.ts')).rollout(topology, options));

const there = new Argument('<topology>', 'as it stands in its address, or a folder that was pulled from it');
const inEnvironment = () => new Option('-e, --environment <id>', 'the environment').makeOptionMandatory();
const format = () =>
  new Option('-f, --format <format>', 'how to print').choices(['text', 'json']).default('text');
const agreed = () =>
  new Option('--agreed <number>', 'so many at most; with none it only says how many wait').argParser(count);
const whereOption = () =>
  new Option('-w, --where <condition>', 'only those of which this is true, as in `level > 2`');

program
  .command('watch')
  .description('print how an environment stands: what waits, who takes, and what contradicts the topology')
  .addArgument(there)
  .addOption(inEnvironment())
  .option('-1, --once', 'only once; exit 1 where something contradicts the topology')
  .addOption(format())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle watch ferries-1a2b3c -e live\n  $ vondle watch ferries-1a2b3c -e live --once || echo look\n${ON_SERVER}`,
  )
  .action(async (topology, options) => (await import('./operate.ts')).watch(topology, options));

program
  .command('drift')
  .description('print how what the brokers have differs from what was applied; exit 1 where it does')
  .addArgument(there)
  .addOption(inEnvironment())
  .addOption(format())
  .addHelpText('after', `\nExamples:\n  $ vondle drift ferries-1a2b3c -e live\n${ON_SERVER}`)
  .action(async (topology, options) => (await import('./operate.ts')).drift(topology, options));

program
  .command('adopt')
  .description('write what a connected broker has as documents; nothing is changed there')
  .addArgument(there)
  .argument('<broker>', 'the broker that is connected')
  .argument('<folder>', 'where the documents are written; a folder that has none')
  .addOption(inEnvironment())
  .option('--rights', 'what the broker’s users may do, too')
  .addOption(
    new Option('--sample <count>', 'guess types from so many messages of each store').argParser(Number),
  )
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle adopt ferries-1a2b3c mainland as-it-is -e live\n  $ vondle adopt ferries-1a2b3c mainland as-it-is -e live --rights --sample 20\n${ON_SERVER}`,
  )
  .action(async (topology, broker, folder, options) =>
    (await import('./operate.ts')).adopt(topology, broker, folder, options),
  );

program
  .command('browse')
  .description('print the oldest messages of a store; none is taken')
  .addArgument(there)
  .argument('<store>', 'broker/name, by its name on the broker')
  .addOption(inEnvironment())
  .option('-m, --most <number>', 'so many at most', count, 20)
  .addOption(format())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle browse ferries-1a2b3c mainland/incidents -e live\n${ON_SERVER}`,
  )
  .action(async (topology, store, options) =>
    (await import('./operate.ts')).browse(topology, store, options),
  );

program
  .command('send')
  .description('send a real message, as an app does; exit 1 where it was not taken or no store wanted it')
  .addArgument(there)
  .addOption(inEnvironment())
  .requiredOption('-a, --as <app>', 'the app that it is sent as')
  .requiredOption('-m, --message <type>', 'the message type; its first example where nothing else is said')
  .requiredOption('-t, --to <entry>', 'where to, as the topology writes it')
  .option('-k, --key <key>', 'its key')
  .option('-H, --header <name=value...>', 'its headers')
  .option('-b, --body <text>', 'its body, as JSON or text')
  .option('--mqtt', 'by MQTT')
  .addOption(format())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle send ferries-1a2b3c -e rehearsal -a ticket-office -m fare-sold -t mainland/fares -H route=north\n${ON_SERVER}`,
  )
  .action(async (topology, options) => (await import('./operate.ts')).send(topology, options));

program
  .command('empty')
  .description('destroy messages of a store, no more than are agreed to')
  .addArgument(there)
  .argument('<store>', 'broker/name, by its name on the broker')
  .addOption(inEnvironment())
  .addOption(agreed())
  .addOption(whereOption())
  .addOption(format())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle empty ferries-1a2b3c mainland/incidents -e live --agreed 12\n${ON_SERVER}`,
  )
  .action(async (topology, store, options) => (await import('./operate.ts')).empty(topology, store, options));

program
  .command('move')
  .description(
    'move messages to another store, of the same broker or of another; without one, dead letters back to where they died',
  )
  .addArgument(there)
  .argument('<store>', 'broker/name, by its name on the broker')
  .argument('[to]', 'the other store')
  .addOption(inEnvironment())
  .addOption(agreed())
  .addOption(whereOption())
  .option('-c, --copy', 'copy them: they stay, too')
  .addOption(format())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle move ferries-1a2b3c mainland/incidents -e live --agreed 12   # back to where they died\n${ON_SERVER}`,
  )
  .action(async (topology, store, to, options) =>
    (await import('./operate.ts')).move(topology, store, to, options),
  );

program
  .command('mend')
  .description('mend what has exactly one mend; exit 0 when all of it was mended, 1 when something is left')
  .argument('<path...>', 'documents, or folders of them')
  .option('-c, --check <id>', 'only the findings of this check')
  .option('-n, --dry-run', 'print what would change as a unified diff, and write nothing')
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle mend topology --dry-run              # see what would be changed\n  $ vondle mend topology -c access/missing-permission\n`,
  )
  .action(async (paths, options) => (await import('./mend.ts')).mend(paths, options));

program
  .command('rename')
  .usage('[options] <path...> <address> <new name>')
  .description('rename a thing and everything that names it; exit 1 where that is refused')
  .argument(
    '<words...>',
    'documents or folders, then broker/name (or app:x, message:x, …), then the new name',
  )
  .option('-n, --dry-run', 'print what would change as a unified diff, and write nothing')
  .addOption(environment())
  .addHelpText(
    'after',
    `\nExamples:\n  $ vondle rename topology mainland/boards panels --dry-run\n  $ vondle rename topology app:archive vault\n`,
  )
  .action(async (words, options) => (await import('./rename.ts')).rename(words, options));

program
  .command('new')
  .description('begin a topology from an example; without one, list them')
  .argument('[example]', 'the example, or empty')
  .argument('[folder]', 'where it is written; a folder of its name where none is said')
  .addHelpText('after', '\nExamples:\n  $ vondle new\n  $ vondle new two-sites my-topology\n')
  .action(async (example, folder) => (await import('./new.ts')).begin(example, folder));

program
  .command('serve')
  .description('open the interface on a folder of documents, on this machine alone; edits go to the files')
  .argument('<folder>', 'the folder')
  .option('-p, --port <port>', 'the port; any that is free where none is said', portIn, 0)
  .addHelpText(
    'after',
    '\nExamples:\n  $ vondle serve topology\n\nNeeds no database and no sign-in. The address that is printed has a key in it; nobody else is let in.\n',
  )
  .action(async (folder, options) => (await import('./serve.ts')).serve(folder, options));

program
  .command('forward')
  .description('carry the links of a database, as a server does; for a process of its own')
  .addHelpText(
    'after',
    '\nExamples:\n  $ DATABASE_URL=… VONDLE_SECRET=… vondle forward\n\nIs told what a server is told (docs/operating.md). Each link is carried by one process; set VONDLE_LINKS=off for servers that shall carry none.\n',
  )
  .action(async () => (await import('./forward.ts')).forward());

program
  .command('completion')
  .description('print a script that completes the words of this command in a shell')
  .addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish']))
  .addHelpText(
    'after',
    '\nExamples:\n  $ source <(vondle completion bash)\n  $ vondle completion fish > ~/.config/fish/completions/vondle.fish\n',
  )
  .action(
    async (shell) => void process.stdout.write((await import('./completion.ts')).completion(program, shell)),
  );

program
  .command('language-server')
  .description('speak the Language Server Protocol 3.17 with an editor')
  .option('--stdio', 'over standard input and output, which is the only way there is')
  .action(async () => (await import('./language-server/server.ts')).languageServer());

// whoever reads our output may stop reading, as `head` does
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
  process.exit(0);
});

try {
  await program.parseAsync();
} catch (error) {
  const { code, exitCode } = error as { code?: string; exitCode?: number };
  if (error instanceof CouldNotRun) {
    process.stderr.write(`vondle: ${error.message}\n`);
    process.exitCode = 2;
  } else if (code?.startsWith('commander.')) {
    // help and version are no failures; everything else is a call that could not be understood
    process.exitCode = exitCode === 0 ? 0 : 2;
  } else if ((error as NodeJS.ErrnoException).code === 'EPIPE') {
    process.exitCode = 0;
  } else {
    process.stderr.write(`vondle: ${error instanceof Error ? error.stack : String(error)}\n`);
    process.exitCode = 2;
  }
}
