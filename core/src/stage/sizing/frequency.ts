import { preferredDown, preferredUp } from '../../quantity/index.ts';

/** Hz; what is taken where nothing forces otherwise. Common practice, no source: 300 kHz to 2 MHz for integrated silicon, low for efficiency. */
export const USUAL_FREQUENCY = 500e3;
/** Hz; below this a stage can be heard. */
export const AUDIBLE_LIMIT = 20e3;
/** Hz; above this no free decision goes, whatever the bands. Common practice, no source. */
const HIGHEST = 2.4e6;
/** Part of a time limit that a decision leaves free on top of it. */
const SPARE = 0.25;
/** Part of its duty by which resistances lengthen a long pulse at full load; and what is left of the off-time at least. Common practice, no source. */
const DROOP = { part: 0.03, left: 0.5 };
/** V switched up to which the usual frequency holds, and how it falls beyond: edges cost in proportion to voltage and charge. */
const USUAL_VOLTAGE = 40;
const FALL = 0.7;
/** A stage that runs in pulses has a peak of several times its average to turn off. */
const PULSED_PART = 1 / 2;
/** Times the usual frequency where small and fast is asked for. */
const SMALL_PART = 2;
/** Harmonics that are held out of a band to keep clear; above them they are weak. Common practice, no source. */
const HARMONICS = 20;
/** Mantissas of the frequencies that people set. */
const ROUND = [1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6.5, 8];

export type FrequencyLimit = 'wish' | 'voltage' | 'loss' | 'on-time' | 'off-time' | 'band';

export interface FrequencyChoice {
  frequency: number;
  limitedBy: FrequencyLimit;
}

/** A band of frequencies that the stage should stay out of, Hz. */
export interface Band {
  min: number;
  max: number;
}

/** What speaks for and against a frequency. */
export interface FrequencyNeed {
  /** Hz, to start from: {@link usualFrequency} */
  usual: number;
  smallestDuty: number;
  largestDuty: number;
  minimumOnTime: number;
  minimumOffTime: number;
  keepClear?: readonly Band[] | undefined;
  /** W that switches and windings are expected to lose at a frequency, and W that they may; not asked where it does not matter */
  loss?: { at: (frequency: number) => number; allowed: number } | undefined;
}

/** Hz; the usual frequency for the voltage that is switched (V), lower where the current comes in pulses. Common practice, no source. */
export function usualFrequency(switched: number, pulsed: boolean, small: boolean): number {
  const byVoltage = USUAL_FREQUENCY * Math.min(1, (USUAL_VOLTAGE / switched) ** FALL);
  return roundDown(Math.max(AUDIBLE_LIMIT, byVoltage * (pulsed ? PULSED_PART : 1) * (small ? SMALL_PART : 1)));
}

/** Part of a decided frequency below which an efficiency is no longer bought with size. Our own starting point. */
const LOWEST_BOUGHT = 0.4;

/** The round frequencies below one, falling, at which a stage may be made larger to lose less; clear of the bands. Hz. */
export function lowerFrequencies(from: number, keepClear: readonly Band[] = []): number[] {
  const found: number[] = [];
  const lowest = Math.max(AUDIBLE_LIMIT, LOWEST_BOUGHT * from) * (1 - 1e-9);
  for (let next = roundDown(from * 0.999); next >= lowest; next = roundDown(next * 0.999))
    if (!harmonicIn(next, keepClear)) found.push(next);
  return found;
}

/** The next lower frequency of those that people set. */
function roundDown(frequency: number): number {
  const decade = 10 ** Math.floor(Math.log10(frequency) + 1e-9);
  const mantissa = ROUND.filter((value) => value * decade <= frequency * (1 + 1e-9)).pop() ?? 1;
  return mantissa * decade;
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
 * The usual frequency for the voltage, lowered until switches and windings are expected to lose no more than they may
 * (or as little as they can), and until the shortest on-time and off-time stay a quarter above the controller's limits;
 * where bands are to be kept clear, the nearest one either way with no harmonic inside.
 */
export function chooseFrequency(need: FrequencyNeed): FrequencyChoice {
  const { usual, smallestDuty, largestDuty, minimumOnTime, minimumOffTime, keepClear = [], loss } = need;
  const byOnTime = minimumOnTime > 0 ? smallestDuty / (minimumOnTime * (1 + SPARE)) : Infinity;
  const rests = Math.max((1 - largestDuty) * DROOP.left, 1 - largestDuty * (1 + DROOP.part));
  const byOffTime = minimumOffTime > 0 ? Math.max(0, rests) / (minimumOffTime * (1 + SPARE)) : Infinity;
  const byTime = Math.min(byOnTime, byOffTime);
  let chosen: FrequencyChoice = { frequency: usual, limitedBy: usual < USUAL_FREQUENCY ? 'voltage' : 'wish' };
  if (byTime < usual)
    chosen = {
      frequency: Math.max(AUDIBLE_LIMIT, preferredDown(Math.max(byTime, AUDIBLE_LIMIT), 'E24')),
      limitedBy: byOnTime < byOffTime ? 'on-time' : 'off-time',
    };
  if (loss && loss.at(chosen.frequency) > loss.allowed) {
    const lower = lowered(chosen.frequency, usual, loss);
    if (lower < chosen.frequency) chosen = { frequency: lower, limitedBy: 'loss' };
  }
  if (!harmonicIn(chosen.frequency, keepClear)) return chosen;
  const clear = nearestClear(chosen.frequency, Math.min(byTime, HIGHEST), keepClear);
  return clear === undefined ? chosen : { frequency: clear, limitedBy: 'band' };
}

/** Times the least loss that a frequency may have where none meets what is allowed: the last of it costs much size. Our own starting point. */
const NEAR_LEAST = 1.2;
/** Part of the usual frequency below which losses are no longer bought with size: another topology or better parts are the answer. Our own starting point. */
const LOWEST_PART = 0.6;

/** The highest round frequency below with a loss that is allowed, else the highest whose loss is near the least. */
function lowered(from: number, usual: number, { at, allowed }: NonNullable<FrequencyNeed['loss']>): number {
  const tried = [{ frequency: from, loss: at(from) }];
  const lowest = Math.max(AUDIBLE_LIMIT, LOWEST_PART * usual);
  for (let next = roundDown(from * 0.999); next >= lowest * 0.999; next = roundDown(next * 0.999)) {
    const loss = at(next);
    if (loss <= allowed) return next;
    tried.push({ frequency: next, loss });
  }
  const least = Math.min(...tried.map(({ loss }) => loss));
  return tried.find(({ loss }) => loss <= NEAR_LEAST * least)!.frequency;
}

/** The nearest frequency by ratio with no harmonic in a band, up or down. */
function nearestClear(from: number, highest: number, bands: readonly Band[]): number | undefined {
  let up: number | undefined;
  for (let next = preferredUp(from, 'E96'); next <= highest; next = preferredUp(next * 1.001, 'E96'))
    if (!harmonicIn(next, bands)) {
      up = next;
      break;
    }
  let down: number | undefined;
  for (let next = preferredDown(from, 'E96'); next > AUDIBLE_LIMIT; next = preferredDown(next * 0.999, 'E96'))
    if (!harmonicIn(next, bands)) {
      down = next;
      break;
    }
  if (up === undefined || down === undefined) return up ?? down;
  return up / from <= from / down ? up : down;
}
