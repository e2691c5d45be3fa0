import type { Brief } from '../../design/schema.ts';

/** Step and excursion assumed where the brief gives none: half of full load within 5 % of the output. Common practice, no source. */
const ASSUMED_STEP = 0.5;
const ASSUMED_DEVIATION = 0.05;

/** What the output bank is sized for in a load step: A, V, and whether it was assumed. */
export function stepToSize({ loadStep, outputCurrent, outputVoltage }: Brief): {
  step: number;
  deviation: number;
  assumed: boolean;
} {
  return loadStep
    ? {
        step: Math.abs(loadStep.to - loadStep.from),
        deviation: loadStep.deviation ?? ASSUMED_DEVIATION * outputVoltage,
        assumed: loadStep.deviation === undefined,
      }
    : { step: ASSUMED_STEP * outputCurrent.max, deviation: ASSUMED_DEVIATION * outputVoltage, assumed: true };
}

/** A load step to start from: a quarter to three quarters of full load in a microsecond, 3 % of the output. Common practice, no source. */
export function suggestLoadStep({ outputCurrent: { max }, outputVoltage }: Brief): NonNullable<Brief['loadStep']> {
  return { from: max / 4, to: (3 * max) / 4, slewRate: usualSlew(max), deviation: 0.03 * outputVoltage };
}

/** A/s of half the full load within a microsecond. Common practice, no source. */
export const usualSlew = (most: number): number => most / 2 / 1e-6;
