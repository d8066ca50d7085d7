/** A rollout as it goes on: what changes is told by the server, and put into what is known of it. */
import { api, type Rollout, type RolloutNews } from '../../api.ts';

/** A connection that the server ended with an error is tried again after this. */
const AGAIN_MS = 2000;

/** @returns what is known of a rollout with the news in it: only the steps that changed are new objects. */
export function withNews(known: Rollout, { rollout, count, steps }: RolloutNews): Rollout {
  if (rollout.id !== known.id || rollout.change < known.change) return known;
  if (steps.length === 0) return { ...known, ...rollout, count };
  const changed = new Map(steps.map((step) => [step.position, step]));
  const list = known.steps.map((step) => changed.get(step.position) ?? step);
  const last = list.at(-1)?.position ?? -1;
  // steps that were added behind those that are shown
  const added = known.steps.length === known.count.all ? steps.filter(({ position }) => position > last) : [];
  return { ...known, ...rollout, count, steps: added.length ? [...list, ...added] : list };
}

/**
 * Listens to a rollout.
 * @param change the last change that is known
 * @param on.news is called with what changed since, each change once
 * @param on.over is called when the rollout is over
 * @returns what ends the listening
 */
export function listen(
  slug: string,
  id: number,
  change: number,
  on: { news(news: RolloutNews): void; over(): void },
): () => void {
  let heard = change;
  let source: EventSource | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const begin = () => {
    source = new EventSource(api.liveRollout(slug, id, heard));
    source.onmessage = ({ data }) => {
      const news = JSON.parse(String(data)) as RolloutNews;
      heard = news.rollout.change;
      on.news(news);
    };
    source.addEventListener('over', () => {
      source?.close();
      on.over();
    });
    // what breaks off is taken up again by itself; what is refused is not
    source.onerror = () => {
      if (source?.readyState === EventSource.CLOSED) timer = setTimeout(begin, AGAIN_MS);
    };
  };
  begin();
  return () => {
    clearTimeout(timer);
    source?.close();
  };
}
