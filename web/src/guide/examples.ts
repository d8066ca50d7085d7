/** The examples a topology can begin with, each with a walk over the real screens. */
import type { TextDocument } from '@vondle/core/base';
import { WITH_WALK } from './ids.ts';

/** One step of a walk: the view it is in, what is picked there, and what to see or do. */
export interface GuideStep {
  readonly view: string;
  readonly query: Readonly<Record<string, string>>;
  readonly words: string;
}

export interface Guide {
  readonly title: string;
  readonly words: string;
  readonly steps: readonly GuideStep[];
}

export interface Example extends Guide {
  /** Also the id of its topology, by which a topology that began with it is known. */
  readonly id: string;
}

const guides: Record<string, Guide> = import.meta.glob('../../../examples/*/guide.json', {
  eager: true,
  import: 'default',
});
const texts = import.meta.glob<string>(['../../../examples/*/*.yaml', '../../../demo/draft/*.yaml'], {
  query: '?raw',
  import: 'default',
});

/** The order they are shown in. */
const ORDER = [...WITH_WALK];

/** @returns every example, the smallest first */
export const examples = (): Example[] =>
  Object.entries(guides)
    .map(([path, guide]) => ({ id: /([^/]+)\/guide\.json$/.exec(path)![1]!, ...guide }))
    .sort((a, b) => ORDER.indexOf(a.id) - ORDER.indexOf(b.id));

/** @returns the documents of an example */
export async function documentsOf(id: string): Promise<TextDocument[]> {
  const folder = id === 'auklet-ferries' ? 'demo/draft/' : `examples/${id}/`;
  const found = Object.entries(texts).filter(([path]) => path.includes(folder));
  return Promise.all(
    found.map(async ([path, load]) => ({ name: path.slice(path.lastIndexOf('/') + 1), text: await load() })),
  );
}
