import type { Part } from '@yundro/core';

/** A column's values among the parts there are, and what is left of it: V, Ω, H, … */
export interface Range {
  low: number;
  high: number;
}

/** Places of a slider from end to end. */
export const PLACES = 100;

const valueOf = (part: Part, key: string): unknown => (part as Record<string, unknown>)[key];

/** Least and largest value of a column; undefined where it is no number, or all alike. */
export function spanOf(parts: readonly Part[], key: string): Range | undefined {
  let low = Infinity;
  let high = -Infinity;
  for (const part of parts) {
    const value = valueOf(part, key);
    if (typeof value !== 'number' || !(value > 0)) continue;
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  return low < high ? { low, high } : undefined;
}

/** The value at a slider's place: values of parts lie evenly in their logarithm. */
export function valueAtPlace({ low, high }: Range, place: number): number {
  return place <= 0 ? low : place >= PLACES ? high : low * (high / low) ** (place / PLACES);
}

/** The slider's place of a value, the nearest whole one. */
export function placeOf({ low, high }: Range, value: number): number {
  return Math.round((PLACES * Math.log(value / low)) / Math.log(high / low));
}

/** Ranges as the address holds them: "onResistance:0.001~0.01,cost:0~2". */
export function readRanges(text: string): Map<string, Range> {
  const ranges = new Map<string, Range>();
  for (const item of text.split(',')) {
    const found = /^([a-zA-Z]+):([\d.e+-]+)~([\d.e+-]+)$/u.exec(item);
    const [low, high] = [Number(found?.[2]), Number(found?.[3])];
    if (found && Number.isFinite(low) && Number.isFinite(high)) ranges.set(found[1]!, { low, high });
  }
  return ranges;
}

export function writeRanges(ranges: ReadonlyMap<string, Range>): string {
  return [...ranges].map(([key, { low, high }]) => `${key}:${low}~${high}`).join(',');
}

/** Parts whose values lie within every range; what says nothing of a column is left out where that column is narrowed. */
export function within(parts: readonly Part[], ranges: ReadonlyMap<string, Range>): Part[] {
  if (ranges.size === 0) return parts as Part[];
  const list = [...ranges];
  return parts.filter((part) =>
    list.every(([key, { low, high }]) => {
      const value = valueOf(part, key);
      return typeof value === 'number' && value >= low && value <= high;
    }),
  );
}
