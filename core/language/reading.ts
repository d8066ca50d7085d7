/** Reads what documents say, and notes what is wrong with it. */
import { nearest } from '../base/similar.ts';
import { type Made, PuttingTogether, type Whole, type Wholes, madeOf } from '../incremental/pieces.ts';
import { type Place, type Placed, placeOf } from '../syntax/place.ts';
import type { Node, ScalarNode } from '../syntax/tree.ts';
import type { FindingOf, Severity } from './finding.ts';

/** A finding of reading: its mends need nothing but the documents. */
export type ReadingFinding = FindingOf<Placed>;

/** A node with the document it stands in, for what several documents may declare together. */
export interface Fragment {
  readonly doc: string;
  readonly node: Node;
}

const sameFragment = (a: Fragment, b: Fragment) => a.node === b.node && a.doc === b.doc;

/** What reading needs and leaves behind. */
export class Reading {
  readonly findings: ReadingFinding[] = [];
  /** The parameters met, some perhaps more than once. */
  readonly usedParameters: string[] = [];
  /** The document being read. */
  doc = '';
  private readonly putting: PuttingTogether<Fragment>;

  /**
   * @param parameters what `${name}` stands for; nodes read with the same map need not be read again
   * @param earlier what the reading before this one put together
   */
  constructor(
    readonly parameters: ReadonlyMap<string, string>,
    earlier: Wholes<Fragment> = new Map(),
  ) {
    this.putting = new PuttingTogether(earlier, sameFragment);
  }

  /** What was put together in this reading. */
  get wholes(): Wholes<Fragment> {
    return this.putting.wholes;
  }

  /** @returns a node's place */
  place(node: Node): Place {
    return placeOf(this.doc, node);
  }

  /**
   * Reads a map or list with a shape, or takes what it was read as before. What has findings is read
   * anew each time: they are few, and what they say may hang on more than the node.
   */
  remember<T>(shape: object, node: Node, read: () => T | undefined): T | undefined {
    let anew = false;
    const { value, told } = madeOf(node, shape, this.parameters, () => {
      anew = true;
      return this.noting(read);
    });
    if (!anew) this.usedParameters.push(...told);
    return value;
  }

  /**
   * Puts fragments together with a shape, or takes what came of the very same ones before; as with
   * `remember`, only what has no findings is kept.
   * @param read is given what was made here of other fragments last
   */
  together<T>(
    shape: object,
    fragments: readonly Fragment[],
    read: (before: Whole<Fragment, T> | undefined) => T | undefined,
  ): T | undefined {
    let anew = false;
    const { value, told } = this.putting.of<T, readonly string[]>(
      shape,
      fragments,
      this.parameters,
      (before) => {
        anew = true;
        return this.noting(() => read(before));
      },
    );
    if (!anew) this.usedParameters.push(...told);
    return value;
  }

  /** Reads what may come to nothing and is read otherwise then: nothing is left of what it told. */
  tried<T>(read: () => T | undefined): T | undefined {
    const [findings, used] = [this.findings.length, this.usedParameters.length];
    const value = read();
    if (value !== undefined) return value;
    this.findings.length = findings;
    this.usedParameters.length = used;
    return undefined;
  }

  /** Reads what stands under a name of what is being put together. */
  under<T>(name: string, read: () => T): T {
    return this.putting.under(name, read);
  }

  /** Reads, and notes what was met and whether all of it was right. */
  private noting<T>(read: () => T | undefined): Made<T | undefined, readonly string[]> {
    const findings = this.findings.length;
    const used = this.usedParameters.length;
    const value = read();
    const keep = this.findings.length === findings && value !== undefined;
    return { value, keep, told: this.usedParameters.length > used ? this.usedParameters.slice(used) : NONE };
  }

  report(
    check: string,
    at: Node | Place,
    message: string,
    more: { severity?: Severity; related?: ReadingFinding['related']; mends?: ReadingFinding['mends'] } = {},
  ): void {
    const { severity = 'error', ...rest } = more;
    const place = 'kind' in at ? this.place(at) : at;
    this.findings.push({ check: `language/${check}`, severity, message, place, ...rest });
  }

  /**
   * Replaces `${name}` in a scalar by parameters; `$${` stands for `${`.
   * @returns the text and the parameters it came from; undefined after an unknown one is reported.
   */
  substitute(node: ScalarNode, text: string): { text: string; from?: readonly string[] } | undefined {
    if (!text.includes('${')) return { text };
    const from: string[] = [];
    let failed = false;
    const result = text.replace(/(\$)?\$\{([^}]*)\}/g, (whole, escaped: string | undefined, name: string) => {
      if (escaped) return whole.slice(1);
      const value = this.parameters.get(name);
      this.usedParameters.push(name);
      if (value === undefined) {
        failed = true;
        const hint = nearest(name, this.parameters.keys());
        this.report(
          'unknown-parameter',
          node,
          `There is no parameter \`${name}\`.${hint ? ` Did you mean \`${hint}\`?` : ' Declare it under `parameters`.'}`,
        );
        return whole;
      }
      from.push(name);
      return value;
    });
    if (failed) return undefined;
    return from.length ? { text: result, from } : { text: result };
  }
}

const NONE: readonly string[] = [];
