/** What a review found, as a JUnit XML report: one case for each check and each expectation. */
import type { Review } from '../analysis/checks/review.ts';
import { CHECKS } from '../analysis/checks/run.ts';
import type { Position } from '../base/span.ts';
import type { Place } from '../syntax/place.ts';
import type { Finding } from '../topology/topology.ts';

/** Characters that XML 1.0 (§2.2) does not have are left out; the rest is escaped for text and attributes alike. */
function xml(text: string): string {
  return text
    .replace(/[^\t\n\r\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}

/** @returns the report; a case fails where a check found something, or an expectation is not kept */
export function toJunit({ findings, proofs }: Review, locate: (place: Place) => Position): string {
  const line = ({ place, severity, message }: Finding) => {
    const at = locate(place);
    return `${place.doc}:${at.line}:${at.column} ${severity}: ${message}`;
  };
  const byCheck = new Map<string, Finding[]>();
  for (const finding of findings) {
    if (finding.check.startsWith('expectation/')) continue;
    byCheck.set(finding.check, [...(byCheck.get(finding.check) ?? []), finding]);
  }
  const ids = [...new Set([...CHECKS.map(({ id }) => id), ...byCheck.keys()])];
  const checks = ids.map((id) => {
    const found = byCheck.get(id) ?? [];
    const failure = found.length
      ? `<failure message="${xml(found[0]!.message)}">${xml(found.map(line).join('\n'))}</failure>`
      : '';
    return `    <testcase classname="check" name="${xml(id)}">${failure}</testcase>`;
  });
  const expectations = proofs.map(({ name, verdict, broken, promise }) => {
    const failure =
      verdict === 'broken'
        ? `<failure message="${xml(broken!.why)}">${xml(`${promise}\n${JSON.stringify(broken!.message)}`)}</failure>`
        : verdict === 'untried'
          ? '<skipped message="nobody sends such a message"/>'
          : '';
    return `    <testcase classname="expectation" name="${xml(name)}">${failure}</testcase>`;
  });
  const suite = (name: string, cases: readonly string[], failures: number, skipped: number) =>
    `  <testsuite name="${name}" tests="${cases.length}" failures="${failures}" errors="0" skipped="${skipped}">\n${cases.map((each) => `${each}\n`).join('')}  </testsuite>\n`;
  const count = (verdict: string) => proofs.filter((proof) => proof.verdict === verdict).length;
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="vondle">\n${suite('checks', checks, byCheck.size, 0)}${suite('expectations', expectations, count('broken'), count('untried'))}</testsuites>\n`;
}
