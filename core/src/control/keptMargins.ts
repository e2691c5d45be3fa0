import { bankImpedance } from '../network/impedance.ts';
import { magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { banksOf, dutyGain, rampAt, seriesOf, wholeOf, type Placing } from './placing.ts';
import type { Estimate } from '../estimates/estimate.ts';
import { ABOVE_RESONANCE, reachesOf, resonanceOf } from './crossoverLimit.ts';

/*
 * A network that tells a duty, lowered until its loop keeps its margins at full load over the line: the filter, its
 * right-half-plane zero, and what sample and modulator are late by.
 */

/** Part of the crossover by which it is lowered at a time where margins are missed. Our own. */
const SLOWER = 0.85;
/** Distances from −1 at the crossover (45°) and anywhere, and loop gain left from three times the crossover on. Common practice, no source. */
const KEPT = { crossing: 0.765, anywhere: 0.6, left: 0.4, from: 3 };
/** Places that a loop is looked at, up to half the switching frequency. */
const PLACES = 40;

export interface Closing {
  /** the control, or the duty, over what is sensed */
  network: (frequency: number) => Complex;
  /** s from what is sensed to the pulse that answers */
  late: (corner: Estimate) => number;
}

function keeps(
  { brief, decisions, corners, crossoverLimit, inductance }: Placing,
  { network, late }: Closing,
): boolean {
  const { switchingFrequency, control } = decisions;
  const banks = banksOf(decisions);
  const from = crossoverLimit.slowest / 4;
  const places = Array.from({ length: PLACES }, (_, k) => {
    const frequency = from * (switchingFrequency / 2 / from) ** (k / (PLACES - 1));
    return { frequency, bank: bankImpedance(banks, 2 * Math.PI * frequency), closes: network(frequency) };
  });
  return corners.every((corner) => {
    const filter = inductance / reachesOf(corner) ** 2;
    const series = seriesOf(decisions, corner);
    const gain = dutyGain(brief, corner) / rampAt(control, corner.inputVoltage);
    const { rightHalfPlaneZero: zero = Infinity } = corner;
    const delay = late(corner);
    let crossing: number | undefined;
    return places.every(({ frequency, bank, closes }) => {
      const speed = 2 * Math.PI * frequency;
      const plant = over(bank, plus(bank, [series, speed * filter]));
      const angle = speed * delay;
      const turned = times([1, -frequency / zero], [gain * Math.cos(angle), -gain * Math.sin(angle)]);
      const loop = times(times(plant, turned), closes);
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

/**
 * What is made for a crossover, as high as the reach or lowered until it keeps its margins, no lower than what passes the
 * filter's resonance at every input.
 * @returns it with the part of the reach's crossover that it is made for
 */
export function lowered<T>(
  placing: Placing,
  make: (crossover: number) => T,
  closingOf: (made: T) => Closing,
): { made: T; part: number } {
  const { crossoverLimit, corners, inductance, decisions } = placing;
  const whole = wholeOf(decisions);
  const least = ABOVE_RESONANCE * Math.max(...corners.map((corner) => resonanceOf(corner, inductance, whole)));
  let part = 1;
  let made = make(crossoverLimit.crossover);
  while (!keeps(placing, closingOf(made)) && part * SLOWER * crossoverLimit.slowest > least) {
    part *= SLOWER;
    made = make(part * crossoverLimit.crossover);
  }
  return { made, part };
}
