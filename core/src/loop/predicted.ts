import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { magnitude, type Complex } from '../numbers/complex.ts';
import type { Simulation } from '../simulation/run.ts';
import { cornerAsked } from '../simulation/setup.ts';
import { simulate } from '../simulation/simulate.ts';
import { usualSlew } from '../estimates/loadStep.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { loopAt, usualFrequencies } from './loop.ts';

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

/** The brief's load step as the loop predicts it, with the simulated one beside it. */
export interface PredictedStep extends Corner {
  /** s, and V from the average before the step */
  time: number[];
  predicted: number[];
  simulated: { time: number[]; voltage: number[] };
  /** why they part, where they do */
  words: string[];
}

const SHOWN_POINTS = 400;
/** How long a step is looked at: in parts of the crossover’s own period, and switching periods at least. */
const SETTLES = 8;
const LEAST_PERIODS = 30;
const FREQUENCIES = 400;

/**
 * A small-signal prediction of the load step and the switching stage's own, side by side.
 * @throws SimulationError in words where the corner has no loop
 */
export function steppedOf(design: Design, at?: Partial<Corner>): PredictedStep {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, at);
  const { max } = design.brief.outputCurrent;
  const step = design.brief.loadStep ?? { from: max / 2, to: max, slewRate: usualSlew(max) };
  const made = loopAt(design, decisions, { ...corner, outputCurrent: step.to });
  const period = 1 / decisions.switchingFrequency;
  const frequencies = usualFrequencies(decisions.switchingFrequency, FREQUENCIES);
  const gains = frequencies.map((frequency) => magnitude(made.gain(frequency)));
  const crossover = frequencies.findLast((_, k) => gains[k]! >= 1) ?? frequencies[0]!;
  const run = simulate(design, {
    scenario: 'load-step',
    at: corner,
    assume: true,
    duration: Math.max(LEAST_PERIODS * period, SETTLES / crossover),
  });
  const { duration, waveforms, measurements } = run;
  const time = Array.from({ length: SHOWN_POINTS }, (_, k) => (duration * k) / (SHOWN_POINTS - 1));
  const amperes = step.to - step.from;
  const dips = steppedBy(frequencies, frequencies.map(made.outputImpedance), time);
  const predicted = dips.map((dip) => -amperes * dip);
  // the average before the step is where the excursion is counted from
  const before = waveforms!.outputVoltage.length > 0 ? averageBefore(run) : design.brief.outputVoltage;
  const ends = { low: -Math.min(...predicted), high: Math.max(...predicted) };
  const expected = Math.max(ends.low, ends.high);
  const found = Math.max(measurements.undershoot ?? 0, measurements.overshoot ?? 0);
  const words: string[] = [];
  const ramp = step.slewRate === undefined ? 0 : Math.abs(amperes) / step.slewRate;
  if (found > 1.25 * expected)
    words.push(
      'The switching stage moves further: duty or current meets a limit, its ripple stands on the excursion, or the step waits for the next clock.',
    );
  if (found < 0.8 * expected)
    words.push(
      ramp > period
        ? `The switching stage moves less: the load takes ${Math.round(ramp / period)} periods to step, and the prediction none.`
        : 'The switching stage moves less than what holds for small signals at the heavier load.',
    );
  return {
    ...corner,
    time,
    predicted,
    simulated: { time: waveforms!.time, voltage: waveforms!.outputVoltage.map((volts) => volts - before) },
    words,
  };
}

/** V: what an excursion to the lowest or highest is counted from. */
function averageBefore({ measurements }: Simulation): number {
  const { outputVoltage, undershoot = 0, overshoot = 0 } = measurements;
  return undershoot > overshoot ? outputVoltage.min + undershoot : outputVoltage.max - overshoot;
}
