/*
 * Long traces drawn honestly: of every pixel column the lowest and the highest value are kept, told by extremes of blocks
 * that are made once for a trace.
 */

export type Values = ArrayLike<number>;

export interface Range {
  min: number;
  max: number;
}

const BLOCK = 64;
/** Places from which a list's blocks are worth making. */
const LONG = 2048;

interface Blocks {
  min: Float64Array;
  max: Float64Array;
  /** blocks of these blocks */
  above: Blocks | undefined;
}

const known = new WeakMap<object, Blocks>();

function blocksOf(low: Values, high: Values): Blocks {
  const count = Math.ceil(low.length / BLOCK);
  const min = new Float64Array(count).fill(Infinity);
  const max = new Float64Array(count).fill(-Infinity);
  for (let i = 0; i < low.length; i += 1) {
    const block = (i / BLOCK) | 0;
    if (low[i]! < min[block]!) min[block] = low[i]!;
    if (high[i]! > max[block]!) max[block] = high[i]!;
  }
  return { min, max, above: count > LONG ? blocksOf(min, max) : undefined };
}

/** Lowest and highest of the places from `first` to `last`, both included. */
export function extremesIn(values: Values, first: number, last: number): Range {
  let blocks = known.get(values);
  if (!blocks && values.length > LONG) {
    blocks = blocksOf(values, values);
    known.set(values, blocks);
  }
  return within(values, values, blocks, first, last);
}

function within(low: Values, high: Values, blocks: Blocks | undefined, first: number, last: number): Range {
  let min = Infinity;
  let max = -Infinity;
  const take = (from: number, to: number): void => {
    for (let i = from; i <= to; i += 1) {
      if (low[i]! < min) min = low[i]!;
      if (high[i]! > max) max = high[i]!;
    }
  };
  if (!blocks || last - first < 2 * BLOCK) {
    take(first, last);
    return { min, max };
  }
  const begin = Math.ceil(first / BLOCK);
  const end = Math.floor((last + 1) / BLOCK);
  take(first, begin * BLOCK - 1);
  take(end * BLOCK, last);
  if (end > begin) {
    const inner = within(blocks.min, blocks.max, blocks.above, begin, end - 1);
    min = Math.min(min, inner.min);
    max = Math.max(max, inner.max);
  }
  return { min, max };
}

/** First place of a rising list that is not below a value; its length where all are. */
export function placeOf(x: Values, value: number): number {
  return placeBetween(x, value, 0, x.length);
}

/** The same from a place on: quick where it is near. */
export function placeFrom(x: Values, from: number, value: number): number {
  let [low, step] = [from, 1];
  while (low + step < x.length && x[low + step]! < value) {
    low += step;
    step *= 2;
  }
  return placeBetween(x, value, low, Math.min(x.length, low + step + 1));
}

function placeBetween(x: Values, value: number, low: number, high: number): number {
  while (low < high) {
    const middle = (low + high) >> 1;
    if (x[middle]! < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** First and last place that can be seen, one more at each side. */
export function seen(x: Values, min: number, max: number): [number, number] {
  const first = Math.max(0, placeOf(x, min) - 1);
  let last = placeOf(x, max);
  // both sides of an edge that stands on the border
  while (last + 1 < x.length && x[last + 1] === x[last]) last += 1;
  return [first, Math.min(x.length - 1, last)];
}
