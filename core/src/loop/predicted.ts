import type { Complex } from '../numbers/complex.ts';

/**
 * What the output does after a step of the load by one ampere, by the closed loop's output impedance alone: V per A at
 * each time, a dip counted as positive, as weights of the impedance's real part at each frequency. The real part's integral with a sine, straight between the frequencies in
 * Re Z / ω; beyond the last the real part stays.
 * Source: the inverse Fourier transform of a causal response by its real part, as in Papoulis, The Fourier Integral and
 * its Applications, 1962; recalled from memory.
 *
 * @param frequencies Hz, rising, dense enough for what rings
 * @param times s
 * @returns a row of weights for each time
 */
export function stepWeights(frequencies: readonly number[], times: readonly number[]): number[][] {
  const omega = [0, ...frequencies.map((frequency) => 2 * Math.PI * frequency)];
  const last = omega.length - 1;
  return times.map((time) => {
    // of the density Re Z / ω at each end of each piece
    const weights = omega.map(() => 0);
    if (time <= 0) return weights.slice(1);
    for (let k = 1; k < omega.length; k += 1) {
      const [from, to] = [omega[k - 1]!, omega[k]!];
      // ∫ (q + s(ω − from)) sin ωt dω
      const swing = (Math.sin(to * time) - Math.sin(from * time)) / (time * time * (to - from));
      weights[k - 1]! += Math.cos(from * time) / time - swing;
      weights[k]! += swing - Math.cos(to * time) / time;
    }
    // the sine integral's own asymptotic end
    const turn = omega[last]! * time;
    const tail = turn > 1 ? Math.cos(turn) / turn + Math.sin(turn) / (turn * turn) : Math.PI / 2 - turn;
    weights[last]! += omega[last]! * tail;
    return weights.slice(1).map((weight, k) => ((2 / Math.PI) * weight) / omega[k + 1]!);
  });
}

/** The same for an impedance: V per A at each time. */
export function steppedBy(
  frequencies: readonly number[],
  impedance: readonly Complex[],
  times: readonly number[],
): number[] {
  return stepWeights(frequencies, times).map((weights) =>
    weights.reduce((sum, weight, k) => sum + weight * impedance[k]![0], 0),
  );
}
