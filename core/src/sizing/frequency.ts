import { preferredDown } from '../quantity/index.ts';

/** Hz; what is taken when nothing forces otherwise. Common practice, no source: 300 kHz to 2 MHz for integrated silicon, low for efficiency. */
export const USUAL_FREQUENCY = 500e3;
/** Hz; below this a stage can be heard. */
export const AUDIBLE_LIMIT = 20e3;
/** Part of a time limit that a decision leaves free on top of it. */
const SPARE = 0.25;

/** Harmonics that are held out of a band to keep clear; above them they are weak. Common practice, no source. */
const HARMONICS = 20;

export interface FrequencyChoice {
  frequency: number;
  limitedBy: 'wish' | 'on-time' | 'off-time' | 'band';
}

/** A band of frequencies that the stage should stay out of, Hz. */
export interface Band {
  min: number;
  max: number;
}

/** The lowest harmonic of a frequency that falls into a band, with that band; undefined when none does. */
export function harmonicIn(frequency: number, bands: readonly Band[]): { harmonic: number; band: Band } | undefined {
  for (let harmonic = 1; harmonic <= HARMONICS; harmonic += 1) {
    const at = harmonic * frequency;
    const band = bands.find(({ min, max }) => at >= min && at <= max);
    if (band) return { harmonic, band };
  }
  return undefined;
}

/**
 * Highest frequency at which the shortest on-time (smallest duty) and the shortest off-time (largest duty) stay a
 * quarter above the controller's limits, or the usual one when that is lower, in the E24 series; where bands are to be
 * kept clear, the highest below it in E96 with no harmonic inside, or the first when there is none such.
 */
export function chooseFrequency(
  smallestDuty: number,
  largestDuty: number,
  minimumOnTime: number,
  minimumOffTime: number,
  keepClear: readonly Band[] = [],
): FrequencyChoice {
  const byOnTime = minimumOnTime > 0 ? smallestDuty / (minimumOnTime * (1 + SPARE)) : Infinity;
  const byOffTime = minimumOffTime > 0 ? Math.max(0, 1 - largestDuty) / (minimumOffTime * (1 + SPARE)) : Infinity;
  const limit = Math.min(USUAL_FREQUENCY, byOnTime, byOffTime);
  const limitedBy = limit === byOnTime ? 'on-time' : limit === byOffTime ? 'off-time' : 'wish';
  if (limit <= AUDIBLE_LIMIT) return { frequency: AUDIBLE_LIMIT, limitedBy };
  const frequency = limitedBy === 'wish' ? limit : preferredDown(limit, 'E24');
  if (!harmonicIn(frequency, keepClear)) return { frequency, limitedBy };
  for (
    let lower = preferredDown(frequency, 'E96');
    lower > AUDIBLE_LIMIT;
    lower = preferredDown(lower * 0.999, 'E96')
  ) {
    if (!harmonicIn(lower, keepClear)) return { frequency: lower, limitedBy: 'band' };
  }
  return { frequency, limitedBy };
}
