import type { RectifierValues } from './values.ts';

/** °C of the data sheet's leakage, and K by which it doubles. Common practice for Schottky diodes, no source. */
const REFERENCE = 25;
const DOUBLING = 10;

/**
 * Loss of a diode that leaks while it blocks, W of one leg: (1 − d)·Vr·n·I₂₅·2^((Tj − 25)/doubling). It rises with the
 * heat that it makes itself: where that outruns the cooling, the diode runs away. Common practice, no source.
 * @param conducts part of the period for which it conducts
 * @param blocking V across it while it does not
 * @param temperature °C; that of the data sheet where it is not known
 * @returns undefined where its data are not there; `slope` is W/K of the same
 */
export function leakage(
  rectifier: RectifierValues,
  {
    conducts,
    blocking,
    temperature = REFERENCE,
  }: { conducts: number; blocking: number; temperature: number | undefined },
): { loss: number; slope: number } | undefined {
  if (rectifier.kind !== 'diode' || rectifier.leakageCurrent === undefined) return undefined;
  const { leakageCurrent, leakageDoubling = DOUBLING, count = 1 } = rectifier;
  const loss =
    Math.max(0, 1 - conducts) * blocking * count * leakageCurrent * 2 ** ((temperature - REFERENCE) / leakageDoubling);
  return { loss, slope: (loss * Math.LN2) / leakageDoubling };
}
