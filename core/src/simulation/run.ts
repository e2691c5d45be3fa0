import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { Simulator } from './engine.ts';
import { type Recorder } from './engine.ts';
import type { Segment } from './modulator.ts';
import { Meter, type Measured, type Waveforms } from './meter.ts';
import { topologyModel } from '../topology/index.ts';
import { formatQuantity } from '../quantity/index.ts';
import { LATCHES, latches } from '../stage/sanity.ts';
import { cureOf } from './cures.ts';
import { drives } from './phase.ts';
import { conductanceOf, drawnBy, ready, type Ready } from './setup.ts';
import { PATIENCE, steadyState, type Steady } from './steady.ts';
import type { LoadStep } from './steps.ts';

export const SCENARIOS = [
  'steady-state',
  'light-load',
  'load-step',
  'line-step',
  'start-up',
  'short-circuit',
  'open-loop',
  'step-train',
  'overload',
  'lighter-load',
  'duty-ramp',
  'bank-aged',
  'bank-lost',
  'phase-lost',
  'switch-shorted',
  'feedback-lost',
  'divider-open',
] as const;
export type Scenario = (typeof SCENARIOS)[number];

export interface SimulateOptions {
  scenario: Scenario;
  /** V and A; nominal input and full load where absent */
  at?: Partial<Corner> | undefined;
  /** s */
  duration?: number | undefined;
  /** open loop: part of the period */
  duty?: number | undefined;
  /** load step and step train: another step than the brief's; its slew is the brief's or the usual where absent */
  step?: LoadStep | undefined;
  /** load step: goes back, for as long again */
  release?: boolean | undefined;
  /** start-up: V that the output bank holds already */
  prebias?: number | undefined;
  /** short circuit: Ω across the output */
  resistance?: number | undefined;
  waveforms?: boolean | undefined;
  /** multiplications that it may take */
  work?: number | undefined;
  /** tells a bent inductance as finely as a verdict needs, where absent as finely as a bench tells apart */
  fineness?: 'verdict' | undefined;
  /** takes a usual step where the brief gives none, and says so */
  assume?: boolean | undefined;
  /** measures extremes alone, no averages */
  extremes?: boolean | undefined;
  /** ends the way back of a load step once the output has left its band and kept within it since: its peak is behind it */
  untilQuiet?: boolean | undefined;
  /** start-up: times its soft start that it is followed for; three where absent */
  startsFor?: number | undefined;
  /** step train: Hz at which the load steps there and back; sought where absent */
  rate?: number | undefined;
}

/** How a transient went, from the average before it. V and s. */
export interface Excursion {
  undershoot: number;
  overshoot: number;
  /** Infinity (null in JSON) where it had not settled when the run ended */
  settlingTime: number;
}

/** What a run answers. Names and units are the result format's. */
export interface Simulation {
  format: 'yundro-simulation';
  version: 1;
  scenario: Scenario;
  duration: number;
  cycles: number;
  measurements: {
    outputVoltage: Measured;
    inductorCurrent: Measured[];
    inputCurrent: Measured;
    /** Hz */
    frequency: number;
    undershoot?: number;
    overshoot?: number;
    settlingTime?: number;
    peakInductorCurrent?: number;
    /** V at the end of a start */
    finalOutputVoltage?: number;
    release?: Excursion;
    /** A, the highest current out of the input node */
    inrush?: number;
  };
  /** of a step train: peak to peak of the output at each rate tried */
  train?: { rate: number; peakToPeak: number }[];
  /** whether one period closes on itself, and to what part of itself a disturbance shrinks in one */
  steadyState?: { periodic: boolean; growth?: number };
  warnings: { id: string; message: string }[];
  waveforms?: Waveforms;
}

/** Periods of a transient where neither caller nor brief says how long; pieces that a ramp of a conductance is taken in. */
const USUAL_PERIODS = 400;
const RAMP_PIECES = 64;
/** Periods over which a state that does not repeat in one is measured. */
const REPEATS = 64;
/** Pulses that one which skips is measured over: so many, or as many as come in so many periods, but some. */
const PULSES = { most: 100, periods: 8192, least: 24 };
/** Part of the clock's frequency below which pulses are left out. */
const LEFT_OUT = 0.98;
const SETTLING_BAND = 0.01;
/** Part of the output by which a steady state may miss it before that is said: more than a ripple's or a droop's. */
const UNREGULATED = 0.05;
/** Times the pulses of the stage's own solution from which on a steady state has other ones than those. */
const OTHER_PULSES = 1.3;
/** Part of a period within which an end is a clock's. */
const AT_CLOCK = 1e-9;
/** Periods of one slice of a run, after which it says how far it is. */
const SLICE = 500;

