/** What somebody meant who wrote a value that cannot be read. */
import { nearest } from '../base/similar.ts';
import { parseDuration, parseRate, parseSize } from '../base/values.ts';
import type { ScalarNode } from '../syntax/tree.ts';

/** @returns the right values that a wrong one may be meant for, as they are written, the likeliest first */
export type Likely = (text: string, node?: ScalarNode) => readonly string[];

const TRUE = ['yes', 'y', 'on', 'true', '1', 'enabled'];
const FALSE = ['no', 'n', 'off', 'false', '0', 'disabled'];

export const flagLikely: Likely = (text) => {
  const word = text.trim().toLowerCase();
  return TRUE.includes(word) ? ['true'] : FALSE.includes(word) ? ['false'] : [];
};

/** What is written for one value in other places, by that value. */
const SAME: Readonly<Record<string, string>> = {
  fifo: 'ordered strict inorder exact true',
  'best-effort': 'unordered standard none false any',
  'drop-oldest': 'drophead dropold discardold drop evict',
  'refuse-new': 'reject rejectnew rejectpublish refuse block discardnew dropnew',
  manual: 'client explicit true atleastonce after',
  auto: 'automatic none false atmostonce before',
  share: 'shared compete competing divide balanced queue',
  copy: 'broadcast fanout all everyone own',
  rotate: 'roundrobin inturn turns cycle even',
  nearest: 'local closest near home',
  weighted: 'weight weights shares proportional',
  controlled: 'private restricted closed secured strict',
  open: 'public free anonymous unrestricted none',
  encrypted: 'tls ssl secure true yes',
  plain: 'none cleartext unencrypted false no insecure',
  consume: 'read receive get take listen dequeue',
  publish: 'write send put produce emit enqueue',
  browse: 'peek look view inspect',
  declare: 'configure create manage admin define',
  all: 'and every',
  any: 'or some',
  headers: 'header attributes match',
  fanout: 'broadcast',
  topic: 'pattern wildcard',
  direct: 'exact key',
};

export const choiceLikely =
  (values: readonly string[]): Likely =>
  (text) => {
    const word = text.toLowerCase().replace(/[^a-z0-9]/g, '');
    const found = values.find(
      (value) => value.replace(/[^a-z0-9]/g, '') === word || SAME[value]?.split(' ').includes(word),
    );
    const likely = found ?? nearest(text, values);
    return likely === undefined ? [] : [likely];
  };

export const idLikely: Likely = (text) => {
  const made = text
    .replace(/([\p{Ll}\d])(\p{Lu})/gu, '$1-$2')
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[-0-9]+|-+$/g, '');
  return made === '' || made === text ? [] : [made];
};

export const numberLikely =
  (minimum: number, maximum = Infinity): Likely =>
  (text) => {
    const digits = /^\+?(\d[\d_', ]*)(?:\.0+)?$/.exec(text.trim())?.[1]?.replace(/[_', ]/g, '');
    const n = digits === undefined ? Number(text) : Number(digits);
    if (Number.isNaN(n)) return [];
    const near = Math.min(Math.max(n, minimum), maximum);
    return [String(near)];
  };

const UNITS: readonly (readonly [unit: string, words: RegExp])[] = [
  ['ms', /^(?:ms|msecs?|millis|milliseconds?)$/],
  ['s', /^(?:s|secs?|seconds?)$/],
  ['m', /^(?:m|mins?|minutes?)$/],
  ['h', /^(?:h|hrs?|hours?)$/],
  ['d', /^(?:d|days?)$/],
];

export const durationLikely: Likely = (text) => {
  const [, number, word = ''] = /^(\d+(?:\.\d+)?)\s*([a-z]*)$/i.exec(text.trim()) ?? [];
  if (number === undefined) return [];
  if (word === '') return ['s', 'ms', 'm'].map((unit) => number + unit);
  if (/^w(?:eeks?)?$/i.test(word)) return [`${Number(number) * 7}d`];
  const unit = UNITS.find(([, words]) => words.test(word.toLowerCase()))?.[0];
  return unit !== undefined && parseDuration(number + unit) !== undefined ? [number + unit] : [];
};

export const sizeLikely: Likely = (text) => {
  const [, number, word = ''] = /^(\d+(?:\.\d+)?)\s*([a-z]*)$/i.exec(text.trim().replace(/[_,']/g, '')) ?? [];
  if (number === undefined) return [];
  const [letter = '', binary] = /^([kmg]?)(i?)(?:b|bytes?)?$/i.exec(word)?.slice(1) ?? [];
  const big = letter.toUpperCase();
  const written =
    word === '' || /^b/i.test(word)
      ? number
      : binary
        ? `${number}${big}iB`
        : `${number}${big === 'K' ? 'k' : big}B`;
  return written !== text && parseSize(written) !== undefined ? [written] : [];
};

export const rateLikely: Likely = (text) => {
  const [, number, word = ''] =
    /^(\d+(?:\.\d+)?)\s*(?:(?:\/|per|a|an)?\s*([a-z]*))$/i.exec(
      text.trim().replace(/\bmessages?\b\s*/i, ''),
    ) ?? [];
  if (number === undefined) return [];
  if (word === '') return ['s', 'min', 'h'].map((unit) => `${number}/${unit}`);
  const unit = /^s/i.test(word) ? 's' : /^m/i.test(word) ? 'min' : /^h/i.test(word) ? 'h' : '';
  return parseRate(`${number}/${unit}`) === undefined ? [] : [`${number}/${unit}`];
};
