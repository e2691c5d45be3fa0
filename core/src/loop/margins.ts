import { degrees, magnitude, type Complex } from '../numbers/complex.ts';
import { peakOf } from '../numbers/peak.ts';

/** How far a loop is from sustaining itself. */
export interface Margins {
  /** Hz; null where the gain does not fall through one */
  crossoverFrequency: number | null;
  /** degrees */
  phaseMargin: number | null;
  /** dB; null where the phase does not cross −180° below half the switching frequency, and Hz where it does */
  gainMargin: number | null;
  phaseCrossoverFrequency: number | null;
  /** nearest distance of the loop gain to −1, and where, Hz */
  vectorMargin: { distance: number; frequency: number };
  /** every passage of the gain through one, from low frequency on: Hz, and the phase margin there */
  crossings: { frequency: number; phaseMargin: number; falls: boolean }[];
}

/** Degrees of a phase margin without whole turns: what lies a turn from −1 lies as near to it as what does not. */
const withoutTurns = (margin: number): number =>
  margin > 270 ? withoutTurns(margin - 360) : margin <= -180 ? withoutTurns(margin + 360) : margin;

/** Degrees, never negative, by which a phase misses −180, from whichever side. */
export const missing = (margin: number): number => Math.abs(margin - 360 * Math.round(margin / 360));

/** Phase over a list of values, without jumps, degrees. It begins between −225 and 135: two integrators lag by 180, to a rounding. */
export function unwrapped(values: readonly Complex[]): number[] {
  let before = -45;
  return values.map((value) => {
    before = nearest(degrees(value), before);
    return before;
  });
}

/** A phase on the branch that lies nearest to another. */
export const nearest = (phase: number, to: number): number => phase + 360 * Math.round((to - phase) / 360);

const ROUNDS = 60;
/** dB above one from which a phase at −180° says nothing. */
const FAR = 100;

/**
 * @param below Hz, half of the frequency at which a stage really switches, where that is lower than its clock's
 * @param frequencies rising, Hz, dense enough that neither gain nor phase turns between two unseen
 * @param gain the loop gain without the summing point's minus sign
 */
export function marginsOf(
  frequencies: readonly number[],
  values: readonly Complex[],
  gain: (frequency: number) => Complex,
  below = Infinity,
): Margins {
  const phases = unwrapped(values);
  const between = (low: number, high: number, crossed: (frequency: number) => boolean): number => {
    let [a, b] = [Math.log(low), Math.log(high)];
    for (let round = 0; round < ROUNDS && b - a > 1e-13; round += 1) {
      const middle = (a + b) / 2;
      if (crossed(Math.exp(middle))) b = middle;
      else a = middle;
    }
    return Math.exp((a + b) / 2);
  };
  let crossoverFrequency: number | null = null;
  let phaseMargin: number | null = null;
  let gainMargin: number | null = null;
  let phaseCrossoverFrequency: number | null = null;
  const crossings: Margins['crossings'] = [];
  for (let k = 1; k < values.length; k += 1) {
    const [low, high] = [frequencies[k - 1]!, frequencies[k]!];
    if (high >= below) break;
    const above = magnitude(values[k - 1]!) >= 1;
    if (above !== magnitude(values[k]!) >= 1) {
      const frequency = between(low, high, (at) => magnitude(gain(at)) >= 1 !== above);
      const crossing = {
        frequency,
        phaseMargin: withoutTurns(180 + nearest(degrees(gain(frequency)), phases[k]!)),
        falls: above,
      };
      crossings.push(crossing);
      // the last fall through one is where the loop gives up
      if (above) ({ frequency: crossoverFrequency, phaseMargin } = crossing);
    }
    for (const turn of [-180, 180, -540]) {
      const falls = phases[k - 1]! > turn && phases[k]! <= turn;
      const rises = phases[k - 1]! <= turn && phases[k]! > turn;
      if (!falls && !rises) continue;
      const at = between(low, high, (frequency) => {
        const phase = nearest(degrees(gain(frequency)), phases[k]!);
        return falls ? phase <= turn : phase > turn;
      });
      const margin = -20 * Math.log10(magnitude(gain(at)));
      // two integrators lag by 180 to a rounding, far above one: no crossing
      if (margin < -FAR) continue;
      // the crossing that is nearest to one, on either side
      if (gainMargin === null || Math.abs(margin) < Math.abs(gainMargin)) {
        gainMargin = margin;
        phaseCrossoverFrequency = at;
      }
    }
  }
  const told = frequencies.filter((frequency, k) => k === 0 || frequency < below);
  const nearness = ([re, im]: Complex): number => 1 / magnitude([1 + re, im]);
  const { frequency, value } = peakOf(told, values.slice(0, told.length).map(nearness), (at) => nearness(gain(at)));
  const vectorMargin = { distance: 1 / value, frequency };
  return { crossoverFrequency, phaseMargin, gainMargin, phaseCrossoverFrequency, vectorMargin, crossings };
}
