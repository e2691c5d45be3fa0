import type { Waveforms } from '../stage/operating/waveforms.ts';

/** The two areas of a waveform over one period, which balance in the steady state. */
export interface Balance {
  positive: number;
  negative: number;
}

function areasOver(time: Float64Array, values: Float64Array, period: number): Balance {
  const balance = { positive: 0, negative: 0 };
  const end = period * (1 + 1e-9);
  for (let i = 1; i < time.length && time[i]! <= end; i += 1) {
    const span = time[i]! - time[i - 1]!;
    const [a, b] = [values[i - 1]!, values[i]!];
    // a straight piece that crosses zero has two triangles
    const crossing = a * b < 0 ? a / (a - b) : 1;
    const first = (a * span * crossing) / (a * b < 0 ? 2 : 1);
    const areas = a * b < 0 ? [first, (b * span * (1 - crossing)) / 2] : [((a + b) / 2) * span];
    for (const area of areas) balance[area >= 0 ? 'positive' : 'negative'] += area;
  }
  return balance;
}

/** Volt-seconds (V·s) on one inductor, winding drop included, and charge (A·s) of the output bank, over one period. */
export function balanceOf(waveforms: Waveforms): { voltSeconds: Balance; charge: Balance } {
  const { time, period } = waveforms;
  return {
    voltSeconds: areasOver(time, waveforms.inductorVoltage, period),
    charge: areasOver(time, waveforms.outputCapacitorCurrent, period),
  };
}
