/**
 * Two changes of the same topology put together: documents by name, what they say key by key. Each text stays as
 * its writer wrote it, comments and all, wherever the lines allow it; where both wrote into the same lines, the
 * keys are told apart, and what is to be said is written into mine with the least changed. What comes out is read
 * again and must say exactly what both changes say together, else it is not handed out and both are shown.
 */
import type { TextDocument } from '../../base/edits.ts';
import { parseDocument } from '../../syntax/parse.ts';
import { type Data, dataOf, distance, jsonOf } from './data.ts';
import { type Region, candidates, linesOf, mergeLines } from './lines.ts';
import { renderAfterKey } from '../../syntax/render.ts';
import { type Clash, type Side, mergeData } from './three.ts';
import { written } from './write.ts';

/** One value, stretch of lines or document that both sides changed, each otherwise. */
export interface Conflict {
  /** Stays the same for as long as the three texts do: a choice is told by it. */
  readonly id: string;
  readonly doc: string;
  /** Keys that lead to it, the outermost first; of a list item what it said. Empty for a whole document or lines. */
  readonly way: readonly string[];
  /** As YAML, or as the lines that stood there; undefined for a side where it is not. */
  readonly base: string | undefined;
  readonly mine: string | undefined;
  readonly theirs: string | undefined;
}

export interface Merged {
  /** Both changes together; in a conflict nobody decided yet, as mine has it. */
  readonly documents: readonly TextDocument[];
  /** All of them, decided or not. */
  readonly conflicts: readonly Conflict[];
}

/** Which side counts in which conflict, by its id. */
export type Choices = ReadonlyMap<string, Side>;

/**
 * Puts two changes of the same documents together. A document that both left as it was, or that one side alone
 * changed, is that side's byte for byte; one that a side gave another name is found by what is in it.
 *
 * @param base what both began from
 * @param choices what was decided of the conflicts told before
 * @returns never throws; the documents in the order of mine, what theirs added behind them
 */
export function merge(
  base: readonly TextDocument[],
  mine: readonly TextDocument[],
  theirs: readonly TextDocument[],
  choices: Choices = new Map(),
): Merged {
  const conflicts: Conflict[] = [];
  const documents: TextDocument[] = [];
  const taken = new Set<string>();
  const put = (name: string, text: string, kept?: TextDocument) => {
    if (taken.has(name)) return;
    taken.add(name);
    documents.push(kept?.text === text && kept.name === name ? kept : { name, text });
  };
  const was = byName(base);
  const [left, right] = [renamedIn(base, mine), renamedIn(base, theirs)];
  const [here, there] = [byName(mine), byName(theirs)];
  const names = [
    ...mine.map(({ name }) => left.before.get(name) ?? name),
    ...theirs.map(({ name }) => right.before.get(name) ?? name),
    ...base.map(({ name }) => name),
  ];
  for (const name of new Set(names)) {
    const before = was.get(name);
    const [inMine, inTheirs] = [left.after.get(name) ?? name, right.after.get(name) ?? name];
    const [own, other] = [here.get(inMine), there.get(inTheirs)];
    const called = inMine !== name ? inMine : inTheirs;
    if (own && other) {
      const merged = mergeTexts(called, before?.text ?? '', own.text, other.text, choices);
      conflicts.push(...merged.conflicts);
      put(called, merged.text, own);
    } else if (own ?? other) {
      const only = (own ?? other)!;
      // taken away by one side, and as it was with the other
      if (before && only.text === before.text) continue;
      if (before) {
        const id = JSON.stringify([called]);
        conflicts.push({
          id,
          doc: called,
          way: [],
          base: before.text,
          mine: own?.text,
          theirs: other?.text,
        });
        const chosen = choices.get(id) === 'theirs' ? other : own;
        if (chosen) put(called, chosen.text, own);
      } else put(only.name, only.text, only);
    }
  }
  return { documents, conflicts };
}

const byName = (documents: readonly TextDocument[]) =>
  new Map(documents.map((document) => [document.name, document]));

/** Which documents of a side are those of the base under another name. */
function renamedIn(base: readonly TextDocument[], side: readonly TextDocument[]) {
  const before = new Map<string, string>();
  const after = new Map<string, string>();
  const there = new Set(side.map(({ name }) => name));
  const was = new Set(base.map(({ name }) => name));
  const gone = base.filter(({ name }) => !there.has(name));
  const come = side.filter(({ name }) => !was.has(name));
  for (const of of gone) {
    const free = come.filter(({ name }) => !before.has(name));
    const found =
      free.find(({ text }) => text === of.text && text.trim() !== '') ??
      free.find(({ text }) => isMostly(of.text, text));
    if (!found) continue;
    before.set(found.name, of.name);
    after.set(of.name, found.name);
  }
  return { before, after };
}

/** Whether more than half of the lines of either text are in the other. */
function isMostly(a: string, b: string): boolean {
  const [left, right] = [linesOf(a), new Set(linesOf(b))];
  const shared = left.filter((line) => line.trim() !== '' && right.has(line)).length;
  return shared > 0 && shared * 2 > Math.max(left.length, right.size);
}

