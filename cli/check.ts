import { buildGraph, findingsData, findingsText, locator, runChecks, toSarif } from '@vondle/core';
import { topologyAt } from './files.ts';

/** `vondle check`: prints the findings; exit 0 when there are none, 1 when there are. */
export function check(
  paths: string[],
  options: { format: 'text' | 'json' | 'sarif'; environment?: string },
): void {
  const topology = topologyAt(paths, options.environment);
  const findings = [...topology.findings, ...runChecks(buildGraph(topology))];
  const locate = locator(topology.documents);
  if (options.format === 'json') {
    process.stdout.write(`${JSON.stringify(findingsData(findings, locate), null, 2)}\n`);
  } else if (options.format === 'sarif') {
    const log = toSarif(findings, locate, (place) => locate({ ...place, start: place.end }));
    process.stdout.write(`${JSON.stringify(log, null, 2)}\n`);
  } else {
    process.stdout.write(findingsText(findings, locate));
  }
  process.exitCode = findings.length ? 1 : 0;
}
