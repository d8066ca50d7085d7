/** The apps of a topology, document by document: an edit in one leaves those of the others alone. */
import { type Memory, Question } from '../incremental/memory.ts';
import type { AppDecl } from '../language/app.ts';
import type { Item, Items } from '../language/shape.ts';
import type { DocumentDecl } from './document.ts';

const APPS = new Question<{
  readonly of: Items<AppDecl>;
  readonly groups: ReadonlyMap<string, Items<AppDecl>>;
}>('apps by document');

const NONE: Items<AppDecl> = new Map();

/** @returns the apps by the name of the document that declares them, in order */
export const appsByDocument = (
  { apps = NONE }: DocumentDecl,
  memory: Memory,
): ReadonlyMap<string, Items<AppDecl>> => memory.divided(APPS, apps, ({ key }: Item<AppDecl>) => key.doc);

/**
 * @param apps by document
 * @param settle gives what an answer and the one before it come to: what says the same is to stay the same object
 * @returns what is said of each document's apps, which is asked again only where one of them changed
 */
export const ofEachDocument = <T>(
  memory: Memory,
  question: Question<ReadonlyMap<string, T>>,
  apps: ReadonlyMap<string, Items<AppDecl>>,
  answer: (own: Items<AppDecl>) => T,
  settle?: (made: T, before: T) => T,
): ReadonlyMap<string, T> => memory.each(question, apps, (own) => answer(own), settle ? { settle } : {});
