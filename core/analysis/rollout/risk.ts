import type { Span } from '../../base/span.ts';

/** What a step may do to messages and to who sends and takes them. */
export type Risk = 'none' | 'interrupts' | 'loses' | 'widens access';

/** What is said of a step, whatever it does. */
export interface StepWords {
  readonly title: string;
  readonly risk: Risk;
  /** Where the text asks for it. */
  readonly place?: Span;
  /** What goes with it, in a sentence. */
  readonly destroys?: string;
  /** What would undo it. */
  readonly inverse?: string;
}
