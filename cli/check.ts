import { findingsData, findingsText, toJunit, toSarif } from '@vondle/core/formats';
import { locator } from '@vondle/core/topology';
import { review } from '@vondle/core/analysis';
import { topologyAt } from './files.ts';
import { Progress } from './progress.ts';

/** `vondle check`: tries all checks and expectations; exit 0 when nothing is found, 1 when something is. */
export function check(
  paths: string[],
  options: { format: 'text' | 'json' | 'sarif' | 'junit'; environment?: string },
): void {
  const progress = new Progress();
  const topology = topologyAt(paths, options.environment, progress);
  progress.say(`looking through ${topology.documents.length} documents`);
  const seen = review(topology);
  progress.end();
  const { findings } = seen;
  const locate = locator(topology);
  if (options.format === 'json') {
    process.stdout.write(`${JSON.stringify(findingsData(findings, locate), null, 2)}\n`);
  } else if (options.format === 'sarif') {
    const log = toSarif(findings, locate);
    process.stdout.write(`${JSON.stringify(log, null, 2)}\n`);
  } else if (options.format === 'junit') {
    process.stdout.write(toJunit(seen, locate));
  } else {
    process.stdout.write(findingsText(findings, locate, topology.documents.length));
  }
  process.exitCode = findings.length ? 1 : 0;
}
