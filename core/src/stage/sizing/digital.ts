import type { Decisions } from '../../design/schema.ts';
import { bankImpedance } from '../../network/impedance.ts';
import { magnitude, over, plus, times, type Complex } from '../../numbers/complex.ts';
import { formatQuantity } from '../../quantity/index.ts';
import {
  banksOf,
  dutyGain,
  firstZero,
  integratorCrossover,
  lightCrossover,
  seriesOf,
  type Placing,
} from './compensator.ts';
import { ABOVE_RESONANCE, reachesOf, resonanceOf } from './reach.ts';

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
/** Part of the crossover by which it is lowered at a time where margins are missed. Our own. */
const SLOWER = 0.85;
/** Distances from −1 at the crossover (45°) and anywhere, and loop gain left from three times the crossover on. Common practice, no source. */
const KEPT = { crossing: 0.765, anywhere: 0.6, left: 0.4, from: 3 };
/** Places that a loop is looked at, up to half the sampling frequency. */
const PLACES = 40;

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
  const { brief, decisions, reach, corners, inductance } = placing;
  const period = 1 / decisions.switchingFrequency;
  if (reach.limit === 'filter') {
    const rate = Math.min(
      ...corners.map((corner) => (2 * Math.PI * integratorCrossover(placing, corner)) / dutyGain(brief, corner)),
    );
    return {
      value: { numerator: roundedTo([rate * period], DIGITS), denominator: [1, -1], sampleDelay: 1 },
      rule: 'an integrator that stays four times below what would sustain the output filter’s resonance: no crossover that can be had passes it',
    };
  }
  // no lower than what passes the resonance at every input
  const least =
    ABOVE_RESONANCE * Math.max(...corners.map((corner) => resonanceOf(corner, inductance, wholeOf(placing))));
  let part = 1;
  let made = equationFor(placing, reach.crossover);
  while (!held(placing, made.digital) && part * SLOWER * reach.slowest > least) {
    part *= SLOWER;
    made = equationFor(placing, part * reach.crossover);
  }
  return {
    value: made.digital,
    rule: `two poles and two zeros: an integrator, ${made.zeros}, to cross over at ${formatQuantity(part * reach.crossover, 'Hz', { digits: 2 })}${
      part < 1 ? ', where it keeps its margins,' : ''
    } with a sample that is a period old`,
  };
}

/** Whether an equation keeps its margins at full load over the line: the filter, its right-half-plane zero, and what sample and modulator are late by. */
function held({ brief, decisions, corners, reach, inductance }: Placing, digital: DigitalParts): boolean {
  const { switchingFrequency } = decisions;
  const banks = banksOf(decisions);
  const from = reach.slowest / 4;
  const places = Array.from({ length: PLACES }, (_, k) => {
    const frequency = from * (switchingFrequency / 2 / from) ** (k / (PLACES - 1));
    const bank = bankImpedance(banks, 2 * Math.PI * frequency);
    return { frequency, bank, network: differenceEquation(digital, frequency / switchingFrequency) };
  });
  return corners.every((corner) => {
    const filter = inductance / reachesOf(corner) ** 2;
    const series = seriesOf(decisions, corner);
    const gain = dutyGain(brief, corner);
    const { duty, rightHalfPlaneZero: zero = Infinity } = corner;
    let crossing: number | undefined;
    return places.every(({ frequency, bank, network }) => {
      const speed = 2 * Math.PI * frequency;
      const late = (speed * (digital.sampleDelay + duty)) / switchingFrequency;
      const plant = over(bank, plus(bank, [series, speed * filter]));
      const turned: Complex = times([1, -frequency / zero], [gain * Math.cos(late), -gain * Math.sin(late)]);
      const loop = times(times(plant, turned), network);
      const size = magnitude(loop);
      const distance = magnitude(plus([1, 0], loop));
      if (crossing === undefined && size < 1) {
        crossing = frequency;
        if (distance < KEPT.crossing) return false;
      }
      if (crossing === undefined) return true;
      return distance >= KEPT.anywhere && (frequency < KEPT.from * crossing || size <= KEPT.left);
    });
  });
}

/** F of the banks at the output. */
const wholeOf = ({ decisions }: Pick<Placing, 'decisions'>): number =>
  banksOf(decisions).reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);

/** The equation that crosses over at a frequency, Hz. */
function equationFor(
  { brief, decisions, reach: { highest }, corners, inductance }: Placing,
  crossover: number,
): { digital: DigitalParts; zeros: string } {
  const period = 1 / decisions.switchingFrequency;
  const banks = banksOf(decisions);
  const capacitance = wholeOf({ decisions });
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
