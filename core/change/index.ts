export { acceptFinding } from './accept.ts';
export { expectationToWrite } from './expectation.ts';
export { type Choices, type Conflict, type Merged, merge } from './merge/merge.ts';
export { type LineSource, editsBetween, lastChanged } from './merge/lines.ts';
export type { Side } from './merge/three.ts';
export { mendAll, mendsOf, tryMend } from './mend.ts';
export { rename } from './rename.ts';
export { type Differing, type TakenIn, takeIn } from './take-in.ts';
export { addItem } from '../syntax/edit/edit.ts';
