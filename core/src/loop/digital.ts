import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { degrees, magnitude, times, type Complex } from '../numbers/complex.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { differenceEquation, roundedBy, roundedTo, type DigitalParts } from '../control/digital.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { formatQuantity } from '../quantity/index.ts';
import { loop, loopAt } from './loop.ts';
import { whereHighest, type Wanted } from './placement.ts';

/*
 * Digital compensators by their form, from a continuous prototype carried over by Tustin's transformation (any text on
 * sampled control; recalled from memory), and their coefficients in whole numbers.
 */

/** An integrator with one zero, with two zeros and a pole, with two of each. */
export type DigitalForm = 'pi' | '2p2z' | '3p3z';

export interface PlacedDigital {
  digital: DigitalParts;
  /** Hz, of the continuous prototype */
  zeros: number[];
  poles: number[];
  /** degrees that come out, with the coefficients as they are */
  phaseMargin: number;
  /** the corner that it was placed at: where the plant's gain is highest */
  at: Corner;
}

type Coefficients = Pick<DigitalParts, 'numerator' | 'denominator'>;

const product = (a: readonly number[], b: readonly number[]): number[] => {
  const made = Array.from({ length: a.length + b.length - 1 }, () => 0);
  a.forEach((x, i) => b.forEach((y, k) => (made[i + k]! += x * y)));
  return made;
};

/**
 * Π(1 + s/z) / (s·Π(1 + s/p)) with s = (2/T)(1 − q)/(1 + q), q a period's delay.
 * @param zeros Hz, at most one more than poles @param poles Hz @param period s
 */
export function sampledFrom(zeros: readonly number[], poles: readonly number[], period: number): Coefficients {
  const corner = (frequency: number): number[] => {
    const alpha = 1 / (Math.PI * frequency * period);
    return [1 + alpha, 1 - alpha];
  };
  const whole = (list: readonly number[]): number[] => list.map(corner).reduce(product, [1]);
  // the integrator is (T/2)(1 + q)/(1 − q)
  const spare = Array.from({ length: 1 + poles.length - zeros.length }, () => [1, 1]).reduce(product, [1]);
  const numerator = product(whole(zeros), spare).map((value) => (value * period) / 2);
  const denominator = product(whole(poles), [1, -1]);
  const first = denominator[0]!;
  return {
    numerator: numerator.map((value) => value / first),
    denominator: denominator.map((value) => value / first),
  };
}

/** The prototype's zeros and poles for a crossover: the wider their spread, the more phase it adds there. */
function prototype(
  form: DigitalForm,
  crossover: number,
  spread: number,
  half: number,
): { zeros: number[]; poles: number[] } {
  const zero = crossover / spread;
  // nothing sampled tells a pole above half the sampling frequency from one there
  const pole = Math.min(half, crossover * spread);
  if (form === 'pi') return { zeros: [zero], poles: [] };
  return form === '2p2z' ? { zeros: [zero, zero], poles: [half] } : { zeros: [zero, zero], poles: [pole, half] };
}

/** Spread of zeros and poles, from hardly any to what a controller's gain at the ripple still bears. Common practice, no source. */
const SPREAD = { least: 0.05, most: 30 };
const DIGITS = 6;

/** Times that the plant is told anew with the coefficients found: what an injection tells of it has the controller's own part. */
const ROUNDS = 3;
/** Part of the wanted crossover, and degrees of the wanted margin, by which what comes out may be off. */
const OFF = { crossover: 0.05, margin: 2 };

/**
 * Coefficients that cross over where it is wanted with at least the margin that is wanted, on the exact plant of the corner
 * where its gain is highest: its sample's age, the computation and the modulator are in that plant.
 * @throws SimulationError in words where the controller is not digital, the form cannot add what is missing, or the loop
 * that comes out is another than was wanted
 */
