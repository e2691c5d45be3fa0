import type { Vector } from '../numbers/linear.ts';

/*
 * Rows and matrices without their zeros. What a stage’s quantities and slopes depend on is a few of its states each, and
 * the drives among the states stand still: leaving the zeros out is most of the simulator’s pace.
 */

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
      if (value === 0 || !column(k)) continue;
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

/** The same with something added to each row kept. */
export function applyRowsTo({ rows, starts, at, of }: Sparse, base: Vector, state: Vector, out: Vector): void {
  let k = 0;
  for (let i = 0; i < rows.length; i += 1) {
    const stop = starts[i + 1]!;
    const row = rows[i]!;
    let sum = base[row]!;
    for (; k < stop; k += 1) sum += of[k]! * state[at[k]!]!;
    out[row] = sum;
  }
}
