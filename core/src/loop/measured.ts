import { levenbergMarquardt } from 'ml-levenberg-marquardt';
import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { chanceFrom } from '../numbers/chance.ts';
import { degrees, magnitude, over, plus } from '../numbers/complex.ts';
import { solveLinear, zeros } from '../numbers/linear.ts';
import { formatQuantity } from '../quantity/format.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { cornerAsked } from '../simulation/setup.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { sensesCurrent } from '../control/compensator.ts';
import { curveOf, loopAt, type ResponseCurve } from './loop.ts';
import { nearest } from './margins.ts';
import { varied } from './spread.ts';

/** A loop gain as a bench measured it: Hz, dB, degrees, at its operating point. */
export interface MeasuredLoop extends Corner {
  name: string;
  frequency: readonly number[];
  gain: readonly number[];
  phase: readonly number[];
}

/** A plant value that a measurement may correct, as a factor of what the design says. */
export const UNCERTAIN = ['inductance', 'capacitance', 'esr', 'modulator'] as const;
export type Uncertain = (typeof UNCERTAIN)[number];

export interface Fitted {
  which: Uncertain;
  /** factor of the design's value, and where it lies with 95 % confidence by the fit's own residuals */
  factor: number;
  low: number;
  high: number;
}

export interface Fit {
  values: Fitted[];
  /** dB, root mean square of what is left, a degree counting as 0.15 dB: before and after */
  before: number;
  after: number;
  /** the loop with the fitted values, at the measured frequencies */
  fitted: ResponseCurve;
  /** the design's own at the same */
  predicted: ResponseCurve;
  /** the decisions with the fitted values, for a network that answers them */
  decisions: CompleteDecisions;
  iterations: number;
}

/** dB that a degree of phase counts for: of a minimum-phase loop both say the same there. Our own. */
const PER_DEGREE = 0.15;
/** Factors that a value is sought between. */
const WIDEST = 4;
const MOST_POINTS = 120;
/** Times the standard error that 95 % of a normal spread lies within. */
const CONFIDENCE = 1.96;

/**
 * Factors of uncertain plant values that bring the predicted loop gain onto a measured one, by Levenberg and Marquardt's
 * method in their logarithms, with what the residuals leave uncertain.
 * @throws SimulationError in words where the measurement is too short, or the corner has no loop
 */
