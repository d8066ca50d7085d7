import { rename as renameThing } from '@vondle/core/change';
import { declarationsIn, addressOf, type Thing, type Topology } from '@vondle/core/topology';
import { CouldNotRun, topologyAt, writable } from './files.ts';
import { writeOrShow } from './write.ts';

/** `vondle rename`: gives a thing another name, and everything that names it; exit 1 where that is refused. */
export function rename(
  words: string[],
  { dryRun, environment }: { dryRun?: boolean; environment?: string },
): void {
  const paths = words.slice(0, -2);
  const [address, name] = words.slice(-2) as [string, string];
  if (paths.length === 0) throw new CouldNotRun('rename takes documents, an address, and a new name');
  writable(paths);
  const topology = topologyAt(paths, environment);
  const edited = renameThing(topology, thingAt(topology, address), name);
  if (!edited.ok) {
    process.stderr.write(`vondle: ${edited.message}\n`);
    process.exitCode = 1;
    return;
  }
  writeOrShow(topology.documents, edited.edits, dryRun === true);
}

/** The one declared thing of an address or id: `mainland/boards`, `queue:mainland/boards`, `app:board`. */
function thingAt(topology: Topology, address: string): Thing {
  const found = [...declarationsIn(topology)]
    .map(({ of }) => of)
    .filter((of) => of.id === address || addressOf(of) === address);
  if (found.length === 1) return found[0]!;
  throw new CouldNotRun(
    found.length
      ? `${address} names several things; write ${found.map(({ id }) => id).join(' or ')}`
      : `there is no ${address}`,
  );
}
