import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';

/** Chance with a seed: the same parts each time. */
export interface Chance {
  /** a factor about 1, within ± `spread` of it */
  about(spread: number): number;
}

export function chanceFrom(seed: number): Chance {
  const generator = xoroshiro128plus(seed);
  return { about: (spread) => 1 + spread * (2 * uniformFloat64(generator) - 1) };
}

/** A value as a data sheet prints it. */
export function printed(value: number, digits = 2): number {
  return Number(value.toPrecision(digits));
}
