/** The fields of a form, from the description of the language that the reader itself uses. */
import { namesThatFit } from '../complete.ts';
import { filter } from '../../language/filter.ts';
import type { Field as LanguageField, Shape } from '../../language/shape.ts';
import { typedWord, wordOf } from '../../syntax/edit/edit.ts';
import { parseDocument } from '../../syntax/parse.ts';
import type { Json } from '../../syntax/render.ts';
import { toJson } from '../../syntax/tree.ts';
import type { Topology } from '../../topology/topology.ts';

/** What a person put in a field: a text, several, or rows of texts by column. */
export type Given = string | readonly string[] | readonly Readonly<Record<string, string>>[];

/** One field of a form. */
export interface FormField {
  /** Its key; with a dot for one inside another, as in `deadLetter.to`. */
  readonly name: string;
  readonly about: string;
  /** What holds where it is left empty, in words. */
  readonly otherwise?: string;
  readonly required?: true;
  /**
   * text: one value; many: several; rows: several, each of the columns; data: JSON or YAML of any shape.
   */
  readonly kind: 'text' | 'many' | 'rows' | 'data';
  /** The values there are to choose from. */
  readonly values?: readonly string[];
  /** Names of this topology that may stand here; others may be written too. */
  readonly suggest?: readonly string[];
  readonly columns?: readonly FormField[];
}

/** A field that knows how what is put in it is written. */
export interface Writable extends FormField {
  /** @returns what is written of what was given; undefined for nothing. @throws TypeError with words for what cannot be */
  readonly write: (given: Given) => Json | undefined;
}

/** @returns the fields of an object of the language, those inside others with a dot between */
export function fieldsOf(topology: Topology, shape: Shape<unknown>, home?: string, prefix = ''): Writable[] {
  return Object.entries(shape.fields ?? {}).flatMap(([key, field]): Writable[] => {
    if (key === 'accept') return [];
    const name = `${prefix}${key}`;
    // a filter holds filters: a form offers its plain kinds
    if (field.shape === filter) return fieldsOf(topology, plainFilter(), home, `${name}.`);
    if (field.shape.fields && !field.shape.items) {
      const inner = fieldsOf(topology, field.shape, home, `${name}.`);
      // without what must be stated inside, the whole of it is not stated
      return inner.map(({ required, ...each }) =>
        required && field.otherwise ? { ...each, otherwise: field.otherwise } : each,
      );
    }
    const made = fieldOf(topology, name, field, home);
    return made ? [made] : [];
  });
}

function plainFilter(): Shape<unknown> {
  const { selector, match, prefix } = filter.fields!;
  return { ...filter, fields: { selector: selector!, match: match!, prefix: prefix! } };
}

const isScalar = ({ fields, items, variants, values, schema }: Shape<unknown>): boolean =>
  !fields &&
  !items &&
  !variants &&
  (values !== undefined || ('type' in schema && schema['type'] !== 'object'));

function fieldOf(
  topology: Topology,
  name: string,
  { shape, about, otherwise, required }: LanguageField<unknown>,
  home: string | undefined,
): Writable | undefined {
  const named = shape.names ?? shape.items?.names;
  const suggest = named ? namesThatFit(topology, named, home) : [];
  const known = {
    name,
    about,
    ...(otherwise ? { otherwise } : {}),
    ...(required ? { required } : {}),
    ...(suggest.length ? { suggest } : {}),
  };
  const { items } = shape;
  if (items?.fields && !items.items) {
    const columns = fieldsOf(topology, items, home);
    return { ...known, kind: 'rows', columns, write: (given) => rowsOf(given, columns) };
  }
  if (items && shape.byName) {
    if (items.schema['type'] === 'object') return domains(known);
    const columns = [column('name', 'what it is called', suggest), column('value', 'its value')];
    return { ...known, kind: 'rows', columns, write: namedValues };
  }
  if (items) {
    const values = items.values;
    return {
      ...known,
      kind: 'many',
      ...(values ? { values } : {}),
      write: (given) => {
        const all = texts(given).map(scalar);
        return all.length === 0 ? undefined : all;
      },
    };
  }
  if (!isScalar(shape)) return { ...known, kind: 'data', write: data };
  return {
    ...known,
    kind: 'text',
    ...(shape.values ? { values: shape.values } : {}),
    write: (given) => {
      const [text] = texts(given);
      return text === undefined ? undefined : scalar(text);
    },
  };
}