/** Periods that an output has to keep within its band before a run may end as quiet, and those after which it is looked at. Our own. */
const QUIET = { periods: 100, slice: 25 };

/** How far a run is, with what it has so far. */
export interface SimulationProgress {
  part: number;
  soFar: Simulation;
}
export type Simulating = Generator<SimulationProgress, Simulation>;

export interface Run {
  design: Design;
  decisions: CompleteDecisions;
  corner: Corner;
  options: SimulateOptions;
  /** what was taken where the brief says nothing */
  assumed: { id: string; message: string }[];
}

/** The load and the source as they stand at a corner. */
export function standing({ design, decisions }: Run, { inputVoltage, outputCurrent }: Corner, at = 0): Segment {
  return {
    at,
    conductance: conductanceOf(design.brief, decisions, outputCurrent),
    current: drawnBy(design.brief, outputCurrent),
    currentSlope: 0,
    source: inputVoltage,
    sourceSlope: 0,
  };
}

export function durationOf({ design, decisions, options }: Run, otherwise = 0): number {
  if (options.duration !== undefined) return options.duration;
  const wanted = design.brief.loadStep?.settlingTime ?? 0;
  return Math.max(USUAL_PERIODS / decisions.switchingFrequency, 4 * wanted, otherwise);
}

export function meterFor(
  made: Ready,
  { design, options }: Run,
  { waveforms = options.waveforms ?? true, extremes = options.extremes ?? false } = {},
): Meter {
  const { brief } = design;
  return new Meter(made.setup.phases, {
    waveforms,
    period: made.setup.period,
    duration: options.duration,
    controls: made.setup.amplifier !== undefined,
    extremes,
    band: {
      target: brief.outputVoltage,
      within: brief.outputVoltage * (brief.loadStep?.settlingBand ?? SETTLING_BAND),
    },
  });
}

export function answer(
  { design, options, decisions, assumed }: Run,
  made: Ready,
  meter: Meter,
  { duration, cycles }: { duration: number; cycles: number },
  more: Partial<Simulation['measurements']> = {},
  steady?: Steady,
): Simulation {
  const warnings: Simulation['warnings'] = [
    ...made.assumed.map((message) => ({ id: 'assumed-compensator', message })),
    ...assumed,
  ];
  const frequency = cycles / made.setup.phases / duration;
  // a pulse at some of the clocks is what skipping is, and no oscillation, be it that a run only begins with it
  const repeats = options.scenario === 'steady-state' || options.scenario === 'light-load';
  const begins = repeats ? frequency : (made.solved.point?.switchingFrequency ?? frequency);
  const leavesOut = made.setup.modulator.leastPulse !== undefined && begins * made.setup.period < LEFT_OUT;
  if (steady?.rests) warnings.push({ id: 'at-rest', message: restWords(steady, meter, made, decisions) });
  else if (steady && !steady.periodic && leavesOut)
    warnings.push({
      id: 'left-out',
      message: `Pulses are left out${repeats ? '' : ' as the run begins'}: at ${formatQuantity(begins, 'Hz')} on average one comes, as large as where the current just stops, at the clock at which the output asks for it.`,
    });
  else if (steady && !steady.periodic) {
    warnings.push({
      id: 'not-periodic',
      message:
        'No period of the clock closes on itself: the stage oscillates below its switching frequency, or wanders. The figures are those of what it does after thousands of periods.',
    });
    const model = topologyModel(decisions.topology);
    const { source } = made.setup.segments[0]!;
    const cure =
      options.scenario === 'open-loop'
        ? undefined
        : cureOf(model, design.brief, decisions, source, made.setup.modulator.onTime);
    if (cure) warnings.push({ id: 'subharmonic', message: cure.message });
  }
  if (steady) {
    warnings.push(...unregulated(options.scenario, design.brief.outputVoltage, meter.output.measured.average));
    warnings.push(...otherPulses(options.scenario, made, frequency));
  }
  warnings.push(...beyondRatings(design, decisions, meter));
  return {
    format: 'yundro-simulation',
    version: 1,
    scenario: options.scenario,
    duration,
    cycles,
    measurements: {
      outputVoltage: meter.output.measured,
      inductorCurrent: meter.currents.map((gauge) => gauge.measured),
      inputCurrent: meter.input.measured,
      frequency,
      ...more,
    },
    ...(steady
      ? {
          steadyState: {
            periodic: steady.periodic,
            ...(steady.growth === undefined ? {} : { growth: steady.growth }),
          },
        }
      : {}),
    warnings,
    ...(meter.waveforms ? { waveforms: meter.waveforms } : {}),
  };
}

