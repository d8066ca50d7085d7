export { acceptFinding } from './accept.ts';
export { expectationToWrite } from './expectation.ts';
export { mendAll, mendsOf, tryMend } from './mend.ts';
export { rename } from './rename.ts';
export { addItem } from '../syntax/edit/edit.ts';
