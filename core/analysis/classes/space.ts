/**
 * All messages of one publish as a space: its variables are what conditions can tell messages by, and sets of messages
 * are decision diagrams over their cells. A word of the key that is a header's value is that header's variable.
 */
import { type Diagram, Diagrams, type Run } from '../../base/diagram.ts';
import { put } from '../../base/values.ts';
import {
  ABSENT,
  type Asked,
  type Cells,
  SET_UNDECLARED,
  type Schema,
  ask,
  attributeOf,
  cellsOf,
  countOf,
  nothingAsked,
  truthsOf,
} from '../../conditions/cells.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { operandsOf, show } from '../../conditions/explain.ts';
import { type Message, message } from '../../conditions/message.ts';
import type { Attribute, Predicate } from '../../conditions/predicate.ts';
import { unsaidLetter } from '../../conditions/texts.ts';
import { wordsOf } from '../../conditions/words.ts';
import type { MessageType } from '../../topology/messages.ts';
import { complete } from '../samples/samples.ts';
import {
  type Part,
  type PartWords,
  type PatternWord,
  type Places,
  askIn,
  close,
  exactly,
  fillingsOf,
  partsOf,
  patternOf,
  slotsIn,
  step,
  stepUnsaid,
  textIn,
  wantedAt,
  wordsIn,
} from './keys.ts';

/** The form messages have somewhere: under which key, and whether inside a topic's envelope. */
export interface Form {
  /** Another key than their own. */
  readonly key?: string;
  readonly wrapped?: true;
}

/** As it was published. */
export const OWN: Form = {};

/** Where a condition holds and where it does not; where neither, a selector says unknown. */
export interface Sets {
  readonly yes: Diagram;
  readonly no: Diagram;
}

/** What messages of a publish differ in. */
export interface Variable {
  /** What it is called: a header's or property's name, a placeholder's, or the question that nobody can answer. */
  readonly name: string;
  readonly place: 'header' | 'property' | 'word' | 'words' | 'unknown';
  readonly cells: Cells;
  /** How many values it has in all; undefined where they are without number. */
  readonly size: bigint | undefined;
}

/** Of values that are tried together there are at most so many combinations. */
const MOST_TRIED = 4096;

const TRUTH: Cells = {
  cells: [true, false, 'unknown'].map((value) => ({ value, size: undefined })),
  numbers: 0,
  ofText: new Map(),
  missing: [],
  loose: 'it cannot be told from what is declared',
};

type Located = 'absent' | 'unknown' | { readonly variable: number };

export class Space {
  readonly diagrams: Diagrams;
  readonly variables: Variable[] = [];
  /** How many messages there are; undefined where they are without number. */
  readonly total: bigint | undefined;
  private readonly parts: readonly Part[];
  private readonly byName = new Map<string, number>();
  private readonly words: (PartWords | undefined)[];
  private readonly unknowns = new Map<string, Sets>();
  private readonly compiled = new Map<string, Map<Predicate, Sets>>();
  /** Why nothing can be told of some keys. */
  private readonly keyless: string | undefined;

