/** XML 1.0, by a builder: attributes are names that begin with `@`, text stands under `#text`. */
import { XMLBuilder } from 'fast-xml-parser';

const builder = new XMLBuilder({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  format: true,
  suppressEmptyNode: true,
});

/** @returns a whole document with its declaration */
export const xmlDocument = (root: Readonly<Record<string, unknown>>): string =>
  String(builder.build({ '?xml': { '@version': '1.0', '@encoding': 'UTF-8' }, ...root }));

/** @returns a text with the characters that XML 1.0 cannot hold (§2.2) replaced by the replacement character */
export function sayable(text: string): string {
  // eslint-disable-next-line no-control-regex -- exactly the ones XML forbids
  return text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|\p{Surrogate}/gu, '\ufffd');
}
