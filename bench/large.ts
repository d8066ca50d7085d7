/** Opening a topology, and typing in it, as it grows: as ratios to js-yaml's plain load of the same text, and as growth. */
import { checkAll } from '@vondle/core/analysis';
import { buildGraph } from '@vondle/core/routing';
import { readTopology, TopologyReader, type Topology } from '@vondle/core/topology';
import { load } from 'js-yaml';
import { held, median } from './measure.ts';
import { crossing, teams } from './topologies.ts';

const timed = <T>(run: () => T): { readonly made: T; readonly ms: number } => {
  const began = performance.now();
  const made = run();
  return { made, ms: performance.now() - began };
};

/** So many keys are typed before any is timed: a worker that somebody types in is warm. */
const WARM = 100;

/** Opens teams of 200 resources and 400 routes, and types into them. */
function opened(count: number, brokers?: number): void {
  const documents = teams(count, brokers);
  const plain = timed(() => documents.map(({ text }) => load(text))).ms;
  const reader = new TopologyReader();
  let topology: Topology;
  const first = held(() =>
    timed(() => {
      topology = reader.read(documents);
      return checkAll(buildGraph(topology));
    }),
  );
  console.log(
    `\n${(count * 200).toLocaleString('en')} resources, ${(count * 400).toLocaleString('en')} routes, ${documents.length} documents${brokers === 1 ? ', one broker' : ''}`,
  );
  console.log(
    `  opened with all checks ${(first.made.ms / 1000).toFixed(1)} s, ${(first.made.ms / plain).toFixed(1)} times js-yaml's plain load; ${first.megabytes.toFixed(0)} MB held`,
  );
  const typed = (name: string, where: RegExp, text: string) => {
    const times = Array.from({ length: WARM + 60 }, (_, i) => {
      const { name: doc } = documents[1 + ((i * 7) % count)]!;
      const now = topology.documents.find((each) => each.name === doc)!;
      const places = [...now.text.matchAll(where)];
      const place = places[(i * 13) % places.length]!;
      const at = place.index + place[0].length;
      return timed(() => {
        topology = reader.change([{ doc, start: at, end: at, text }]);
        checkAll(buildGraph(topology));
      }).ms;
    });
    const warm = median(times.slice(WARM));
    console.log(
      `  ${name.padEnd(30)} ${warm.toFixed(1)} ms, ${(warm / plain).toFixed(4)} of that load; the first ${WARM} ${median(times.slice(0, WARM)).toFixed(1)} ms`,
    );
  };
  typed('a character in a binding key', /key: "/g, 'x');
  typed('a digit in a setting', /maxLength: /g, '1');
  typed('a digit in a rate', /rate: /g, '1');
}

/** One exchange with very many bindings, and very many message types sent to it. */
function oneExchange(): void {
  console.log('\nall checks of one topic exchange, against js-yaml’s plain load of the same text');
  let before: { readonly size: number; readonly ms: number } | undefined;
  for (const size of [2_500, 5_000, 10_000, 20_000]) {
    const text = crossing(size, size / 100);
    const runs = Array.from({ length: 3 }, () => {
      const plain = timed(() => load(text)).ms;
      const ours = timed(() => checkAll(buildGraph(readTopology([{ name: 'a.yaml', text }])))).ms;
      return { plain, ours };
    });
    const ours = median(runs.map((each) => each.ours));
    const ratio = median(runs.map((each) => each.ours / each.plain));
    const growth = before && Math.log(ours / before.ms) / Math.log(size / before.size);
    console.log(
      `  ${size.toLocaleString('en')} bindings, ${size / 100} types: ${ours.toFixed(0)} ms, × ${ratio.toFixed(1)}${growth === undefined ? '' : `, growing with exponent ${growth.toFixed(2)}`}`,
    );
    before = { size, ms: ours };
  }
}

export function large(): void {
  oneExchange();
  opened(50);
  opened(50, 1);
  opened(500);
}