  /**
   * @param template what their keys are made by
   * @param conditions all that they may meet on their ways
   * @param most how many different sets are held at most
   */
  constructor(
    readonly type: MessageType,
    private readonly template: string,
    conditions: Iterable<Predicate>,
    most?: number,
  ) {
    this.diagrams = new Diagrams(most);
    this.parts = partsOf(template);
    const asked = new Map<string, Asked>();
    const of = (id: string) => {
      let known = asked.get(id);
      if (!known) asked.set(id, (known = nothingAsked()));
      return known;
    };
    const patterns: PatternWord[][] = [];
    const beginnings = new Set<string>();
    for (const condition of conditions) this.gather(condition, of, patterns, beginnings);
    const slots = [...new Set(this.parts.flatMap((part) => slotsIn(part).map(({ name }) => name)))];
    this.askKeys(patterns, beginnings, of);
    let keyless: string | undefined;
    for (const name of slots) {
      const many = this.parts.some((part) => 'many' in part && part.many.name === name);
      if (many) {
        const cells = patterns.length + beginnings.size ? this.fillings(patterns, beginnings) : undefined;
        this.add(
          `{${name}}`,
          name,
          'words',
          cells ?? cellsOf({ type: 'string' }, false, nothingAsked()),
          undefined,
        );
        if (patterns.length && !cells) keyless = 'too many patterns meet in its key';
        continue;
      }
      const declared = type.headers.get(name);
      const schema = declared?.schema ?? { type: 'string' };
      const id = declared ? `header ${name}` : `{${name}}`;
      const cells = cellsOf(schema, false, of(id));
      this.add(id, name, declared ? 'header' : 'word', cells, countOf(schema));
    }
    for (const place of ['headers', 'properties'] as const)
      for (const [name, { schema }] of type[place]) {
        const id = `${place === 'headers' ? 'header' : 'property'} ${name}`;
        const about = asked.get(id);
        if (this.byName.has(id)) continue;
        const optional = this.isOptional(name, schema);
        const count = countOf(schema);
        const size = count === undefined ? undefined : count + (optional ? 1n : 0n);
        this.add(
          id,
          name,
          place === 'headers' ? 'header' : 'property',
          about
            ? cellsOf(schema, optional, about)
            : { cells: [], numbers: 0, ofText: new Map(), missing: [] },
          size,
        );
      }
    this.total = this.variables.reduce<bigint | undefined>(
      (product, { size }) => (product === undefined || size === undefined ? undefined : product * size),
      1n,
    );
    const single = (part: Part) => slotsIn(part).length === 1 && !('many' in part);
    this.words = this.parts.map((part) =>
      single(part)
        ? wordsIn(part, this.variables[this.slot(slotsIn(part)[0]!.name)]!.cells, this.parts.length === 1)
        : undefined,
    );
    this.keyless = keyless;
  }

  private add(
    id: string,
    name: string,
    place: Variable['place'],
    cells: Cells,
    size: bigint | undefined,
  ): void {
    this.byName.set(id, this.variables.length);
    this.variables.push({ name, place, cells, size });
  }

  private isOptional(name: string, schema: Schema): boolean {
    return !this.type.required.has(name) && !('const' in schema);
  }

  private slot(name: string): number {
    return this.byName.get(`header ${name}`) ?? this.byName.get(`{${name}}`)!;
  }

  /** Notes what a condition asks of which variable. */
  private gather(
    condition: Predicate,
    of: (id: string) => Asked,
    patterns: PatternWord[][],
    beginnings: Set<string>,
  ): void {
    if (condition.op === 'all' || condition.op === 'any') {
      for (const each of condition.of) this.gather(each, of, patterns, beginnings);
      return;
    }
    if (condition.op === 'not') return this.gather(condition.of, of, patterns, beginnings);
    const attribute = attributeOf(condition);
    if (attribute?.in === 'key') {
      if (condition.op === 'words') patterns.push(patternOf(condition.pattern));
      else if (condition.op === 'equals' && typeof condition.value === 'string')
        patterns.push(exactly(wordsOf(condition.value)));
      else if (condition.op === 'prefix') beginnings.add(condition.value);
      return;
    }
    for (const each of attribute ? [attribute] : operandsOf(condition))
      for (const id of this.idsOf(each))
        if (attribute) ask(of(id), condition);
        else of(id).whole = true;
  }

  private idsOf(attribute: Attribute): string[] {
    if (attribute.in === 'key') return [];
    const { name } = attribute;
    return [
      ...(attribute.in !== 'header' && this.type.properties.has(name) ? [`property ${name}`] : []),
      ...(attribute.in !== 'property' && this.type.headers.has(name) ? [`header ${name}`] : []),
    ];
  }

