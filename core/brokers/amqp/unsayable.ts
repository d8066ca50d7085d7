/** What AMQP 0-9-1 cannot carry of what can be declared, or what comes back otherwise than it was told. */
import { byteLength } from '../../base/values.ts';
import type { Place } from '../../syntax/place.ts';
import type { Unsayable } from '../kind.ts';
import type { GraphNode } from '../terms.ts';
import type { BindingDecl } from './declares.ts';

/** A name or key on the wire is a short string (AMQP 0-9-1 §4.2.5.3): at most so many bytes. */
const SHORT_STRING = 255;
const PLAIN = /^[ -~]*$/;
/** The arguments of one binding are sent in one piece of this size. */
const LARGEST_TABLE = 60_000;

/** @returns what of a queue or exchange, its name and the key of its dead letters, the protocol has no way to say */
export function unsayable(node: GraphNode): readonly Unsayable[] {
  if (node.role !== 'queue' && node.role !== 'exchange') return NOTHING;
  const { name } = node.thing;
  const { wireName } = node.decl;
  const found: Unsayable[] = [];
  const own = wireName?.value ?? name;
  short(found, () => `The name of ${node.role} ${shortened(name)}`, own, wireName?.place ?? node.place);
  const deadKey = node.role === 'queue' && node.decl.deadLetter?.key;
  if (deadKey) short(found, () => 'The key of these dead letters', deadKey.value, deadKey.place);
  return found;
}

/** @returns the key and headers of a binding that the protocol has no way to say */
export function unsayableOf(binding: BindingDecl): readonly Unsayable[] {
  const found: Unsayable[] = [];
  if (binding.key) short(found, () => 'This binding key', binding.key.value, binding.key.place);
  let table = 0;
  for (const [header, { value }] of binding.headers?.values ?? []) {
    short(found, () => `The header name ${shortened(header)}`, header, value.place);
    table += byteLength(header) + (typeof value.value === 'string' ? byteLength(value.value) : 8) + 6;
    const why = unsayableValue(value.value);
    if (why) found.push({ message: `The value of header ${shortened(header)} ${why}.`, place: value.place });
  }
  if (table > LARGEST_TABLE)
    found.push({
      message: `The headers of this binding take ${table} bytes; at most ${LARGEST_TABLE} can be sent.`,
      place: binding.place,
    });
  return found.length ? found : NOTHING;
}

const NOTHING: readonly Unsayable[] = [];

/** Adds what keeps a text from being a short string. */
function short(found: Unsayable[], what: () => string, text: string, place: Place): void {
  // nearly all are short and plain
  if (text.length < SHORT_STRING && PLAIN.test(text)) return;
  const complain = (how: string) => found.push({ message: `${what()} ${how}`, place });
  if (lone(text)) complain('has half of a character (a lone surrogate) in it, which cannot be sent.');
  else if (byteLength(text) > SHORT_STRING)
    complain(`has ${byteLength(text)} bytes; AMQP 0-9-1 carries at most ${SHORT_STRING}.`);
}

function unsayableValue(value: string | number | boolean | null): string | undefined {
  if (typeof value === 'number' && !Number.isFinite(value)) return 'is no number that can be sent';
  if (typeof value === 'number' && Number.isInteger(value) && !Number.isSafeInteger(value))
    return 'is a whole number beyond 2⁵³, which is not carried to the last digit';
  if (typeof value !== 'string') return undefined;
  if (lone(value)) return 'has half of a character (a lone surrogate) in it, which cannot be sent';
  if (value === 'undefined')
    return 'is the word that brokers tell a header by that may have any value; the two cannot be told apart';
  return undefined;
}

const lone = (text: string) => /\p{Surrogate}/u.test(text);
const shortened = (text: string) => (text.length > 40 ? `${text.slice(0, 40)}…` : text);
