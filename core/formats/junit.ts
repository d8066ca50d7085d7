/** What a review found, as a JUnit XML report: one case for each check and each expectation. */
import type { Review } from '../analysis/checks/review.ts';
import { CHECKS } from '../analysis/checks/run.ts';
import { sayable, xmlDocument } from './xml.ts';
import type { Position } from '../base/span.ts';
import type { Place } from '../syntax/place.ts';
import type { Finding } from '../topology/topology.ts';

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
  const failed = (message: string, text: string) => ({
    failure: { '@message': sayable(message), '#text': sayable(text) },
  });
  const checks = ids.map((id) => {
    const found = byCheck.get(id) ?? [];
    const failure = found.length ? failed(found[0]!.message, found.map(line).join('\n')) : {};
    return { '@classname': 'check', '@name': id, ...failure };
  });
  const expectations = proofs.map(({ name, verdict, broken, promise }) => {
    const outcome =
      verdict === 'broken'
        ? failed(broken!.why, `${promise}\n${JSON.stringify(broken!.message)}`)
        : verdict === 'untried'
          ? { skipped: { '@message': 'nobody sends such a message' } }
          : {};
    return { '@classname': 'expectation', '@name': sayable(name), ...outcome };
  });
  const suite = (name: string, testcase: readonly object[], failures: number, skipped: number) => ({
    '@name': name,
    '@tests': testcase.length,
    '@failures': failures,
    '@errors': 0,
    '@skipped': skipped,
    testcase,
  });
  const count = (verdict: string) => proofs.filter((proof) => proof.verdict === verdict).length;
  return xmlDocument({
    testsuites: {
      '@name': 'vondle',
      testsuite: [
        suite('checks', checks, byCheck.size, 0),
        suite('expectations', expectations, count('broken'), count('untried')),
      ],
    },
  });
}
