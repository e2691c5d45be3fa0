import { along } from '../numbers/along.ts';

/**
 * An inductance that depends on the current, as steps of constant inductance: each as wide as it may be for the current
 * through it to follow the true curve within a small part of its swing, and each of the true mean, so that the flux agrees
 * at every border. Between borders the circuit stays linear.
 */
export interface Bend {
  /** A, rising: below the first, between each two, above the last */
  borders: readonly number[];
  /** H, one more than borders */
  inductances: readonly number[];
}

/**
 * How finely a curve is told: part of the swing by which a current may leave the true one within a step, and steps that the
 * swing is told by at most. In a step of width w of a slope s of the inductance L the two part by s·w²/(8·L) at most.
 */
export interface Fineness {
  apart: number;
  finest: number;
}
export const FINE = 3e-6;
/** As fine as no bench tells apart. */
export const ROUGH: Fineness = { apart: 1e-4, finest: 12 };
/**
 * Steps that a swing is told by at most: fewer the more states a network has, for each step's work grows with their cube.
 * @param states of the network
 */
export function finestFor(states: number): number {
  return Math.max(24, Math.min(128, 1024 / states ** 1.5));
}
const MOST_STEPS = 2000;

/** H at a current: linear between a curve's points, the last value kept beyond them; the same for either sign of it. */
export function inductanceAt(curve: readonly (readonly [number, number])[], current: number): number {
  return along(curve, Math.abs(current));
}

/** V·s: the flux linkage at a current, ∫ L di from rest. */
export function linkageAt(curve: readonly (readonly [number, number])[], current: number): number {
  const size = Math.abs(current);
  let linkage = 0;
  let from = 0;
  for (const [place] of [...curve, [Infinity, 0] as const]) {
    const to = Math.min(place, size);
    if (to <= from) continue;
    linkage += ((inductanceAt(curve, from) + inductanceAt(curve, to)) / 2) * (to - from);
    from = to;
  }
  return Math.sign(current) * linkage;
}

/**
 * @param curve A and H, rising in current
 * @param swing A, of the current: a step is a small part of it
 * @returns undefined where the inductance is the same everywhere
 */
export function bendOf(
  curve: readonly (readonly [number, number])[],
  swing: number,
  { apart, finest }: Fineness = { apart: FINE, finest: 128 },
): Bend | undefined {
  if (curve.every(([, inductance]) => inductance === curve[0]![1])) return undefined;
  const least = Math.max(swing / finest, (curve[curve.length - 1]![0] - curve[0]![0]) / MOST_STEPS);
  const borders: number[] = [];
  const means: number[] = [];
  for (let i = 1; i < curve.length; i += 1) {
    const [start, before] = curve[i - 1]!;
    const [end, after] = curve[i]!;
    const slope = Math.abs(after - before) / (end - start);
    const width = Math.max(least, Math.sqrt((8 * apart * swing * Math.min(before, after)) / slope));
    const steps = slope === 0 ? 1 : Math.ceil((end - start) / width);
    for (let k = 0; k < steps; k += 1) {
      borders.push(start + ((end - start) * k) / steps);
      means.push(before + ((after - before) * (k + 0.5)) / steps);
    }
  }
  borders.push(curve[curve.length - 1]![0]);
  const first = curve[0]![1];
  const last = curve[curve.length - 1]![1];
  // a curve that starts at zero has no flat part about it: the border there falls away, its neighbours are of one value
  const upper = borders[0] === 0 ? borders.slice(1) : borders;
  const values = borders[0] === 0 ? [...means, last] : [first, ...means, last];
  return {
    borders: [...upper.map((border) => -border).reverse(), ...upper],
    inductances: [...values.slice(1).reverse(), ...values],
  };
}

/** Index of the step that a current lies in. */
export function stepAt({ borders }: Bend, current: number): number {
  let low = 0;
  let high = borders.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (borders[middle]! <= current) low = middle + 1;
    else high = middle;
  }
  return low;
}
