export { show } from './explain.ts';
export { type Message, message } from './message.ts';
