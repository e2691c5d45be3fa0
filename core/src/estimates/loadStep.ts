import type { Brief } from '../design/schema.ts';

/** Step and excursion assumed where the brief gives none: half of full load within 5 % of the output. Common practice, no source. */
const ASSUMED_STEP = 0.5;
const ASSUMED_DEVIATION = 0.05;

/** s that a load takes for its step; none where no slew rate is said. */
export const rampOf = ({ from, to, slewRate }: NonNullable<Brief['loadStep']>): number =>
  slewRate === undefined ? 0 : Math.abs(to - from) / slewRate;

/** What the output bank is sized for in a load step: A, s, V, and whether it was assumed. */
export function stepToSize({ loadStep, outputCurrent, outputVoltage }: Brief): {
  step: number;
  /** s that the load takes for it */
  ramp: number;
  deviation: number;
  assumed: boolean;
} {
  return loadStep
    ? {
        step: Math.abs(loadStep.to - loadStep.from),
        ramp: rampOf(loadStep),
        deviation: loadStep.deviation ?? ASSUMED_DEVIATION * outputVoltage,
        assumed: loadStep.deviation === undefined,
      }
    : { step: ASSUMED_STEP * outputCurrent.max, ramp: 0, deviation: ASSUMED_DEVIATION * outputVoltage, assumed: true };
}

/** A load step to start from: a quarter to three quarters of full load in a microsecond, 3 % of the output. Common practice, no source. */
export function suggestLoadStep({ outputCurrent: { max }, outputVoltage }: Brief): NonNullable<Brief['loadStep']> {
  return { from: max / 4, to: (3 * max) / 4, slewRate: usualSlew(max), deviation: 0.03 * outputVoltage };
}

/** Part of the output that the step from the lightest load to all of it may move it by where the brief says nothing: the file format's convention. */
const FULL_STEP = 0.15;

/** V by which the full step may move the output. */
export const fullStepDeviation = ({
  fullStepDeviation: given,
  outputVoltage,
}: Pick<Brief, 'fullStepDeviation' | 'outputVoltage'>): number => given ?? FULL_STEP * outputVoltage;

/** A/s of half the full load within a microsecond. Common practice, no source. */
export const usualSlew = (most: number): number => most / 2 / 1e-6;
