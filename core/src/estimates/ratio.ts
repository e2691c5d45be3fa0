import type { Brief } from '../design/schema.ts';

/** Input over output of a step down, and output over input of a step up, beyond which one plain stage is at the end of what it does well. Common practice, no source. */
export const LARGEST_STEP_DOWN = 20;
export const LARGEST_STEP_UP = 8;

/** V of rails that are usual between two stages. Common practice, no source. */
const USUAL_RAILS = [3.3, 5, 9, 12, 15, 18, 24, 36, 48, 60, 80, 120, 200, 400];

/**
 * V between two stages that share a far step between them: of the usual rails the nearest to where both have the same ratio.
 * Undefined where one stage does it, or no rail lies between.
 */
export function intermediateVoltage({ inputVoltage: { min, max }, outputVoltage }: Brief): number | undefined {
  const up = outputVoltage / min;
  const down = max / outputVoltage;
  if (up <= LARGEST_STEP_UP && down <= LARGEST_STEP_DOWN) return undefined;
  const same = Math.sqrt((up > LARGEST_STEP_UP ? min : max) * outputVoltage);
  const apart = (volts: number): number => Math.abs(Math.log(volts / same));
  const [low, high] = [Math.min(max, outputVoltage), Math.max(min, outputVoltage)];
  return USUAL_RAILS.filter((volts) => volts > 1.3 * low && volts < high / 1.3).sort((a, b) => apart(a) - apart(b))[0];
}