  /** Notes which values the words of keys are asked to make. */
  private askKeys(
    patterns: readonly PatternWord[][],
    beginnings: ReadonlySet<string>,
    of: (id: string) => Asked,
  ): void {
    const asking = (part: Part): Asked | undefined => {
      const [slot, other] = slotsIn(part);
      if (!slot || other || 'many' in part) return undefined;
      return of(this.type.headers.has(slot.name) ? `header ${slot.name}` : `{${slot.name}}`);
    };
    const open = this.parts.map(asking);
    const anywhere = new Set<string>();
    const at: Set<string>[] = this.parts.map(() => new Set());
    const firm = !this.parts.some((part) => 'many' in part);
    for (const pattern of patterns) {
      const fixed = firm && !pattern.includes('many');
      if (fixed && pattern.length === this.parts.length)
        pattern.forEach((word, i) => typeof word === 'object' && at[i]!.add(word.is));
      // values that hold points make several words: what stands where is not to be told by counting
      for (const word of pattern) if (typeof word === 'object') anywhere.add(word.is);
    }
    const shifting =
      !firm ||
      patterns.some((pattern) => pattern.includes('many')) ||
      this.parts.some((part) =>
        slotsIn(part).some(({ name }) =>
          valuesOf(this.type.headers.get(name)?.schema).some((value) => value.includes('.')),
        ),
      );
    this.parts.forEach((part, i) => {
      const about = open[i];
      if (!about) return;
      askIn(part, about, shifting ? anywhere : at[i]!);
      if (i > 0 || 'many' in part) return;
      for (const begin of beginnings) about.patterns.set(`^${begin}`, [begin, { any: 'many' }]);
    });
  }

  /** The ways in which any number of words can lead through patterns. */
  private fillings(patterns: readonly PatternWord[][], beginnings: ReadonlySet<string>): Cells | undefined {
    const said = new Set(
      patterns.flatMap((pattern) => pattern.flatMap((word) => (typeof word === 'object' ? [word.is] : []))),
    );
    const other = unsaidLetter([...said, ...beginnings]);
    const found = fillingsOf(
      patterns,
      other,
      [...beginnings].map((begin) => begin + other),
    );
    return (
      found && {
        cells: found.map((value) => ({ value, size: undefined })),
        numbers: 0,
        ofText: new Map(),
        missing: [],
      }
    );
  }

  private locate(attribute: Attribute, form: Form): Located[] {
    if (attribute.in === 'key') return [];
    const { name } = attribute;
    const property = this.byName.get(`property ${name}`);
    const header = this.byName.get(`header ${name}`);
    const inEnvelope = form.wrapped && name !== 'subject';
    const places: Located[] = [];
    if (attribute.in !== 'header' && property !== undefined && !inEnvelope)
      places.push({ variable: property });
    if (attribute.in !== 'property' && header !== undefined && !form.wrapped)
      places.push({ variable: header });
    if (places.length === 0)
      places.push(
        attribute.in !== 'header' && SET_UNDECLARED.has(name) && !form.wrapped ? 'unknown' : 'absent',
      );
    return places;
  }

  /** @returns where a condition holds among messages in a form */
  sets(predicate: Predicate, form: Form): Sets {
    const key = `${form.wrapped ? 'w' : ''}${form.key === undefined ? '' : `=${form.key}`}`;
    let known = this.compiled.get(key);
    if (!known) this.compiled.set(key, (known = new Map()));
    let sets = known.get(predicate);
    if (!sets) known.set(predicate, (sets = this.compile(predicate, form)));
    return sets;
  }

  private compile(predicate: Predicate, form: Form): Sets {
    const { diagrams } = this;
    const { yes, no, and, or } = diagrams;
    switch (predicate.op) {
      case 'always':
        return { yes, no };
      case 'never':
        return predicate.unread ? this.unknown('what could not be read') : { yes: no, no: yes };
      case 'not': {
        const of = this.sets(predicate.of, form);
        return { yes: of.no, no: of.yes };
      }
      case 'all':
      case 'any': {
        const all = predicate.of.map((each) => this.sets(each, form));
        const [each, some] = predicate.op === 'all' ? [and, or] : [or, and];
        const [start, end] = predicate.op === 'all' ? [yes, no] : [no, yes];
        return {
          yes: diagrams.all(
            each,
            all.map((of) => of.yes),
            start,
          ),
          no: diagrams.all(
            some,
            all.map((of) => of.no),
            end,
          ),
        };
      }
      default:
        return this.leaf(predicate, form);
    }
  }

