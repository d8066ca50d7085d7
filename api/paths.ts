/** Routes by name: their types, and where they are. Holds no schemas, for whoever only asks. */
import type { InferType, Schema } from 'yup';
import type { ROUTES } from './routes.ts';

export type RouteName = keyof typeof ROUTES;

/** What a route answers; undefined where it answers nothing. */
export type AnswerOf<R extends RouteName> = (typeof ROUTES)[R] extends {
  readonly answer: infer S extends Schema;
}
  ? InferType<S>
  : undefined;

/** What a route takes as its body; undefined where it takes none. */
export type BodyOf<R extends RouteName> = (typeof ROUTES)[R] extends { readonly body: infer S extends Schema }
  ? InferType<S>
  : undefined;

type Parts<P extends string> = P extends `${string}:${infer Name}/${infer Rest}`
  ? Name | Parts<Rest>
  : P extends `${string}:${infer Name}`
    ? Name
    : never;

/** What has to be said in the path of a route. */
export type PartsOf<R extends RouteName> = { readonly [N in Parts<R>]: string | number };

/** @returns the path of a route from /api on, with what is said in it */
export function pathOf<R extends RouteName>(name: R, parts: PartsOf<R>): string {
  return name
    .slice(name.indexOf(' ') + 1)
    .replace(/:(\w+)/g, (_, part: string) =>
      encodeURIComponent((parts as Record<string, string | number>)[part]!),
    );
}
