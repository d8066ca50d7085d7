export {
  type ChangeSet,
  type Edited,
  type TextDocument,
  type TextEdit,
  applyEdits,
  compose,
  over,
  undoOf,
} from './edits.ts';
export { type Position, Lines, type Span } from './span.ts';
export { formatDuration } from './values.ts';
export { TooManyClasses } from './diagram.ts';