/** What a run takes its parts to beyond what they are rated for: the inductor's saturation, and what the switches block. */
function beyondRatings({ brief }: Design, decisions: CompleteDecisions, meter: Meter): Simulation['warnings'] {
  const { inductor, controlSwitch, rectifier, topology } = decisions;
  const warnings: Simulation['warnings'] = [];
  const peak = Math.max(...meter.currents.map((gauge) => gauge.max));
  if (peak > inductor.saturationCurrent)
    warnings.push({
      id: 'beyond-saturation',
      message: `The inductor’s current reaches ${formatQuantity(peak, 'A')}, past its saturation at ${formatQuantity(inductor.saturationCurrent, 'A')}${inductor.inductanceCurve ? '' : ': its inductance is taken as straight here, and would fall'}.`,
    });
  const { control, rectifier: across } = topologyModel(topology).switchStress(
    brief.inputVoltage.max,
    Math.max(0, meter.output.measured.max),
  );
  const over = (
    [
      ['control switch', control, controlSwitch.voltageRating],
      ['rectifier', across, rectifier.voltageRating],
    ] as const
  ).filter(([, volts, rating]) => rating !== undefined && volts > rating);
  for (const [name, volts, rating] of over)
    warnings.push({
      id: 'beyond-voltage',
      message: `With the output at ${formatQuantity(meter.output.measured.max, 'V')} the ${name} blocks ${formatQuantity(volts, 'V')} at the highest input, and is rated for ${formatQuantity(rating!, 'V')}.`,
    });
  return warnings;
}

/** A steady state in which the output is not the one wanted. */
function unregulated(scenario: Scenario, wanted: number, average: number): Simulation['warnings'] {
  if (!(scenario === 'steady-state' || scenario === 'light-load')) return [];
  if (Math.abs(average - wanted) <= UNREGULATED * wanted) return [];
  return [
    {
      id: 'not-regulated',
      message: `The output stands at ${formatQuantity(average, 'V')} where ${formatQuantity(wanted, 'V')} are wanted: the controller is at the end of what its pulses can do, its gain leaves that much, or its divider asks for another output.`,
    },
  ];
}

/** A steady state at a load at which the stage is solved with fewer and larger pulses than a controller with a clock gives. */
function otherPulses(scenario: Scenario, { setup, solved }: Ready, frequency: number): Simulation['warnings'] {
  const { modulator } = setup;
  if (!(scenario === 'steady-state' || scenario === 'light-load') || !modulator.clocked || modulator.skips !== true)
    return [];
  const { switchingFrequency, outputCapacitor } = solved.point ?? {};
  if (!switchingFrequency || frequency < OTHER_PULSES * switchingFrequency) return [];
  return [
    {
      id: 'other-pulses',
      message: `Stage has ${formatQuantity(switchingFrequency, 'Hz')} of pulses here, each as large as where the current just stops, with ${formatQuantity(outputCapacitor?.ripple ?? 0, 'V')} of ripple. This controller keeps its clock and shrinks its pulses down to the minimum on-time before it leaves any out: the ripple shown is the least there is. Controllers that skip by a threshold of their own stand between.`,
    },
  ];
}

