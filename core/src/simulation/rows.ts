import { zeros, type Vector } from '../numbers/linear.ts';

/*
 * Rows and matrices without their zeros. What a stage’s quantities and slopes depend on is a few of its states each, and
 * the drives among the states stand still: leaving the zeros out is most of the simulator’s pace.
 */

/** Size below which a number is nothing: what has died away is zero, for the smallest numbers there are take a hundred times as long. */
const NOTHING = 1e-200;

/** A number, or zero where it has died away. */
export const alive = (value: number): number => (value < NOTHING && value > -NOTHING ? 0 : value);

/** A row over the state: `of[k]` times the state's place `at[k]`. */
export interface Row {
  at: number[];
  of: Vector;
}

export function rowOf(full: Vector): Row {
  const at: number[] = [];
  const of: Vector = [];
  for (let k = 0; k < full.length; k += 1)
    if (full[k] !== 0) {
      at.push(k);
      of.push(full[k]!);
    }
  return { at, of };
}

export function along({ at, of }: Row, state: Vector): number {
  let sum = 0;
  for (let k = 0; k < at.length; k += 1) sum += of[k]! * state[at[k]!]!;
  return sum;
}

/** A row and so many times another. */
export const added = (one: Row, factor: number, other: Row): Row => ({
  at: [...one.at, ...other.at],
  of: [...one.of, ...other.of.map((value) => factor * value)],
});

/** Some of a matrix's rows, one after another. */
export interface Sparse {
  /** the rows kept, and where each begins among the entries */
  rows: number[];
  starts: number[];
  at: number[];
  of: Vector;
}

/** @param rows those that are kept; @param column whether a column's entries are */
export function sparseOf(
  size: number,
  matrix: Vector,
  rows: readonly number[],
  column: (at: number) => boolean = () => true,
): Sparse {
  const made: Sparse = { rows: rows.slice(), starts: [0], at: [], of: [] };
  for (const i of rows) {
    for (let k = 0; k < size; k += 1) {
      const value = matrix[i * size + k]!;
      if (alive(value) === 0 || !column(k)) continue;
      made.at.push(k);
      made.of.push(value);
    }
    made.starts.push(made.at.length);
  }
  return made;
}

/** The rows kept, times a state; the other places of `out` are left as they are. */
export function applyRows({ rows, starts, at, of }: Sparse, state: Vector, out: Vector): void {
  let k = 0;
  for (let i = 0; i < rows.length; i += 1) {
    const stop = starts[i + 1]!;
    let sum = 0;
    for (; k < stop; k += 1) sum += of[k]! * state[at[k]!]!;
    out[rows[i]!] = sum;
  }
}

/** Places of a row written out: a loop over so few costs several times its products. */
export const WIDTH = 8;

/** Rows of at most so many places, one after another, filled up with zeros; undefined where they are longer. */
export function wide(rows: readonly Vector[], places: number): Vector | undefined {
  if (places > WIDTH) return undefined;
  const made = zeros(rows.length * WIDTH);
  for (let r = 0; r < rows.length; r += 1) for (let at = 0; at < places; at += 1) made[r * WIDTH + at] = rows[r]![at]!;
  return made;
}

/** So many wide rows times a vector, all times a factor. @param x as long as a row, what lies beyond its places finite */
export function applyWide(rows: Vector, count: number, x: Vector, factor: number, out: Vector): void {
  const x0 = x[0]! * factor;
  const x1 = x[1]! * factor;
  const x2 = x[2]! * factor;
  const x3 = x[3]! * factor;
  const x4 = x[4]! * factor;
  const x5 = x[5]! * factor;
  const x6 = x[6]! * factor;
  const x7 = x[7]! * factor;
  for (let r = 0, at = 0; r < count; r += 1, at += WIDTH)
    out[r] =
      rows[at]! * x0 +
      rows[at + 1]! * x1 +
      rows[at + 2]! * x2 +
      rows[at + 3]! * x3 +
      rows[at + 4]! * x4 +
      rows[at + 5]! * x5 +
      rows[at + 6]! * x6 +
      rows[at + 7]! * x7;
}
