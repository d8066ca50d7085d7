/** The `vondle` command: core over files, for a terminal and for CI. */
import { Command, Option } from 'commander';
import { check } from './check.ts';
import { fanout } from './fanout.ts';
import { CouldNotRun } from './files.ts';
import { traceMessages } from './trace.ts';

const environment = () =>
  new Option('-e, --environment <id>', 'the environment whose parameter values count');

const program = new Command('vondle')
  .description('Checks messaging topologies and traces messages through them.')
  .showHelpAfterError()
  .exitOverride();

program
  .command('check')
  .description(
    'check topology documents and try their expectations; exit 0 clean, 1 findings, 2 could not run',
  )
  .argument('<path...>', 'documents, or folders of them')
  .addOption(
    new Option('-f, --format <format>', 'how to print')
      .choices(['text', 'json', 'sarif', 'junit'])
      .default('text'),
  )
  .addOption(environment())
  .action(check);

const REASONS = ['expired', 'rejected', 'overflow', 'too-many-deliveries'];

program
  .command('trace')
  .description('trace messages, one JSON object a line, and print where each goes')
  .argument('<path...>', 'documents, or folders of them')
  .requiredOption('-m, --messages <file>', 'the messages, one JSON object a line; - for standard input')
  .addOption(
    new Option(
      '--give-up <reason>',
      'why stores give up what rests in them: followed to where it ends',
    ).choices(REASONS),
  )
  // what it was called before
  .addOption(new Option('--fate <reason>').choices(REASONS).hideHelp())
  .addOption(new Option('-f, --format <format>', 'how to print').choices(['text', 'json']).default('json'))
  .addOption(environment())
  .action(traceMessages);

program
  .command('fanout')
  .description('print the routing graph')
  .argument('<path...>', 'documents, or folders of them')
  .addOption(
    new Option('-f, --format <format>', 'how to print').choices(['json', 'dot', 'graphml']).default('json'),
  )
  .addOption(environment())
  .action(fanout);

program
  .command('mend')
  .description('mend what has exactly one mend; exit 0 when all of it was mended, 1 when something is left')
  .argument('<path...>', 'documents, or folders of them')
  .option('-c, --check <id>', 'only the findings of this check')
  .option('-n, --dry-run', 'print what would change as a unified diff, and write nothing')
  .addOption(environment())
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
  .action(async (words, options) => (await import('./rename.ts')).rename(words, options));

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
