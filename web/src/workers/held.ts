/** What the worker holds: the topology as it is now, its graph, and what was found wrong. */
import {
  buildGraph,
  declarationsIn,
  Lines,
  Checking,
  findingOfProof,
  isWhole,
  proveAll,
  type Accepted,
  type Proof,
  TopologyReader,
  type Finding,
  type Place,
  type RoutingGraph,
  type TopologyDocument,
} from '@vondle/core';
import type { Spot } from './views.ts';

export class Held {
  private readonly reader = new TopologyReader();
  private lines = new Map<string, Lines>();
  documents: readonly TopologyDocument[] = [];
  graph: RoutingGraph = buildGraph(this.reader.read([]));
  /** In the order of the text. */
  findings: readonly Finding[] = [];
  accepted: readonly Accepted[] = [];
  proofs: readonly Proof[] = [];
  private readonly checking = new Checking();

  /**
   * Takes documents in; those that are not given stay as they are.
   * @param names all documents there are, in order
   */
  take(changed: readonly TopologyDocument[], names: readonly string[]): void {
    const known = new Map([...this.documents, ...changed].map((document) => [document.name, document]));
    this.documents = names.flatMap((name) => known.get(name) ?? []);
    const topology = this.reader.read(this.documents);
    this.graph = buildGraph(topology, this.graph);
    this.lines = new Map(
      this.documents.map(({ name, text }) => {
        const lines = this.lines.get(name);
        return [name, lines?.text === text ? lines : new Lines(text)];
      }),
    );
    const order = new Map(names.map((name, index) => [name, index]));
    const checked = isWhole(topology) ? this.checking.run(this.graph) : { findings: [], accepted: [] };
    this.accepted = checked.accepted;
    this.findings = [...topology.findings, ...checked.findings].sort(
      (a, b) =>
        (order.get(a.place.doc) ?? 0) - (order.get(b.place.doc) ?? 0) || a.place.start - b.place.start,
    );
    this.proofs = [];
  }

  /** Tries the expectations out. @returns those that are not kept, as findings, which join the others */
  prove(): readonly Finding[] {
    if (!isWhole(this.graph.topology)) return [];
    this.proofs = proveAll(this.graph);
    const broken = this.proofs.flatMap((proof) => findingOfProof(proof) ?? []);
    this.findings = [...this.findings.filter(({ check }) => !check.startsWith('expectation/')), ...broken];
    return broken;
  }

  /** A place as plain data, with its line; places themselves move with the text. */
  spot(place: Place): Spot {
    const { doc, start, end } = place;
    return { doc, start, end, ...(this.lines.get(doc)?.position(start) ?? { line: 1, column: 1 }) };
  }

  /** The thing whose declaration begins last before an offset. */
  lastBefore(doc: string, offset: number): string | undefined {
    let found: { readonly id: string; readonly start: number } | undefined;
    for (const { of, place } of declarationsIn(this.graph.topology)) {
      if (place.doc !== doc || place.start > offset || of.kind === 'broker') continue;
      if (!found || place.start > found.start) found = { id: of.id, start: place.start };
    }
    return found?.id;
  }

  spotIf(place: Place | undefined): { spot?: Spot } {
    return place ? { spot: this.spot(place) } : {};
  }
}