/** A text, and what both sides of it changed otherwise. */
interface MergedText {
  readonly text: string;
  readonly conflicts: readonly Conflict[];
}

function mergeTexts(doc: string, base: string, mine: string, theirs: string, choices: Choices): MergedText {
  const sure = (text: string): MergedText => ({ text, conflicts: [] });
  if (mine === theirs || theirs === base) return sure(mine);
  if (mine === base) return sure(theirs);
  const regions = mergeLines(base, mine, theirs);
  return (
    byKeys(doc, regions, base, mine, theirs, choices) ?? byLines(doc, regions, base, mine, theirs, choices)
  );
}

/** @returns undefined where one of the texts is no YAML to be told by its keys, or the outcome cannot be written */
function byKeys(
  doc: string,
  regions: readonly Region[] | undefined,
  base: string,
  mine: string,
  theirs: string,
  choices: Choices,
): MergedText | undefined {
  const [was, here, there] = [base, mine, theirs].map(read);
  if (!was || !here || !there) return undefined;
  const conflicts: Conflict[] = [];
  const wanted = mergeData(was, here, there, (clash) => {
    const conflict = asConflict(doc, clash);
    conflicts.push(conflict);
    return choices.get(conflict.id) ?? 'mine';
  });
  if (!wanted) return undefined;
  const lines = regions && nearest(regions, wanted);
  const comments = commentsOf(mine + theirs, base);
  let best: { readonly text: string; readonly lost: number } | undefined;
  for (const from of [lines, mine, theirs]) {
    if (best?.lost === 0) break;
    const text = from === undefined ? undefined : written(from, wanted);
    if (text === undefined) continue;
    const lost = lostOf(comments, text);
    if (!best || lost < best.lost) best = { text, lost };
  }
  return best && { text: best.text, conflicts };
}

/** What says nothing to a program, and much to people: the comments of a text that another does not have. */
function commentsOf(text: string, without: string): ReadonlySet<string> {
  const all = (of: string) => of.match(/(?<=^|\s)#.*$/gm) ?? [];
  const known = new Set(all(without));
  return new Set(all(text).filter((comment) => !known.has(comment)));
}

const lostOf = (comments: ReadonlySet<string>, text: string): number =>
  [...comments].filter((comment) => !text.includes(comment)).length;

/** @returns what a text says; undefined where it is no YAML, or a key stands in it twice */
function read(text: string): Data | undefined {
  const { root, problems } = parseDocument(text);
  return problems.length ? undefined : dataOf(root);
}

/** What a lost comment counts for, in values. */
const LOST = 1000;
/** So much text is read to find the best way to write what both sides wrote into the same lines; code units. */
const MOST_READ = 4_000_000;

/** @returns the lines of both together that say most of what is wanted */
function nearest(regions: readonly Region[], wanted: Data): string {
  const chosen = regions.map((region) => (region.clash ? region.mine : region.lines));
  const text = () => chosen.map((lines) => lines.join('')).join('');
  const far = () => {
    const said = read(text());
    return said ? distance(said, wanted) : Infinity;
  };
  const clashing = regions.flatMap((region, i) => (region.clash ? [{ region, i }] : []));
  const tries = Math.floor(MOST_READ / (5 * (text().length + 1)));
  for (const { region, i } of clashing.slice(0, Math.min(tries, 40))) {
    const [was, here, there] = [region.base, region.mine, region.theirs].map((each) => each.join(''));
    const comments = commentsOf(here! + there!, was!);
    let best = { lines: chosen[i]!, cost: Infinity };
    for (const lines of candidates(region)) {
      chosen[i] = lines;
      // what a text says otherwise is written into it afterwards, a comment that is not in it is lost
      const cost = far() + LOST * lostOf(comments, lines.join(''));
      if (cost < best.cost) best = { lines, cost };
      if (cost === 0) break;
    }
    chosen[i] = best.lines;
  }
  return text();
}

/** Both as lines, where the keys cannot be told apart: what both wrote into is chosen stretch by stretch. */
function byLines(
  doc: string,
  regions: readonly Region[] | undefined,
  base: string,
  mine: string,
  theirs: string,
  choices: Choices,
): MergedText {
  const all: readonly Region[] = regions ?? [{ clash: true, base: [base], mine: [mine], theirs: [theirs] }];
  const conflicts: Conflict[] = [];
  const lines = all.flatMap((region, i) => {
    if (!region.clash) return region.lines;
    const id = JSON.stringify([doc, i]);
    const [before, own, other] = [region.base, region.mine, region.theirs].map((each) => each.join(''));
    conflicts.push({ id, doc, way: [], base: before, mine: own, theirs: other });
    return choices.get(id) === 'theirs' ? region.theirs : region.mine;
  });
  return { text: lines.join(''), conflicts };
}

function asConflict(doc: string, { way, base, mine, theirs }: Clash): Conflict {
  const text = (data: Data | undefined) => data && renderAfterKey(jsonOf(data), -2, 0).trim();
  return {
    id: JSON.stringify([doc, ...way.map((step) => `/${step}`)]),
    doc,
    way,
    base: text(base),
    mine: text(mine),
    theirs: text(theirs),
  };
}