  private leaf(predicate: Predicate, form: Form): Sets {
    const attribute = attributeOf(predicate);
    if (!attribute) return this.together(predicate, form);
    if (attribute.in === 'key') return this.keyed(predicate, form);
    const [first, second] = this.locate(attribute, form);
    const at = (located: Located): Sets => {
      if (located === 'unknown') return this.unknown(show(predicate));
      if (located === 'absent') return this.constant(evaluate(predicate, message({})));
      const { variable } = located;
      const { cells } = this.variables[variable]!;
      const { yes, unknown } = truthsOf(predicate, cells);
      const size = cells.cells.length;
      const holds = this.diagrams.oneOf(variable, yes, size);
      const open = this.diagrams.oneOf(variable, unknown, size);
      return {
        yes: holds,
        no: this.diagrams.not(this.diagrams.apply(this.diagrams.or, holds, open)),
      };
    };
    const one = at(first!);
    if (second === undefined) return one;
    // the property where it is there, else the header
    const { cells } = this.variables[(first as { variable: number }).variable]!;
    const gone = cells.cells.findIndex(({ value }) => value === ABSENT);
    if (gone < 0) return one;
    const without = this.diagrams.oneOf(
      (first as { variable: number }).variable,
      [[gone, gone + 1]],
      cells.cells.length,
    );
    const other = at(second);
    const either = (there: Diagram, missing: Diagram) =>
      this.diagrams.apply(
        this.diagrams.or,
        this.diagrams.apply(this.diagrams.without, there, without),
        this.diagrams.apply(this.diagrams.and, missing, without),
      );
    return { yes: either(one.yes, other.yes), no: either(one.no, other.no) };
  }

  private constant(truth: boolean | undefined): Sets {
    const { yes, no } = this.diagrams;
    return { yes: truth === true ? yes : no, no: truth === false ? yes : no };
  }

  /** A question that what is declared does not answer. */
  private unknown(name: string): Sets {
    let known = this.unknowns.get(name);
    if (!known) {
      const variable = this.variables.length;
      this.variables.push({ name, place: 'unknown', cells: TRUTH, size: undefined });
      known = {
        yes: this.diagrams.oneOf(variable, [[0, 1]], 3),
        no: this.diagrams.oneOf(variable, [[1, 2]], 3),
      };
      this.unknowns.set(name, known);
    }
    return known;
  }

  /** A condition on several attributes at once: where their values are few, each combination is tried. */
  private together(predicate: Predicate, form: Form): Sets {
    const operands = operandsOf(predicate);
    const places = operands.flatMap((each) =>
      each.in === 'key' ? ['unknown' as const] : this.locate(each, form),
    );
    if (places.includes('unknown')) return this.unknown(show(predicate));
    const variables = [
      ...new Set(places.flatMap((each) => (typeof each === 'object' ? [each.variable] : []))),
    ].sort((a, b) => a - b);
    const combinations = variables.reduce(
      (product, each) => product * this.variables[each]!.cells.cells.length,
      1,
    );
    const each = variables.map((variable) => this.variables[variable]!);
    if (combinations > MOST_TRIED || each.some(({ cells }) => cells.cells.some(({ size }) => size !== 1n)))
      return this.unknown(show(predicate));
    const build = (i: number, parts: Pick<Message, 'headers' | 'properties'>, truth: boolean): Diagram => {
      const variable = variables[i];
      if (variable === undefined)
        return evaluate(predicate, message(parts)) === truth ? this.diagrams.yes : this.diagrams.no;
      const { name, place, cells } = this.variables[variable]!;
      const next = cells.cells.map(({ value }) => {
        if (value === ABSENT) return build(i + 1, parts, truth);
        const own = { [name]: value };
        return build(
          i + 1,
          place === 'property'
            ? { ...parts, properties: { ...parts.properties, ...own } }
            : { ...parts, headers: { ...parts.headers, ...own } },
          truth,
        );
      });
      return this.diagrams.node(
        variable,
        next.map((_, cell) => cell),
        next,
      );
    };
    const none = { headers: {}, properties: {} };
    return { yes: build(0, none, true), no: build(0, none, false) };
  }

