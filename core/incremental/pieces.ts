/**
 * What pieces that never change were made into: one piece by itself, which is kept at the piece, and several
 * put together, which is kept by where. It is given again for the very same pieces.
 */

/** What making gave. */
export interface Made<T, Told> {
  readonly value: T;
  /** What is told again each time the value is given again. */
  readonly told: Told;
  /** Whether it may be given again: what came with findings is made anew, so that they are told anew. */
  readonly keep: boolean;
}

/** What a piece was made into. */
export interface Kept {
  readonly into: unknown;
  readonly with: unknown;
  readonly value: unknown;
  readonly told: unknown;
}

/** A piece that keeps what it was made into. */
export interface Keeps {
  memo?: Kept | undefined;
}

/**
 * @param into what it is made into; one object for each kind of it
 * @param withWhat what else the answer hangs on, by identity
 * @returns what a piece is made into: as it was made before, where that may be given again
 */
export function madeOf<T, Told>(
  piece: Keeps,
  into: unknown,
  withWhat: unknown,
  make: () => Made<T, Told>,
): Pick<Made<T, Told>, 'value' | 'told'> {
  const { memo } = piece;
  if (memo && memo.into === into && memo.with === withWhat)
    return { value: memo.value as T, told: memo.told as Told };
  const made = make();
  piece.memo = made.keep ? { into, with: withWhat, value: made.value, told: made.told } : undefined;
  return made;
}

/** @returns what a piece was made into when it was last asked for; undefined where that was not kept */
export const keptOf = <T>({ memo }: Keeps, into: unknown): T | undefined =>
  memo && memo.into === into ? (memo.value as T) : undefined;

/** @returns the same, where nothing is told with it */
export const keptBare = <T>(piece: Keeps, into: unknown): T | undefined =>
  (piece.memo?.told as readonly unknown[] | undefined)?.length === 0 ? keptOf<T>(piece, into) : undefined;

/** What several pieces were put together to. */
export interface Whole<Piece, T = unknown> {
  readonly pieces: readonly Piece[];
  readonly with: unknown;
  /** Undefined where it may not be given again: only what is inside of it is known. */
  readonly value: T | undefined;
  readonly told: unknown;
  readonly inside: Wholes<Piece>;
}

/** All that was put together: by what it is, and by where. */
export type Wholes<Piece> = Map<object, Map<string, Whole<Piece>>>;

/** Puts pieces together, wholes within wholes. */
export class PuttingTogether<Piece> {
  private at = '';
  /** What was put together by this one. */
  wholes: Wholes<Piece> = new Map();

  /**
   * @param earlier what the one before this put together
   * @param same whether two pieces are the very same
   */
  constructor(
    private earlier: Wholes<Piece>,
    private readonly same: (a: Piece, b: Piece) => boolean,
  ) {}

  /** Puts together what stands under a name of what is being put together. */
  under<T>(name: string, make: () => T): T {
    const before = this.at;
    this.at = `${before}/${name.length}:${name}`;
    const value = make();
    this.at = before;
    return value;
  }

  /**
   * @param into what they are put together to; one object for each kind of it
   * @param withWhat what else the answer hangs on, by identity
   * @param make is given what was made here of other pieces last
   * @returns what pieces make together: as it was made before of the very same, where that may be given again
   */
  of<T, Told>(
    into: object,
    pieces: readonly Piece[],
    withWhat: unknown,
    make: (before: Whole<Piece, T> | undefined) => Made<T | undefined, Told>,
  ): { readonly value: T | undefined; readonly told: Told } {
    const known = this.earlier.get(into)?.get(this.at) as Whole<Piece, T> | undefined;
    const before = known?.value !== undefined && known.with === withWhat ? known : undefined;
    if (before && this.areSame(before.pieces, pieces)) {
      this.keep(into, before);
      return { value: before.value, told: before.told as Told };
    }
    // what is put together inside of it goes along with it
    const outside = { earlier: this.earlier, wholes: this.wholes };
    this.earlier = known?.inside ?? new Map();
    const inside: Wholes<Piece> = (this.wholes = new Map());
    const { value, told, keep } = make(before);
    Object.assign(this, outside);
    this.keep(into, { pieces, with: withWhat, value: keep ? value : undefined, told, inside });
    return { value, told };
  }

  private areSame(a: readonly Piece[], b: readonly Piece[]): boolean {
    return a.length === b.length && a.every((each, i) => this.same(each, b[i]!));
  }

  private keep(into: object, whole: Whole<Piece>): void {
    let own = this.wholes.get(into);
    if (!own) this.wholes.set(into, (own = new Map()));
    own.set(this.at, whole);
  }
}
