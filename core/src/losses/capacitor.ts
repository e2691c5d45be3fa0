import type { CapacitorBank } from '../design/schema.ts';
import { windingLoss, type Trace } from './winding.ts';

/**
 * Loss in one capacitor, W: its RMS current squared times its ESR, or harmonic by harmonic where the resistance over
 * frequency is given.
 * @param rms A of one
 * @param trace of its current; wanted only where the curve is given
 */
export function capacitorLoss(bank: CapacitorBank, rms: number, trace: Trace | undefined): number {
  const { esr, esrCurve } = bank;
  if (!esrCurve || !trace) return rms ** 2 * esr;
  return windingLoss(trace, { average: 0, rms, dcResistance: 0 }, esrCurve);
}

/** K by which an electrolytic's life doubles when it is cooler, and hours beyond which its seals, not its heat, end it. Common practice, no source. */
const DOUBLING = 10;
const LONGEST = 15 * 8766 * 3600;

/**
 * Life expected of an electrolytic, s: its endurance, twice as long for each ten kelvin its core is cooler than in the
 * endurance test (at the rated temperature, with the rated ripple where that is known), at most fifteen years.
 * @param temperature °C of its core
 * @returns undefined where its endurance is not given
 */
export function capacitorLife(bank: CapacitorBank, temperature: number | undefined): number | undefined {
  const { lifetime, lifetimeTemperature, rippleCurrentRating = 0, esr, thermalResistance = 0 } = bank;
  if (lifetime === undefined || lifetimeTemperature === undefined || temperature === undefined) return undefined;
  const tested = lifetimeTemperature + thermalResistance * rippleCurrentRating ** 2 * esr;
  return Math.min(LONGEST, lifetime * 2 ** ((tested - temperature) / DOUBLING));
}