/** What a stage does in which nothing switches any more. */
function restWords({ simulator }: Steady, { output }: Meter, { solved }: Ready, decisions: CompleteDecisions): string {
  const stays = simulator.snapshot().phases.some(drives) ? 'on' : 'off';
  const words = `Nothing switches any more: the control switch stays ${stays}, and the output at ${formatQuantity(output.measured.average, 'V')}.`;
  return latches(decisions, [solved.point?.region]) ? `${words} ${LATCHES}` : words;
}

/** Steady state and open loop: the final periodic state is measured over its own period. */
export function repeating(run: Run, duty: number | undefined): Simulation {
  const made = ready(run.design, run.decisions, run.corner, [standing(run, run.corner)], { duty });
  const steady = steadyState(made);
  const { simulator } = steady;
  const meter = meterFor(made, run);
  const { duration: asked } = run.options;
  // pulses that come at some of the clocks are counted whole, from one to another
  const skips = asked === undefined && !steady.periodic && made.setup.modulator.leastPulse !== undefined;
  const byPulse = skips || (steady.periodic && !made.setup.modulator.clocked);
  const length = steady.periodic ? steady.period : REPEATS * steady.period;
  const repeats = skips ? PULSES.most : asked === undefined ? 1 : Math.max(1, Math.round(asked / length));
  if (skips) simulator.run(simulator.time + PATIENCE * steady.period, undefined, true);
  const before = simulator.pulses;
  const begin = simulator.time;
  // without a clock the present pulse of phase 1 has begun, and the one that ends the period is the next's
  for (let k = 0; k < repeats; k += 1)
    if (skips && k >= PULSES.least && simulator.time - begin > PULSES.periods * steady.period) break;
    else if (byPulse) simulator.run(begin + PATIENCE * steady.period * (k + 1), meter, true);
    else simulator.run(begin + length * (k + 1), meter);
  return answer(run, made, meter, { duration: simulator.time - begin, cycles: simulator.pulses - before }, {}, steady);
}

/** The average of the output over one repeat, from a steady state that is left as it was. */
function averageOf(made: Ready, run: Run, { simulator, period, periodic }: Steady): number {
  const before = simulator.snapshot();
  const pulses = simulator.pulses;
  const meter = meterFor(made, run, { waveforms: false, extremes: false });
  if (periodic && !made.setup.modulator.clocked) simulator.run(before.time + 1e3 * period, meter, true);
  else simulator.run(before.time + (periodic ? period : REPEATS * period), meter);
  simulator.restore(before);
  simulator.pulses = pulses;
  return meter.output.measured.average;
}

/**
 * Runs to a time slice by slice.
 * @param quiet ends the run early
 * @returns s, where it ended
 */
export function* sliced(
  simulator: Simulator,
  made: Ready,
  { from, until, recorder, quiet }: { from: number; until: number; recorder: Recorder; quiet?: Quiet | undefined },
  soFar: (time: number) => Simulation,
  share: { before: number; of: number } = { before: 0, of: 1 },
): Generator<SimulationProgress, number> {
  const { period } = made.setup;
  const slice = (quiet ? QUIET.slice : SLICE) * period;
  // a clock that rounding puts before the end belongs to whoever goes on from there
  const whole = Math.abs(until / period - Math.round(until / period)) < AT_CLOCK;
  for (let time = from; time < until;) {
    time = time + slice * 1.5 > until ? until : time + slice;
    simulator.run(time < until || !whole ? time : until - AT_CLOCK * period, recorder);
    if (quiet && isQuiet(quiet, from, time, period)) return time;
    if (time < until) yield { part: share.before + (share.of * (time - from)) / (until - from), soFar: soFar(time) };
  }
  return until;
}

/** The moment (s) after which nothing more is done to a stage, and the meter that sees its output. */
interface Quiet {
  since: number;
  meter: Meter;
}

/** One that never left its band may still creep to its peak; one that came back has it behind it. */
const isQuiet = ({ since, meter: { lastOutside } }: Quiet, from: number, time: number, period: number): boolean =>
  lastOutside > from && time - Math.max(since, lastOutside) > QUIET.periods * period;

/** Periods before the end of a run within which an output that is still outside its band has not settled. Our own. */
const UNSETTLED = 3;

