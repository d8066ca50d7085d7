/** Plain scalars under the core schema of YAML 1.2. */

/** @returns the value a plain scalar of this text has under YAML 1.2's core schema. */
export function typedScalar(text: string): string | number | boolean | null {
  if (/^(?:null|Null|NULL|~|)$/.test(text)) return null;
  if (/^(?:true|True|TRUE)$/.test(text)) return true;
  if (/^(?:false|False|FALSE)$/.test(text)) return false;
  if (
    /^[-+]?[0-9]+$/.test(text) ||
    /^[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?$/.test(text)
  ) {
    return Number(text);
  }
  if (/^0o[0-7]+$/.test(text) || /^0x[0-9a-fA-F]+$/.test(text)) return Number(text);
  if (/^[-+]?\.(?:inf|Inf|INF)$/.test(text)) return text.startsWith('-') ? -Infinity : Infinity;
  if (/^\.(?:nan|NaN|NAN)$/.test(text)) return NaN;
  return text;
}
