/** Hz; what is taken when nothing forces otherwise. Common practice, no source: 300 kHz to 2 MHz for integrated silicon, low for efficiency. */
export const USUAL_FREQUENCY = 500e3;
/** Hz; below this a stage can be heard. */
export const AUDIBLE_LIMIT = 20e3;
/** Part of a time limit that a decision leaves free on top of it. */
const SPARE = 0.25;

export interface FrequencyChoice {
  frequency: number;
  limitedBy: 'wish' | 'on-time' | 'off-time';
}

/**
 * Highest frequency at which the shortest on-time (smallest duty) and the shortest off-time (largest duty) stay a
 * quarter above the controller's limits, or the usual one when that is lower. Not yet a preferred number.
 */
export function chooseFrequency(
  smallestDuty: number,
  largestDuty: number,
  minimumOnTime: number,
  minimumOffTime: number,
): FrequencyChoice {
  const byOnTime = minimumOnTime > 0 ? smallestDuty / (minimumOnTime * (1 + SPARE)) : Infinity;
  const byOffTime = minimumOffTime > 0 ? Math.max(0, 1 - largestDuty) / (minimumOffTime * (1 + SPARE)) : Infinity;
  const frequency = Math.min(USUAL_FREQUENCY, byOnTime, byOffTime);
  if (frequency <= AUDIBLE_LIMIT)
    return { frequency: AUDIBLE_LIMIT, limitedBy: byOnTime < byOffTime ? 'on-time' : 'off-time' };
  return { frequency, limitedBy: frequency === byOnTime ? 'on-time' : frequency === byOffTime ? 'off-time' : 'wish' };
}
