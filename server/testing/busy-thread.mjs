/** A thread's script for tests of lanes: it computes without a pause for so many milliseconds, or uses memory up. */
export default function work({ input: { ms = 0, hog = false, value = null } = {} }) {
  const kept = [];
  for (const end = Date.now() + ms; Date.now() < end;);
  while (hog) kept.push(new Array(100_000).fill(kept.length));
  return { ok: true, value };
}