export function fitLoop(design: Design, measured: MeasuredLoop, which: readonly Uncertain[]): Fit {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, measured);
  const half = decisions.switchingFrequency / 2;
  const inside = measured.frequency
    .map((_, k) => k)
    .filter((k) => measured.frequency[k]! > 0 && measured.frequency[k]! < half);
  if (which.length === 0) throw new SimulationError('Nothing to fit: expected at least one uncertain value.');
  if (inside.length < 2 * which.length)
    throw new SimulationError(
      `The measurement has ${inside.length} points below half the switching frequency, expected at least ${2 * which.length} for ${which.length} values.`,
    );
  const every = Math.max(1, Math.ceil(inside.length / MOST_POINTS));
  const taken = inside.filter((_, k) => k % every === 0);
  const frequency = taken.map((k) => measured.frequency[k]!);
  const gain = taken.map((k) => measured.gain[k]!);
  const phase = taken.map((k) => measured.phase[k]!);
  const n = frequency.length;
  const decisionsFor = (logs: readonly number[]): CompleteDecisions => {
    const of = (one: Uncertain): number => {
      const at = which.indexOf(one);
      return at < 0 ? 1 : Math.exp(logs[at]!);
    };
    const changed = varied(decisions, {
      name: 'fitted',
      inductance: of('inductance'),
      capacitance: of('capacitance'),
      esr: of('esr'),
    });
    const { control } = changed;
    const by = of('modulator');
    const scaled = (value: number | undefined): number | undefined => (value === undefined ? undefined : value * by);
    return by === 1
      ? changed
      : {
          ...changed,
          control: {
            ...control,
            ...(control.rampAmplitude === undefined ? {} : { rampAmplitude: scaled(control.rampAmplitude) }),
            ...(control.rampGain === undefined ? {} : { rampGain: scaled(control.rampGain) }),
            ...(control.currentSenseGain === undefined ? {} : { currentSenseGain: scaled(control.currentSenseGain) }),
          },
        };
  };
  const curveFor = (logs: readonly number[]): ResponseCurve => {
    const made = loopAt(design, decisionsFor(logs), corner);
    return curveOf(frequency, frequency.map(made.gain));
  };
  // what is left at each place: dB, then degrees in their weight, on the branch nearest to the measured one
  const valuesOf = (curve: ResponseCurve): number[] => [
    ...curve.gain,
    ...curve.phase.map((value, k) => nearest(value, phase[k]!) * PER_DEGREE),
  ];
  const target = [...gain, ...phase.map((value) => value * PER_DEGREE)];
  const start = which.map(() => 0);
  const predicted = curveFor(start);
  const left = (values: readonly number[]): number =>
    Math.sqrt(values.reduce((sum, value, k) => sum + (value - target[k]!) ** 2, 0) / values.length);
  const x = target.map((_, k) => k);
  const bound = Math.log(WIDEST);
  const { parameterValues, iterations } = levenbergMarquardt(
    { x, y: target },
    (logs) => {
      const values = valuesOf(curveFor(logs));
      return (at) => values[at]!;
    },
    {
      initialValues: start,
      minValues: which.map(() => -bound),
      maxValues: which.map(() => bound),
      gradientDifference: 0.01,
      centralDifference: true,
      damping: 0.1,
      maxIterations: 40,
      errorTolerance: 1e-6,
    },
  );
  const fitted = curveFor(parameterValues);
  const values = valuesOf(fitted);
  const after = left(values);
  const errors = standardErrors(
    parameterValues,
    (logs) => valuesOf(curveFor(logs)),
    (after ** 2 * 2 * n) / Math.max(1, 2 * n - which.length),
  );
  return {
    values: which.map((one, k) => {
      const log = parameterValues[k]!;
      const spread = CONFIDENCE * errors[k]!;
      return { which: one, factor: Math.exp(log), low: Math.exp(log - spread), high: Math.exp(log + spread) };
    }),
    before: left(valuesOf(predicted)),
    after,
    fitted,
    predicted,
    decisions: decisionsFor(parameterValues),
    iterations,
  };
}

/** Of each parameter, from the curvature of the sum of squares; Infinity where the data do not tell it. */
function standardErrors(
  at: readonly number[],
  values: (at: readonly number[]) => number[],
  variance: number,
): number[] {
  const p = at.length;
  const columns = at.map((_, k) => {
    const moved = (by: number): number[] => values(at.map((value, j) => (j === k ? value + by : value)));
    const [up, down] = [moved(0.01), moved(-0.01)];
    return up.map((value, j) => (value - down[j]!) / 0.02);
  });
  const normal = zeros(p * p);
  for (let i = 0; i < p; i += 1)
    for (let k = 0; k < p; k += 1)
      normal[i * p + k] = columns[i]!.reduce((sum, value, j) => sum + value * columns[k]![j]!, 0);
  return at.map((_, k) => {
    const unit = zeros(p);
    unit[k] = 1;
    const row = solveLinear(p, normal.slice(), unit);
    return row && row[k]! > 0 ? Math.sqrt(row[k]! * variance) : Infinity;
  });
}

/** How large an injection may be at a frequency, so that the loop stays linear and still shows above noise. */
export interface InjectionRow {
  frequency: number;
  /** V, peak, of the injected sine */
  amplitude: number;
  /** V, peak, that then stand before and behind it */
  sensed: number;
  output: number;
  /** what bounds it */
  by: 'output' | 'control';
}

export interface InjectionSheet extends Corner {
  /** where the loop is broken, and the resistor it is done across */
  where: string;
  resistor: number;
  rows: InjectionRow[];
}

/** Part of the output, and of the control voltage's working range, that an injection may move. Common practice, no source. */
const MOVED = { output: 0.01, control: 0.1 };
/** Ω of the resistor that the transformer drives, small against the divider. Common practice, no source: 10 to 50. */
const ACROSS = 20;