/** s from a moment until the output was last outside its band; Infinity where it still was as the run ended. */
export const settledAfter = ({ lastOutside }: Meter, from: number, until: number, period: number): number =>
  lastOutside > Math.max(from, until - UNSETTLED * period) ? Infinity : Math.max(0, lastOutside - from);

/**
 * A run from a steady state on, its clocks beginning at zero.
 * @param back s that the way back is followed for
 * @param since s, when the way back has been gone
 */
export function* transient(run: Run, made: Ready, duration: number, back = 0, since = duration): Simulating {
  const steady = steadyState(made);
  const average = averageOf(made, run, steady);
  const { simulator } = steady;
  const meter = meterFor(made, run);
  const before = simulator.pulses;
  const excursionOf = (part: Meter, from: number, until: number): Excursion => {
    const { min, max } = part.output.measured;
    return {
      undershoot: Math.max(0, average - min),
      overshoot: Math.max(0, max - average),
      settlingTime: settledAfter(part, from, until, made.setup.period),
    };
  };
  const done = (time: number, excursion: Excursion, more: { release?: Excursion } = {}): Simulation => {
    const cycles = simulator.pulses - before;
    const peaks = {
      peakInductorCurrent: Math.max(...meter.currents.map((gauge) => gauge.max)),
      inrush: meter.input.max,
    };
    return answer(run, made, meter, { duration: time, cycles }, { ...excursion, ...peaks, ...more }, steady);
  };
  simulator.moves = true;
  simulator.breakDown();
  const share = { before: 0, of: duration / (duration + back) };
  const first = { from: 0, until: duration, recorder: meter };
  yield* sliced(simulator, made, first, (time) => done(time, excursionOf(meter, 0, time)), share);
  const excursion = excursionOf(meter, 0, duration);
  if (back === 0) return done(duration, excursion);
  // the way back is measured by itself, and is part of the whole
  const second = meterFor(made, run, { waveforms: false });
  const both: Recorder = {
    piece: (piece) => {
      meter.piece(piece);
      second.piece(piece);
    },
  };
  const quiet = run.options.untilQuiet ? { since, meter: second } : undefined;
  const rest = { from: duration, until: duration + back, recorder: both, quiet };
  const later = { before: share.of, of: 1 - share.of };
  const end = yield* sliced(simulator, made, rest, (time) => done(time, excursion), later);
  return done(end, excursion, { release: excursionOf(second, duration, end) });
}

/** The load from one current to another at a slew rate (A/s; at once where there is none), from a moment on. */
export function ramp(run: Run, from: number, to: number, slewRate: number | undefined, at: number): Segment[] {
  const { design, decisions, corner } = run;
  const { brief } = design;
  const end: Segment = { ...standing(run, { ...corner, outputCurrent: to }) };
  if (slewRate === undefined || from === to) return [{ ...end, at }];
  const length = Math.abs(to - from) / slewRate;
  const slope = Math.sign(to - from) * slewRate;
  if (brief.load === 'constant-power' || brief.load === 'curve') {
    // its slope over voltage changes with it: in short pieces, each of one power
    const step = length / RAMP_PIECES;
    const pieces = Array.from({ length: RAMP_PIECES }, (_, k): Segment => ({
      ...standing(run, { ...corner, outputCurrent: from + slope * step * (k + 0.5) }),
      at: at + k * step,
      perVolt: 0,
    }));
    return [...pieces, { ...end, at: at + length }];
  }
  if (brief.load !== 'resistive')
    return [
      { ...standing(run, { ...corner, outputCurrent: from }), at, current: from, currentSlope: slope },
      { ...end, at: at + length },
    ];
  // a conductance that rises: in short pieces of a constant one, with what it is apart from that drawn by the voltage there
  const step = length / RAMP_PIECES;
  const segments = Array.from({ length: RAMP_PIECES }, (_, k): Segment => {
    // rounded, so that the way back meets the same circuits
    const middle = Number((from + slope * step * (k + 0.5)).toPrecision(12));
    return {
      ...standing(run, { ...corner, outputCurrent: middle }),
      at: at + k * step,
      conductance: conductanceOf(brief, decisions, middle),
      perVolt: (-slope * step) / 2 / brief.outputVoltage,
      perVoltSlope: slope / brief.outputVoltage,
    };
  });
  return [...segments, { ...end, at: at + length }];
}
