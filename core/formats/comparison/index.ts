/** What differs between two topologies, as Markdown to be pasted into a message or a review. */
import { listed } from '../../base/phrase.ts';
import { type Compared, type DeclaredChange, declaredText } from '../../analysis/index.ts';

/** What is told of a comparison beside `Compared`: what messages do otherwise, a sentence each. */
export interface ComparisonTold extends Compared {
  /** What is compared, in words: `r3`, `the draft`. */
  readonly from: string;
  readonly to: string;
  readonly messages: readonly string[];
}

/** Lists are told to this length. */
const MOST = 100;

/** @returns the comparison as Markdown, the parts in which nothing differs left out */
export function comparisonMarkdown(of: ComparisonTold): string {
  const part = (title: string, lines: readonly string[]) =>
    lines.length
      ? [
          `### ${title}`,
          '',
          ...lines.slice(0, MOST).map((line) => `- ${escaped(line)}`),
          ...(lines.length > MOST ? [`- and ${lines.length - MOST} more`] : []),
          '',
        ]
      : [];
  const access = of.access?.map(
    ({ kind, who, action, on }) =>
      `${who} ${kind === 'gained' ? 'may now' : 'may no longer'} ${action} ${listed(on)}`,
  );
  const parts = [
    ...part('What messages do otherwise', of.messages),
    ...part('What is declared otherwise', of.declared.map(declaredText)),
    ...part('Who may what', access ?? ['too many could to tell each of them']),
    ...part(
      'Findings',
      of.findings.map(({ kind, severity, message }) => `${kind}: ${severity}: ${message}`),
    ),
    ...part(
      'Promises',
      of.promises.map(({ kind, name }) => `${kind}: ${name}`),
    ),
  ];
  const head = `## ${of.to} against ${of.from}`;
  return `${[head, '', ...(parts.length ? parts : ['Nothing differs.', ''])].join('\n')}`;
}

/** What Markdown would take for a sign of its own, and a line break, which would end the item. */
const escaped = (text: string): string =>
  text.replaceAll('\n', ' ').replace(/[\\`*_[\]<>|]/g, (sign) => `\\${sign}`);

/** @returns how many changes of each kind there are, in words: `3 added, 1 changed` */
export function countsOf(declared: readonly DeclaredChange[]): string {
  const kinds = ['added', 'removed', 'changed', 'renamed'] as const;
  return kinds
    .flatMap((kind) => {
      const count = declared.filter((each) => each.kind === kind).length;
      return count ? [`${count} ${kind}`] : [];
    })
    .join(', ');
}