export function placeDigital(design: Design, form: DigitalForm, wanted: Wanted): PlacedDigital {
  const { decisions, at } = whereHighest(design, wanted);
  const { control, switchingFrequency } = decisions;
  const { digital: given } = control;
  if (control.method !== 'digital' || !given)
    throw new SimulationError('This controller has no difference equation to place.');
  const { crossover, phaseMargin } = wanted;
  let digital = given;
  for (let round = 1; ; round += 1) {
    const held: CompleteDecisions = { ...decisions, control: { ...control, digital } };
    const found = coefficientsFor(loopAt(design, held, at).plant(crossover), form, wanted, switchingFrequency);
    digital = { ...given, ...found.coefficients };
    if (round < ROUNDS) continue;
    const made: Design = { ...design, decisions: { ...design.decisions, control: { ...control, digital } } };
    const { crossoverFrequency, phaseMargin: had, gainMargin } = loop(made, { at });
    if (
      crossoverFrequency === null ||
      had === null ||
      Math.abs(crossoverFrequency / crossover - 1) > OFF.crossover ||
      had < phaseMargin - OFF.margin ||
      (gainMargin ?? Infinity) <= 0
    )
      throw new SimulationError(
        crossoverFrequency === null || had === null
          ? `crossover: ${crossover} Hz, and the loop that comes out crosses over nowhere: cross over lower.`
          : `crossover: ${crossover} Hz, and the loop that comes out crosses over at ${formatQuantity(crossoverFrequency, 'Hz', { digits: 2 })} with ${had.toFixed(0)}°: its gain rises again where the filter resonates. Cross over lower or beyond it, or take a form with more zeros.`,
      );
    return { digital, zeros: found.zeros, poles: found.poles, phaseMargin: had, at };
  }
}

function coefficientsFor(
  plant: Complex,
  form: DigitalForm,
  { crossover, phaseMargin }: Wanted,
  switchingFrequency: number,
): { coefficients: Coefficients; zeros: number[]; poles: number[] } {
  const period = 1 / switchingFrequency;
  const made = (spread: number) => {
    const corners = prototype(form, crossover, spread, switchingFrequency / 2);
    const raw = sampledFrom(corners.zeros, corners.poles, period);
    const scale = 1 / magnitude(times(plant, differenceEquation(raw, crossover * period)));
    const coefficients = {
      numerator: roundedTo(
        raw.numerator.map((value) => value * scale),
        DIGITS,
      ),
      denominator: roundedTo(raw.denominator, DIGITS),
    };
    const margin = marginOf(times(plant, differenceEquation(coefficients, crossover * period)));
    return { ...corners, coefficients, margin };
  };
  const { margin: most } = made(SPREAD.most);
  if (most < phaseMargin)
    throw new SimulationError(
      `${phaseMargin}°, expected at most the ${most.toFixed(0)}° that ${FORM_WORDS[form]} leaves at this crossover: cross over lower, or take a form with more zeros.`,
      'phaseMargin',
    );
  let [low, high] = [Math.log(SPREAD.least), Math.log(SPREAD.most)];
  for (let k = 0; k < 60; k += 1) {
    const middle = (low + high) / 2;
    if (made(Math.exp(middle)).margin < phaseMargin) low = middle;
    else high = middle;
  }
  return made(Math.exp(high));
}

export const FORM_WORDS: Readonly<Record<DigitalForm, string>> = {
  pi: 'PI: an integrator and a zero',
  '2p2z': '2p2z: an integrator, two zeros and a pole',
  '3p3z': '3p3z: an integrator, two zeros and two poles',
};

/** Degrees from −180, of a loop that lags. */
function marginOf(loop: Complex): number {
  const phase = degrees(loop);
  return 180 + (phase > 0 ? phase - 360 : phase);
}

export interface Scaled {
  /** whole numbers: what the coefficients are times 2^shift */
  numerator: number[];
  denominator: number[];
  shift: number;
  /** largest part by which a coefficient is changed */
  off: number;
}

/**
 * Coefficients as whole numbers of so many bits with a sign, for an error in steps of the converter and a duty in steps of
 * the modulator: as large as they fit, all with one shift.
 * @param bits of a word, 8 to 32
 */
export function scaledTo(
  { numerator, denominator, converterStep = 1, dutyResolution = 1 }: DigitalParts,
  bits: number,
): Scaled {
  const inSteps = numerator.map((value) => value * converterStep * dutyResolution);
  const largest = Math.max(...[...inSteps, ...denominator].map(Math.abs));
  const shift = Math.floor(Math.log2((2 ** (bits - 1) - 1) / largest));
  const whole = (list: readonly number[]): number[] =>
    roundedBy(
      list.map((value) => value * 2 ** shift),
      Math.round,
    );
  const off = (list: readonly number[]): number[] =>
    whole(list).map((value, k) => (list[k] === 0 ? 0 : Math.abs(value / 2 ** shift / list[k]! - 1)));
  return {
    numerator: whole(inSteps),
    denominator: whole(denominator),
    shift,
    off: Math.max(...off(inSteps), ...off(denominator)),
  };
}
