/** All checks: on a whole topology, and after an edit of one line, as topologies grow. */
import { buildGraph } from '@vondle/core/routing';
import { checkAll } from '@vondle/core/analysis';
import { TopologyReader } from '@vondle/core/topology';
import type { TextDocument } from '@vondle/core/base';
import { changesBetween } from '../core/testing/steps.ts';
import { median } from './measure.ts';
import { teams } from './topologies.ts';

const EDITS = {
  'a setting': (text: string) => text.replace(/ttl: \w+/, 'ttl: 77s'),
  'a binding key': (text: string) => text.replace(/kind-(\d)" \}/, 'kind-$1x" }'),
} as const;

interface Times {
  readonly resources: number;
  readonly whole: number;
  readonly after: Readonly<Record<string, number>>;
}

function measure(count: number): Times {
  const documents: readonly TextDocument[] = teams(count);
  const whole = median(
    [1, 2, 3].map(() => {
      const graph = buildGraph(new TopologyReader().read(documents));
      const began = performance.now();
      checkAll(graph);
      return performance.now() - began;
    }),
  );
  const reader = new TopologyReader();
  let graph = buildGraph(reader.read(documents));
  checkAll(graph);
  const after = Object.fromEntries(
    Object.entries(EDITS).map(([name, edit]) => {
      const changed = documents.map((each, i) => (i === 1 ? { ...each, text: edit(each.text) } : each));
      const there = changesBetween(documents, changed)!;
      const back = changesBetween(changed, documents)!;
      const times: number[] = [];
      for (let i = 0; i < 16; i++) {
        graph = buildGraph(reader.change(i % 2 ? back : there));
        const began = performance.now();
        checkAll(graph);
        if (i > 3) times.push(performance.now() - began);
      }
      return [name, median(times)];
    }),
  );
  return { resources: count * 200, whole, after };
}

export function checks(): void {
  measure(5);
  const all = [5, 10, 25, 50, 100].map(measure);
  const first = all[0]!;
  console.log('\nall checks (milliseconds; × what the first line takes a resource, n log n for comparison)');
  for (const { resources, whole, after } of all) {
    const each = whole / resources / (first.whole / first.resources);
    const log = Math.log(resources) / Math.log(first.resources);
    const edits = Object.entries(after)
      .map(([name, ms]) => `${name} ${ms.toFixed(1)} (${(ms / whole).toFixed(3)} of all)`)
      .join(', ');
    console.log(
      `  ${String(resources).padStart(6)} resources: all ${whole.toFixed(0).padStart(5)} × ${each.toFixed(2)} (n log n: ${log.toFixed(2)}); after ${edits}`,
    );
  }
}
