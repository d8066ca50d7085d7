export { admits } from './evaluate.ts';
export { show } from './explain.ts';
export { type Message, message } from './message.ts';
export { ALWAYS, type Predicate } from './predicate.ts';
export { parseSelector } from './selector.ts';
export { wordsMatch, wordsOf } from './words.ts';
