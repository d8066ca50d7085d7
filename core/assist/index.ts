export { type Completions, completionsAt } from './complete.ts';
export { changeSetting, settingsOf } from './settings.ts';
export { symbolAt, usesOf } from './symbols.ts';
export { lineOn, nodesOfThing } from './hover.ts';
export { KINDS, edgeLabel, nodeName, noteOf } from './words.ts';
export { type DocumentSymbol, symbolsIn } from './outline.ts';
export { type Token, TOKEN_TYPES, tokensIn } from './tokens.ts';
export { foldsIn } from './folds.ts';
export { type KeyHere, keyAt, keyInWords } from './keys.ts';