/** @returns a field of one text, written as it is */
export function column(name: string, about: string, suggest: readonly string[] = []): Writable {
  return {
    name,
    about,
    kind: 'text',
    ...(suggest.length ? { suggest } : {}),
    write: (given) => texts(given)[0],
  };
}

const texts = (given: Given): string[] =>
  [given].flat().flatMap((each) => (typeof each === 'string' && each.trim() !== '' ? [each.trim()] : []));

const rows = (given: Given): readonly Readonly<Record<string, string>>[] =>
  [given].flat().filter((each) => typeof each === 'object');

/** A word stands as it is, so that `30s`, `true` and `10` are what they look like; all else is a text. */
function scalar(text: string): Json {
  const word = wordOf(text);
  return word === undefined ? text : typedWord(word);
}

/** One value with its type, as YAML has it: `"10"` is a text, `10` a number. */
function constant(text: string): Json {
  const { root, problems } = parseDocument(text);
  if (root?.kind !== 'scalar' || problems.length) return text;
  return root.value;
}

function data(given: Given): Json | undefined {
  const [text] = texts(given);
  if (text === undefined) return undefined;
  const { root, problems } = parseDocument(text);
  if (problems[0] || !root)
    throw new TypeError(`This cannot be read: ${problems[0]?.message ?? 'nothing is there.'}`);
  return toJson(root) as Json;
}

function rowsOf(given: Given, columns: readonly Writable[]): Json | undefined {
  const made = rows(given).flatMap((row) => {
    const value = written(columns, row);
    return Object.keys(value).length ? [value] : [];
  });
  return made.length ? made : undefined;
}

function namedValues(given: Given): Json | undefined {
  const made = rows(given).flatMap(({ name, value }): [string, Json][] =>
    name?.trim() ? [[name.trim(), value?.trim() ? constant(value.trim()) : null]] : [],
  );
  return made.length ? Object.fromEntries(made) : undefined;
}

/** What a header or property may be, as rows a person fills in. */
function domains(known: Omit<FormField, 'kind'>): Writable {
  const types = ['string', 'integer', 'number', 'boolean'];
  return {
    ...known,
    kind: 'rows',
    columns: [
      column('name', 'what it is called'),
      { ...column('type', 'what kind of value it is'), values: types, otherwise: 'any' },
      { ...column('values', 'the values there are, with commas between'), otherwise: 'any' },
      { ...column('least', 'the least number'), otherwise: 'none' },
      { ...column('most', 'the greatest number'), otherwise: 'none' },
    ],
    write: (given) => {
      const made = rows(given).flatMap(({ name, type, values, least, most }): [string, Json][] => {
        if (!name?.trim()) return [];
        const named = texts(values ?? '').flatMap((all) => all.split(',').map((each) => each.trim()));
        const choices = named.filter((each) => each !== '').map(type === 'string' ? String : constant);
        const schema = {
          ...(type?.trim() ? { type: type.trim() } : {}),
          ...(choices.length === 1 ? { const: choices[0]! } : choices.length ? { enum: choices } : {}),
          ...(least?.trim() ? { minimum: number(name, least) } : {}),
          ...(most?.trim() ? { maximum: number(name, most) } : {}),
        };
        return [[name.trim(), schema]];
      });
      return made.length ? Object.fromEntries(made) : undefined;
    },
  };
}

function number(of: string, text: string): number {
  const value = Number(text.trim());
  if (Number.isNaN(value)) throw new TypeError(`\`${text.trim()}\` is no number; it bounds ${of}.`);
  return value;
}

/** @returns what is written of fields that were filled in, those with dots put into one another */
export function written(
  fields: readonly Writable[],
  given: Readonly<Record<string, Given>>,
): Readonly<Record<string, Json>> {
  const made: Record<string, Json> = {};
  for (const { name, write } of fields) {
    const value = Object.hasOwn(given, name) ? write(given[name]!) : undefined;
    if (value === undefined) continue;
    const path = name.split('.');
    let at = made;
    for (const step of path.slice(0, -1)) at = (at[step] ??= {}) as Record<string, Json>;
    at[path.at(-1)!] = value;
  }
  return made;
}
