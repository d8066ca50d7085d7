/** What the worker holds: the topology as it is now, its graph, and what was found wrong. */
import type { RoutingGraph } from '@vondle/core/routing';
import {
  declarationsIn,
  spanOf,
  TopologyReader,
  type Finding,
  type Place,
  type Topology,
} from '@vondle/core/topology';
import { applyEdits, Lines, type ChangeSet, type TextDocument } from '@vondle/core/base';
import { checked, idOf, proved, type Accepted, type Proof, type Review } from '@vondle/core/analysis';
import type { Spot } from './views.ts';

export class Workspace {
  private readonly reader = new TopologyReader();
  private lines = new Map<string, Lines>();
  documents: readonly TextDocument[] = [];
  private ids: { readonly of: readonly Finding[]; readonly all: ReadonlyMap<string, Finding> } | undefined;
  private seen: Review = checked(this.reader.read([]));
  private environment = '';

  /**
   * Takes documents in; those that are not given stay as they are.
   * @param names all documents there are, in order
   */
  take(changed: readonly TextDocument[], names: readonly string[]): void {
    const known = new Map([...this.documents, ...changed].map((document) => [document.name, document]));
    this.look(
      this.reader.read(
        names.flatMap((name) => known.get(name) ?? []),
        this.options,
      ),
    );
  }

  /** Looks at everything as it is in an environment; with '' as it is in none. */
  lookIn(environment: string): void {
    if (environment === this.environment) return;
    this.environment = environment;
    this.look(this.reader.read(this.documents, this.options));
  }

  /** How its documents are read. */
  get options(): { environment?: string } {
    return this.environment ? { environment: this.environment } : {};
  }

  /** Takes edits of the documents in. */
  change(edits: ChangeSet): void {
    this.look(this.reader.change(edits, this.options));
  }

  /** @returns the documents that edits change, as they would be then */
  after(edits: ChangeSet): TextDocument[] {
    const before = new Set(this.documents);
    return applyEdits(this.documents, edits).filter((document) => !before.has(document));
  }

  private look(topology: Topology): void {
    this.documents = topology.documents;
    this.seen = checked(topology);
    this.lines = new Map(
      this.documents.map(({ name, text }) => {
        const lines = this.lines.get(name);
        return [name, lines?.text === text ? lines : new Lines(text)];
      }),
    );
  }

  get graph(): RoutingGraph {
    return this.seen.graph;
  }

  /** In the order of the text. */
  get findings(): readonly Finding[] {
    return this.seen.findings;
  }

  /** The findings by what each is known by: the second of two that are known alike has a number. */
  get findingsById(): ReadonlyMap<string, Finding> {
    if (this.ids?.of === this.findings) return this.ids.all;
    const all = new Map<string, Finding>();
    for (const finding of this.findings) {
      const id = idOf(this.graph.topology, finding);
      let own = id;
      for (let n = 2; all.has(own); n++) own = `${id} ${n}`;
      all.set(own, finding);
    }
    this.ids = { of: this.findings, all };
    return all;
  }

  get accepted(): readonly Accepted[] {
    return this.seen.accepted;
  }

  get proofs(): readonly Proof[] {
    return this.seen.proofs;
  }

  /** Tries the expectations out. @returns those that are not kept, as findings, which join the others */
  prove(): readonly Finding[] {
    this.seen = proved(this.seen);
    return this.findings.filter(({ check }) => check.startsWith('expectation/'));
  }

  /** A place as plain data, with its line. */
  spot(place: Place): Spot {
    const { doc, start, end } = spanOf(this.graph.topology, place);
    return { doc, start, end, ...(this.lines.get(doc)?.position(start) ?? { line: 1, column: 1 }) };
  }

  /** The thing whose declaration begins last before an offset. */
  lastBefore(doc: string, offset: number): string | undefined {
    let found: { readonly id: string; readonly start: number } | undefined;
    const { topology } = this.graph;
    for (const { of, place } of declarationsIn(topology)) {
      if (place.doc !== doc || of.kind === 'broker') continue;
      const { start } = spanOf(topology, place);
      if (start <= offset && (!found || start > found.start)) found = { id: of.id, start };
    }
    return found?.id;
  }

  spotIf(place: Place | undefined): { spot?: Spot } {
    return place ? { spot: this.spot(place) } : {};
  }
}
