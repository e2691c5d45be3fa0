import type { Decisions } from '../../design/schema.ts';
import { bankImpedance } from '../../network/impedance.ts';
import { magnitude, over, plus, type Complex } from '../../numbers/complex.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { banksOf, dutyGain, integratorCrossover, seriesOf, type Placing } from './compensator.ts';
import { reachesOf, resonanceOf } from './reach.ts';

/*
 * Coefficients of a digital controller where the design has none: an integrator with two zeros below the output filter's
 * resonance and a pole at half the sampling frequency (two poles, two zeros), carried over by the bilinear transformation;
 * an integrator alone where no crossover passes the resonance. The sample is a period old, which the crossover is kept below.
 * Source of the transformation: Tustin's, in any text on sampled control; recalled from memory.
 */

export type DigitalParts = NonNullable<NonNullable<Decisions['control']>['digital']>;

/** Zeros over the resonance at most, and the crossover over them at least, as the analogue network has them. */
const ZEROS = 0.7;
const OVER_ZEROS = 4.5;
const DIGITS = 6;

export function chooseDigital(placing: Placing): { value: DigitalParts; rule: string } {
  const { brief, decisions, reach, corners, inductance } = placing;
  const period = 1 / decisions.switchingFrequency;
  const rounded = (values: readonly number[]): number[] => values.map((value) => Number(value.toPrecision(DIGITS)));
  if (reach.limit === 'filter') {
    const rate = Math.min(
      ...corners.map((corner) => (2 * Math.PI * integratorCrossover(placing, corner)) / dutyGain(brief, corner)),
    );
    return {
      value: { numerator: rounded([rate * period]), denominator: [1, -1], sampleDelay: 1 },
      rule: 'an integrator that stays four times below what would sustain the output filter’s resonance: no crossover that can be had passes it',
    };
  }
  const { crossover, highest } = reach;
  const banks = banksOf(decisions);
  const capacitance = banks.reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);
  const resonance = Math.min(...corners.map((corner) => resonanceOf(corner, inductance, capacitance)));
  const zero = Math.min(ZEROS * resonance, crossover / OVER_ZEROS);
  // (1 + s/ω)/… with s = (2/T)(1 − q)/(1 + q), q a period's delay
  const alpha = 1 / (Math.PI * zero * period);
  const beta = 2 / Math.PI;
  const gamma = (1 - beta) / (1 + beta);
  const numerator = [(1 + alpha) ** 2, 2 * (1 - alpha * alpha), (1 - alpha) ** 2];
  const denominator = [1, gamma - 1, -gamma];
  const angle = 2 * Math.PI * crossover * period;
  const at = (list: readonly number[]): Complex =>
    list.reduce<Complex>(
      (sum, value, k) => plus(sum, [value * Math.cos(k * angle), -value * Math.sin(k * angle)]),
      [0, 0],
    );
  const speed = 2 * Math.PI * crossover;
  const bank = bankImpedance(banks, speed);
  const whole = plus(bank, [seriesOf(decisions, highest), (speed * inductance) / reachesOf(highest) ** 2]);
  const plant = dutyGain(brief, highest) * magnitude(over(bank, whole));
  const scale = 1 / (plant * magnitude(over(at(numerator), at(denominator))));
  return {
    value: {
      numerator: rounded(numerator.map((value) => value * scale)),
      denominator: rounded(denominator),
      sampleDelay: 1,
    },
    rule: `two poles and two zeros: an integrator, zeros at ${formatQuantity(zero, 'Hz', { digits: 2 })}, to cross over at ${formatQuantity(crossover, 'Hz', { digits: 2 })} with a sample that is a period old`,
  };
}