  private keyed(predicate: Predicate, form: Form): Sets {
    if (form.key !== undefined) return this.constant(evaluate(predicate, message({ key: form.key })));
    const twoValued = (yes: Diagram): Sets => ({ yes, no: this.diagrams.not(yes) });
    if (this.parts.every((part) => slotsIn(part).length === 0))
      return this.constant(evaluate(predicate, message({ key: this.template })));
    if (this.keyless === undefined) {
      if (predicate.op === 'words')
        return twoValued(this.matching(patternOf(predicate.pattern), show(predicate)));
      if (predicate.op === 'equals' && typeof predicate.value === 'string')
        return twoValued(this.matching(exactly(wordsOf(predicate.value)), show(predicate)));
      if (predicate.op === 'prefix') {
        const begins = this.beginning(predicate.value);
        if (begins) return twoValued(begins);
      }
      if (predicate.op === 'present') return this.constant(true);
    }
    return this.unknown(show(predicate));
  }

  /** The messages whose key begins with a text; undefined where that is not followed. */
  private beginning(text: string): Diagram | undefined {
    const [part] = this.parts;
    if (!part || text.includes('.')) return undefined;
    const [slot, other] = slotsIn(part);
    if (!slot) {
      const literal = ('pieces' in part ? part.pieces : []).join('');
      return literal.startsWith(text) ? this.diagrams.yes : this.diagrams.no;
    }
    if (other)
      return this.several(part, (key) => (key.startsWith(text) ? this.diagrams.yes : this.diagrams.no));
    const variable = this.slot(slot.name);
    const { cells } = this.variables[variable]!;
    const runs: Run[] = [];
    for (const [i, cell] of cells.cells.entries()) {
      const key =
        'many' in part
          ? (cell.value as readonly string[]).join('.')
          : part.pieces.map((piece) => (typeof piece === 'string' ? piece : textIn(cell))).join('');
      if ('many' in part && key === '' && this.parts.length > 1) return undefined;
      if (key.startsWith(text)) runs.push([i, i + 1]);
    }
    return this.diagrams.oneOf(variable, runs, cells.cells.length);
  }

  /** The messages whose key matches a pattern. */
  private matching(pattern: readonly PatternWord[], shown: string): Diagram {
    const { diagrams, parts } = this;
    const known = new Map<string, Diagram>();
    const from = (i: number, at: Places): Diagram => {
      if (at.length === 0) return diagrams.no;
      const part = parts[i];
      if (!part) return at.includes(pattern.length) ? diagrams.yes : diagrams.no;
      const id = `${i}:${at.join()}`;
      let made = known.get(id);
      if (!made) known.set(id, (made = through(part, i, at)));
      return made;
    };
    const after = (i: number, at: Places, words: readonly string[]): Diagram => {
      let here = at;
      for (const word of words) here = step(pattern, here, word);
      return from(i + 1, here);
    };
    const through = (part: Part, i: number, at: Places): Diagram => {
      const slots = slotsIn(part);
      if (slots.length === 0) return after(i, at, [('pieces' in part ? part.pieces : []).join('')]);
      const words = this.words[i];
      if (words) return this.bySlot(this.slot(slots[0]!.name), words, pattern, at, i, from, after);
      if ('many' in part) {
        const variable = this.slot(part.many.name);
        const { cells } = this.variables[variable]!.cells;
        return this.choice(
          variable,
          cells.map((cell, c) => [c, after(i, at, cell.value as readonly string[])] as const),
          diagrams.no,
        );
      }
      return this.several(part, (text) => after(i, at, text.split('.'))) ?? this.unknown(shown).yes;
    };
    return from(0, close(pattern, [0]));
  }

  private bySlot(
    variable: number,
    { byWord, odd }: PartWords,
    pattern: readonly PatternWord[],
    at: Places,
    i: number,
    from: (i: number, at: Places) => Diagram,
    after: (i: number, at: Places, words: readonly string[]) => Diagram,
  ): Diagram {
    const special: (readonly [number, Diagram])[] = odd.map(({ cell, words }) => [cell, after(i, at, words)]);
    for (const word of wantedAt(pattern, at)) {
      const run = byWord.get(word === '\u0000*' ? '*' : word);
      if (run) special.push([run[0], after(i, at, [word === '\u0000*' ? '*' : word])]);
    }
    return this.choice(variable, special, from(i + 1, stepUnsaid(pattern, at)));
  }

