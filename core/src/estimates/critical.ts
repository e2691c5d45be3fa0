import type { Estimate } from './estimate.ts';

/*
 * Critical conduction, as a loop is placed by: the period is what comes out, and the current begins each at nothing.
 */

type Corner = Pick<Estimate, 'inputVoltage' | 'duty' | 'inductorAverage' | 'inductorRipple'>;

/**
 * Hz at which a stage switches at its slowest corner: a period is as long as the current takes to rise and fall by twice
 * its average and what it goes below zero. Straight ramps.
 * @param corners with the ripple that they would have at the clock's frequency
 * @param clock Hz
 * @param valley A below zero, 0 or more
 * @returns the clock's where a corner tells none
 */
export function slowestCritical(corners: readonly Corner[], clock: number, valley: number): number {
  const found = Math.min(
    ...corners.map(
      ({ inductorRipple, inductorAverage }) => (clock * inductorRipple) / (2 * (inductorAverage + valley)),
    ),
  );
  return found > 0 && Number.isFinite(found) ? found : clock;
}

/**
 * V/A at the corner that rises fastest: the ramp ends a pulse at a peak in proportion to the control voltage, as a current
 * sensed with so much would, for the current begins each pulse at the same value.
 * @param rampAt V of the ramp over the clock's period, at an input
 * @returns undefined where a corner has no duty or no ripple
 */
export function sensedByRamp(corners: readonly Corner[], rampAt: (inputVoltage: number) => number): number | undefined {
  const found = Math.min(
    ...corners.map(({ inputVoltage, duty, inductorRipple }) => (rampAt(inputVoltage) * duty) / inductorRipple),
  );
  return found > 0 && Number.isFinite(found) ? found : undefined;
}