/** @throws SimulationError in words where the corner has no loop */
export function injectionSheet(design: Design, at?: Partial<Corner>): InjectionSheet {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, at);
  const made = loopAt(design, decisions, corner);
  const { modulator, period } = made.ready.setup;
  const peak = made.ready.solved.point?.inductorCurrent.peak ?? 1;
  const range = sensesCurrent(modulator)
    ? modulator.currentSenseGain * peak
    : modulator.method === 'voltage-mode'
      ? modulator.rampAmplitude
      : modulator.rampGain * corner.inputVoltage;
  const swings = design.brief.outputVoltage;
  const decades = Array.from({ length: 13 }, (_, k) => Number(((1e-4 * 10 ** (k / 3.3)) / period).toPrecision(1)));
  const frequencies = [...new Set(decades)].filter((frequency) => frequency < 0.5 / period);
  return {
    ...corner,
    where: `between the output where it is sensed and the top of the divider (${decisions.compensator?.dividerTop === undefined ? 'as fitted' : formatQuantity(decisions.compensator.dividerTop, 'Ω')}): what drives the output is small there, and what follows large, at every frequency`,
    resistor: ACROSS,
    rows: frequencies.map((frequency): InjectionRow => {
      const gain = made.gain(frequency);
      const closed = plus([1, 0], gain);
      // of a volt injected: what the controller sees, and what the output answers with
      const sensed = magnitude(over([1, 0], closed));
      const output = magnitude(over(gain, closed));
      const byOutput = (MOVED.output * swings) / Math.max(output, sensed);
      const byControl = (MOVED.control * range) / (magnitude(made.compensator(frequency)) * sensed);
      const amplitude = Math.min(byOutput, byControl);
      return {
        frequency,
        amplitude,
        sensed: amplitude * sensed,
        output: amplitude * output,
        by: byOutput < byControl ? 'output' : 'control',
      };
    }),
  };
}

/** Points of a simulated measurement; its noise, dB at a loop gain of one, and how far the board's parts lie from the design. */
const ANALYSER = { points: 60, noise: 0.15, parts: 0.15 };

/**
 * A frequency-response analyser's stand-in: the loop of a board whose parts are not quite the design's, measured by
 * injection on the switching circuit, with noise. Ships so that a whole measurement can be run without hardware.
 * @param seed of the board and its noise: the same again gives the same file
 * @returns CSV as such an instrument writes it
 */
export function simulatedMeasurement(design: Design, at: Partial<Corner> | undefined, seed: number): string {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, at);
  const chance = chanceFrom(seed);
  const board = varied(decisions, {
    name: 'board',
    capacitance: chance.about(ANALYSER.parts),
    esr: chance.about(2 * ANALYSER.parts),
    inductance: chance.about(ANALYSER.parts),
  });
  const made = loopAt(design, board, corner);
  const exact = made.exact?.() ?? made.gain;
  const frequency = 1 / made.ready.setup.period;
  const rows = Array.from({ length: ANALYSER.points }, (_, k) => {
    const f = 1e-3 * frequency * 10 ** ((k / (ANALYSER.points - 1)) * 2.6);
    const value = exact(f);
    const size = magnitude(value);
    // the smaller of the two voltages that are compared is the noisier
    const noise = ANALYSER.noise * Math.max(1, Math.sqrt(size), 1 / Math.sqrt(size));
    const gain = 20 * Math.log10(size) + noise * (chance.about(1) - 1);
    const phase = degrees(value) + (noise / PER_DEGREE / 2) * (chance.about(1) - 1);
    return [f.toPrecision(5), gain.toFixed(3), nearest(phase, 0).toFixed(2)].join(',');
  });
  return [
    '# simulated frequency-response analyser',
    `# input ${corner.inputVoltage} V, load ${corner.outputCurrent} A`,
    'Frequency (Hz),Gain (dB),Phase (deg)',
    ...rows,
    '',
  ].join('\n');
}
