import type { Decisions } from '../design/schema.ts';
import { bankImpedance } from '../network/impedance.ts';
import { magnitude, over, plus, type Complex } from '../numbers/complex.ts';
import { formatQuantity } from '../quantity/index.ts';
import { firstZero, integratorCrossover, lightCrossover } from './compensator.ts';
import { banksOf, dutyGain, seriesOf, wholeOf, type Placing } from './placing.ts';
import { lowered } from './keptMargins.ts';
import { reachesOf, resonanceOf } from './crossoverLimit.ts';

/*
 * Coefficients of a digital controller where the design has none: an integrator with two zeros below the output filter's
 * resonance and a pole below half the sampling frequency (two poles, two zeros), carried over by the bilinear transformation;
 * an integrator alone where no crossover passes the resonance. The sample is a period old, which the crossover is kept below.
 * Source of the transformation: Tustin's, in any text on sampled control; recalled from memory.
 */

export type DigitalParts = NonNullable<NonNullable<Decisions['control']>['digital']>;

/** Zeros over the resonance at most, and the crossover over them at least. */
const ZEROS = 0.7;
const OVER_ZEROS = 10;
/** The pole over the sampling frequency. */
const POLE = 0.3;
const DIGITS = 6;
/** H(z) at a part of the sampling frequency. */
export function differenceEquation(
  { numerator, denominator }: { numerator: readonly number[]; denominator: readonly number[] },
  part: number,
): Complex {
  const sum = (list: readonly number[]): Complex =>
    list.reduce<Complex>(
      (total, value, k) =>
        plus(total, [value * Math.cos(2 * Math.PI * part * k), -value * Math.sin(2 * Math.PI * part * k)]),
      [0, 0],
    );
  return over(sum(numerator), sum(denominator));
}

export function chooseDigital(placing: Placing): { value: DigitalParts; rule: string } {
  const { brief, decisions, crossoverLimit, corners } = placing;
  const period = 1 / decisions.switchingFrequency;
  if (crossoverLimit.limit === 'filter') {
    const rate = Math.min(
      ...corners.map((corner) => (2 * Math.PI * integratorCrossover(placing, corner)) / dutyGain(brief, corner)),
    );
    return {
      value: { numerator: roundedTo([rate * period], DIGITS), denominator: [1, -1], sampleDelay: 1 },
      rule: 'an integrator that stays four times below what would sustain the output filter’s resonance: no crossover that can be had passes it',
    };
  }
  const { made, part } = lowered(
    placing,
    (crossover) => equationFor(placing, crossover),
    ({ digital }) => ({
      network: (frequency) => differenceEquation(digital, frequency * period),
      // the age of its sample, and the pulse that ends later in the period
      late: ({ duty }) => (digital.sampleDelay + duty) * period,
    }),
  );
  return {
    value: made.digital,
    rule: `two poles and two zeros: an integrator, ${made.zeros}, to cross over at ${formatQuantity(part * crossoverLimit.crossover, 'Hz', { digits: 2 })}${
      part < 1 ? ', where it keeps its margins,' : ''
    } with a sample that is a period old`,
  };
}

/** The equation that crosses over at a frequency, Hz. */
function equationFor(
  { brief, decisions, crossoverLimit: { highest }, corners, inductance }: Placing,
  crossover: number,
): { digital: DigitalParts; zeros: string } {
  const period = 1 / decisions.switchingFrequency;
  const banks = banksOf(decisions);
  const capacitance = wholeOf(decisions);
  const resonance = Math.min(...corners.map((corner) => resonanceOf(corner, inductance, capacitance)));
  const zero = Math.min(ZEROS * resonance, crossover / OVER_ZEROS);
  const speed = 2 * Math.PI * crossover;
  const bank = bankImpedance(banks, speed);
  const whole = plus(bank, [seriesOf(decisions, highest), (speed * inductance) / reachesOf(highest) ** 2]);
  const plant = dutyGain(brief, highest) * magnitude(over(bank, whole));
  // what it is between its zeros, where the second is all that raises it to what the plant lacks at the crossover
  const amplified = zero / crossover / plant;
  const first = firstZero(zero, lightCrossover({ brief, decisions, corners }, { capacitance, amplified }));
  // (1 + s/ω)/… with s = (2/T)(1 − q)/(1 + q), q a period's delay
  const [low, alpha] = [first, zero].map((at) => 1 / (Math.PI * at * period)) as [number, number];
  const beta = 1 / (Math.PI * POLE);
  const gamma = (1 - beta) / (1 + beta);
  const numerator = [(1 + low) * (1 + alpha), 2 * (1 - low * alpha), (1 - low) * (1 - alpha)];
  const denominator = [1, gamma - 1, -gamma];
  const scale = 1 / (plant * magnitude(differenceEquation({ numerator, denominator }, crossover * period)));
  return {
    digital: {
      numerator: roundedTo(
        numerator.map((value) => value * scale),
        DIGITS,
      ),
      denominator: roundedTo(denominator, DIGITS),
      sampleDelay: 1,
    },
    zeros: `${
      first < zero
        ? `a zero at ${formatQuantity(first, 'Hz', { digits: 2 })}, for the light load whose current stops, and one`
        : 'zeros'
    } at ${formatQuantity(zero, 'Hz', { digits: 2 })}`,
  };
}

/**
 * Coefficients rounded, such that those that add up to nothing still do: their equation integrates, and with what rounding
 * leaves it would forget.
 */
export function roundedBy(list: readonly number[], round: (value: number) => number): number[] {
  const sum = (values: readonly number[]): number => values.reduce((total, value) => total + value, 0);
  const made = list.map(round);
  const size = Math.max(...list.map(Math.abs));
  if (list.length < 2 || Math.abs(sum(list)) > 1e-9 * size) return made;
  return [...made.slice(0, -1), Number((-sum(made.slice(0, -1))).toPrecision(12))];
}

/** The same to so many digits. */
export const roundedTo = (list: readonly number[], digits: number): number[] =>
  roundedBy(list, (value) => Number(value.toPrecision(digits)));
