/** Findings as text for people, as JSON, and as SARIF 2.1.0 for code review tools. */
import { counted } from '../base/phrase.ts';
import { CHECKS } from '../analysis/checks/run.ts';
import type { Place } from '../syntax/place.ts';
import type { Locator } from '../topology/read.ts';
import type { Finding } from '../topology/topology.ts';

/**
 * @param documents how many were looked through
 * @returns one line for each finding: `file:line:column severity: message [check]`; where there is none, that
 */
export function findingsText(findings: readonly Finding[], locate: Locator, documents: number): string {
  if (findings.length === 0) return `no findings in ${counted(documents, 'document')}\n`;
  return findings
    .map((finding) => {
      const { line, column } = locate(finding.place);
      return `${finding.place.doc}:${line}:${column} ${finding.severity}: ${finding.message} [${finding.check}]\n`;
    })
    .join('');
}

/** A finding with lines and columns in place of offsets. */
export interface FindingData {
  readonly check: string;
  readonly severity: string;
  readonly message: string;
  readonly doc: string;
  readonly line: number;
  readonly column: number;
  readonly about?: string;
}

/** @returns findings as plain data. */
export function findingsData(findings: readonly Finding[], locate: Locator): FindingData[] {
  return findings.map(({ check, severity, message, place, about }) => ({
    check,
    severity,
    message,
    doc: place.doc,
    ...locate(place),
    ...(about ? { about } : {}),
  }));
}

const LEVELS = { error: 'error', warning: 'warning', advice: 'note' } as const;

/** @returns a SARIF 2.1.0 log of one run. Columns count UTF-16 code units, as §3.14.27 allows. */
export function toSarif(findings: readonly Finding[], locate: Locator): object {
  const reasons = new Map(CHECKS.map((check) => [check.id, check.why]));
  const ids = [...new Set(findings.map((finding) => finding.check))].sort();
  const region = (place: Place) => {
    const from = locate(place);
    const to = locate.end(place);
    return { startLine: from.line, startColumn: from.column, endLine: to.line, endColumn: to.column };
  };
  const location = (place: Place) => ({
    physicalLocation: { artifactLocation: { uri: encodeURI(place.doc) }, region: region(place) },
  });
  return {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: {
          driver: {
            name: 'Vondle',
            rules: ids.map((id) => ({
              id,
              ...(reasons.has(id) ? { fullDescription: { text: reasons.get(id) } } : {}),
            })),
          },
        },
        columnKind: 'utf16CodeUnits',
        results: findings.map((finding) => ({
          ruleId: finding.check,
          ruleIndex: ids.indexOf(finding.check),
          level: LEVELS[finding.severity],
          message: { text: finding.message },
          locations: [location(finding.place)],
          ...(finding.related?.length
            ? {
                relatedLocations: finding.related.map(({ place, message }) => ({
                  ...location(place),
                  message: { text: message },
                })),
              }
            : {}),
        })),
      },
    ],
  };
}
