/** Names and numbers as a sentence has them. */

/** @returns `a`, `a and b`, `a, b and c`; past `most` the rest is counted */
export function listed(names: readonly string[], most = 4, word = 'and'): string {
  const shown =
    names.length > most ? [...names.slice(0, most - 1), `${names.length - most + 1} more`] : names;
  return shown.length < 2 ? shown.join('') : `${shown.slice(0, -1).join(', ')} ${word} ${shown.at(-1)}`;
}

/** @returns `1 copy`, `3 copies` */
export function counted(n: number, one: string, many = `${one}s`): string {
  return `${n} ${n === 1 ? one : many}`;
}

/** @returns `an exchange`, `a queue` */
export const withArticle = (noun: string): string => `${/^[aeiou]/i.test(noun) ? 'an' : 'a'} ${noun}`;
