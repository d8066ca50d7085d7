/** The page of all checks, made of the registry, so that it cannot part from it. */
import { ABOUT_ACCEPTANCES, CHECKS } from './run.ts';
import type { Severity } from '../../language/finding.ts';

const GROUPS: Readonly<Record<string, string>> = {
  nowhere: 'Goes nowhere',
  match: 'Never or always',
  copies: 'Too many or too few copies',
  loss: 'Loses, blocks or misleads',
  access: 'Access',
  broker: 'Refused by a broker',
  names: 'Names and hygiene',
  accept: 'Acceptances',
};

const WORDS: Readonly<Record<Severity, string>> = { error: 'error', warning: 'warning', advice: 'advice' };

/** @returns the page as Markdown */
export function checksReference(): string {
  const all = [...CHECKS, ...ABOUT_ACCEPTANCES];
  const sections = Object.entries(GROUPS).map(([group, title]) => {
    const rows = all
      .filter(({ id }) => id.startsWith(`${group}/`))
      .map(({ id, severity, finds, why }) => `| \`${id}\` | ${WORDS[severity]} | ${finds} | ${why} |`);
    return `## ${title}\n\n| check | weighs | finds | why it matters |\n|---|---|---|---|\n${rows.join('\n')}\n`;
  });
  return `# The checks

Every check looks at every change. What it finds stands in the text, in the close-up of the thing, in the picture,
and in the Findings view, with the edits that mend it where there are any. A mend is tried before it is written: one
that would bring something as bad is refused, with the reason. A finding that is meant is accepted where it stands:
\`accept: [{ check: nowhere/unmatched, because: … }]\`. Some findings weigh more where a message type says
\`mustArrive: true\`.

What can come where is told by the keys, headers and properties that message types declare. Where that cannot be told
(a type that leaves its key open, arithmetic between headers, a text with a \`pattern\`) nothing is claimed.

${sections.join('\n')}`;
}
