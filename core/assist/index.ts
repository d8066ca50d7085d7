export { type Completions, completionsAt } from './complete.ts';
export { changeSetting, settingsOf } from './settings.ts';
export { symbolAt, usesOf } from './symbols.ts';
export { lineOn, nodesOfThing } from './hover.ts';
export { KINDS, edgeLabel, nodeName, noteOf } from './words.ts';
export { type DocumentSymbol, symbolsIn } from './outline.ts';
export { type Token, TOKEN_TYPES, tokensIn } from './tokens.ts';
export { foldsIn } from './folds.ts';
export { type KeyHere, keyAt, keyInWords } from './keys.ts';
export { type FormField, type Given } from './forms/fields.ts';
export { FORM_KINDS, type Form, type FormKind, type Order, declare, formOf } from './forms/forms.ts';
export { type Attempt, attempt } from './forms/attempt.ts';
export {
  type Column,
  type Row,
  TABLES,
  type Table,
  type TableKind,
  changeCells,
  tableOf,
  tableSizes,
  tableText,
} from './tables.ts';
export { LONG_LINE, asLines } from '../syntax/edit/lines.ts';
export { GLOSSARY, type Term, glossaryPage } from './glossary.ts';
