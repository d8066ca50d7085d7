/** The kinds of values that inputs and answers are made of. */
import {
  array,
  boolean,
  mixed,
  number,
  object,
  setLocale,
  string,
  type AnyObject,
  type InferType,
  type ISchema,
  type ObjectShape,
  type Schema,
} from 'yup';

// what a mistake says names the place and the rule, never the value: an answer does not repeat its input
setLocale({
  mixed: {
    default: '${path} does not fit',
    required: '${path} is missing',
    defined: '${path} is missing',
    notNull: '${path} is missing',
    oneOf: '${path} is none of ${values}',
    notType: ({ path, type }) => `${path && path !== 'this' ? path : 'the body'} is not of type ${type}`,
  },
  string: { max: '${path} has more than ${max} characters', min: '${path} has less than ${min} characters' },
  number: {
    integer: '${path} is no whole number',
    min: '${path} is less than ${min}',
    max: '${path} is more than ${max}',
    positive: '${path} is not more than 0',
  },
  array: { max: '${path} has more than ${max} items' },
  object: {
    noUnknown: ({ path }) =>
      `${path && path !== 'this' ? path : 'the body'} has members that are not known here`,
  },
});

/** The largest number a column of the database holds. */
export const LARGEST_INTEGER = 2 ** 31 - 1;

/** A whole number that may be left out. */
export const maybeWhole = () => number().integer().min(0).max(LARGEST_INTEGER);
/** A whole number, zero or more. */
export const whole = () => maybeWhole().required();
/** Text of any length, which may be empty. */
export const text = () => string().defined();
/** True or false. */
export const yes = () => boolean().required();
/** A point in time (RFC 3339), as text. */
export const time = () => string().required().meta({ format: 'date-time' });
/** One of a few words. */
export const word = <const W extends string>(...words: readonly W[]) =>
  string()
    .oneOf(words as W[])
    .required();
/** An object of just these members. @param name what it is called in the description */
export const record = <F extends ObjectShape>(fields: F, name?: string) => {
  const made = object(fields).noUnknown();
  return name === undefined ? made : made.meta({ component: name });
};
/** A list of any length. */
export const list = <T>(of: ISchema<T, AnyObject>) => array().of(of).defined();

const isMap = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Named values. @param values what each is; anything where nothing is said */
export const map = <V = unknown>(values?: Schema<V>) =>
  mixed<Record<string, V>>((value): value is Record<string, V> => isMap(value)).meta({
    values: values ?? true,
  });

/** One of several, told apart by what fits. */
export const either = <const S extends readonly Schema[]>(...of: S) =>
  mixed<InferType<S[number]>>((value): value is InferType<S[number]> & {} =>
    of.some((each) => each.isValidSync(value, { strict: true })),
  )
    .defined()
    .meta({ either: of });

/** A list of a few, one of each kind in order. */
export const row = <const S extends readonly Schema[]>(...of: S) =>
  mixed<{ -readonly [I in keyof S]: InferType<S[I]> }>().defined().meta({ row: of });

/** Any JSON value, of a shape that is told elsewhere. @param what where */
export const anything = <T = unknown>(what: string) => mixed<T & {}>().meta({ what });

declare module 'yup' {
  interface CustomSchemaMetadata {
    /** What the schema is called in the description, where others refer to it. */
    component?: string;
    /** A format of JSON Schema (validation vocabulary §7.3). */
    format?: string;
    /** In a sentence what it is. */
    what?: string;
    values?: Schema | true;
    either?: readonly Schema[];
    row?: readonly Schema[];
  }
}
