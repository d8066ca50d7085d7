/** Which data labels are guarded. */
import type { LabelDecl } from '../language/tenant.ts';
import type { DocumentDecl } from './document.ts';

/** Labels that are guarded where no document says otherwise. */
const GUARDED: readonly string[] = ['personal', 'financial'];

/** @returns whether a label is guarded, by what is declared of it */
export const isGuarded = (label: string, decl: LabelDecl | undefined): boolean =>
  decl?.guarded?.value ?? GUARDED.includes(label);

/** @returns the labels whose data is guarded: those declared so, and those that are where nothing else is said */
export const guardedLabels = ({ labels }: DocumentDecl): ReadonlySet<string> =>
  new Set(
    [...GUARDED, ...(labels?.keys() ?? [])].filter((each) => isGuarded(each, labels?.get(each)?.value)),
  );