  /** @returns what hangs on one variable: of some cells something of their own, of the others `rest` */
  private choice(variable: number, special: readonly (readonly [number, Diagram])[], rest: Diagram): Diagram {
    const { diagrams } = this;
    const of = this.variables[variable]!.cells.cells.length;
    const sorted = [...new Map(special)].sort(([a], [b]) => a - b);
    if ([rest, ...sorted.map(([, next]) => next)].every((next) => next.variable > variable))
      return diagrams.byRuns(
        variable,
        sorted.map(([cell, own]) => [cell, cell + 1, own] as const),
        of,
        rest,
      );
    // a slot that stands in the key twice, or out of order
    const runs = sorted.map(([cell]): Run => [cell, cell + 1]);
    const parts = sorted.map(([cell, own]) =>
      diagrams.apply(diagrams.and, diagrams.oneOf(variable, [[cell, cell + 1]], of), own),
    );
    parts.push(diagrams.apply(diagrams.without, rest, diagrams.oneOf(variable, runs, of)));
    return diagrams.all(diagrams.or, parts, diagrams.no);
  }

  /** One word of several slots: where their values are few, each combination. */
  private several(part: Part, then: (text: string) => Diagram): Diagram | undefined {
    if ('many' in part) return undefined;
    const slots = slotsIn(part).map(({ name }) => this.slot(name));
    const all = slots.map((slot) => this.variables[slot]!.cells.cells);
    if (all.reduce((product, { length }) => product * length, 1) > MOST_TRIED) return undefined;
    if (all.some((cells) => cells.some((cell) => cell.other ?? cell.between))) return undefined;
    const build = (i: number, slot: number, text: string): Diagram => {
      const piece = part.pieces[i];
      if (piece === undefined) return then(text);
      if (typeof piece === 'string') return build(i + 1, slot, text + piece);
      return this.choice(
        slots[slot]!,
        all[slot]!.map((cell, c) => [c, build(i + 1, slot + 1, text + textIn(cell))] as const),
        this.diagrams.no,
      );
    };
    return build(0, 0, '');
  }

  /** @returns why a set that hangs on a variable is not proved; undefined where it is */
  looseAt(variable: number): string | undefined {
    const { cells, name, place } = this.variables[variable]!;
    if (cells.loose === undefined) return undefined;
    return place === 'unknown' ? `${name}: ${cells.loose}` : `\`${name}\`: ${cells.loose}`;
  }

  /** @returns how many messages a cell's variable has between two variables, neither of them counted */
  between(variable: number, other: number): bigint {
    let product = 1n;
    for (let i = variable + 1; i < Math.min(other, this.variables.length); i++)
      product *= this.variables[i]!.size ?? 1n;
    return product;
  }

  /** @returns a whole message that has these cells, and as little else as it must */
  messageOf(path: ReadonlyMap<number, number>): Message {
    const given = { headers: {} as Record<string, unknown>, properties: {} as Record<string, unknown> };
    const texts = new Map<string, string | readonly string[]>();
    this.variables.forEach(({ name, place, cells }, i) => {
      if (place === 'unknown') return;
      const chosen = path.get(i);
      const inKey = this.parts.some((part) => slotsIn(part).some((slot) => slot.name === name));
      const value = cells.cells[chosen ?? 0]?.value;
      if (place === 'word' || place === 'words') {
        texts.set(name, (value as string | readonly string[] | undefined) ?? 'x');
        return;
      }
      if (value === ABSENT || (chosen === undefined && !inKey)) return;
      if (value !== undefined) put(place === 'header' ? given.headers : given.properties, name, value);
    });
    const made = complete(this.type, given);
    const words = this.parts.flatMap((part): string[] => {
      const fill = ({ name }: { readonly name: string }) => {
        const value = texts.get(name) ?? made.headers[name];
        return value === undefined ? 'x' : value;
      };
      if ('many' in part) return [fill(part.many)].flat().map(String);
      return [part.pieces.map((piece) => (typeof piece === 'string' ? piece : String(fill(piece)))).join('')];
    });
    return { ...made, key: words.join('.') };
  }
}

const valuesOf = (schema: Schema | undefined): string[] =>
  !schema
    ? []
    : 'const' in schema
      ? [String(schema['const'])]
      : Array.isArray(schema['enum'])
        ? schema['enum'].map(String)
        : [];
