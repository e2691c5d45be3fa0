import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { CompleteDecisions } from '../stage/operating/stage.ts';
import { Simulator, type Recorder } from './engine.ts';
import { SimulationError, type Segment } from './law.ts';
import { Meter, type Measured, type Waveforms } from './meter.ts';
import { topologyModel } from '../topology/index.ts';
import { cureOf } from './cures.ts';
import { conductanceOf, drawnBy, ready, type Ready } from './setup.ts';
import { steadyState, type Steady } from './steady.ts';

export const SCENARIOS = ['steady-state', 'load-step', 'line-step', 'start-up', 'short-circuit', 'open-loop'] as const;
export type Scenario = (typeof SCENARIOS)[number];

export interface SimulateOptions {
  scenario: Scenario;
  /** V and A; nominal input and full load where absent */
  at?: Partial<Corner> | undefined;
  /** s */
  duration?: number | undefined;
  /** open loop: part of the period */
  duty?: number | undefined;
  /** load step: goes back, for as long again */
  release?: boolean | undefined;
  /** start-up: V that the output bank holds already */
  prebias?: number | undefined;
  /** short circuit: Ω across the output */
  resistance?: number | undefined;
  waveforms?: boolean | undefined;
}

/** How a transient went, from the average before it. V and s. */
export interface Excursion {
  undershoot: number;
  overshoot: number;
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
    release?: Excursion;
  };
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
const SETTLING_BAND = 0.01;
const SHORT = 0.01;

/**
 * Simulates a scenario of a design, switching event by switching event.
 * @throws SimulationError in words where the scenario cannot be run
 */
export function simulate(design: Design, options: SimulateOptions): Simulation {
  const { brief } = design;
  const { decisions } = completeDecisions(design);
  const corner: Corner = {
    inputVoltage: options.at?.inputVoltage ?? brief.inputVoltage.nominal,
    outputCurrent: options.at?.outputCurrent ?? brief.outputCurrent.max,
  };
  if (!(corner.inputVoltage > 0)) throw new SimulationError('vin: expected a voltage above 0.');
  if (!(corner.outputCurrent >= 0)) throw new SimulationError('iout: expected zero or a positive current.');
  const { duration } = options;
  if (duration !== undefined && !(duration > 0)) throw new SimulationError('duration: expected a time above 0.');
  const run = { design, decisions, corner, options };
  switch (options.scenario) {
    case 'steady-state':
      return repeating(run, undefined);
    case 'open-loop': {
      const { duty } = options;
      if (duty === undefined || !(duty >= 0 && duty <= 1))
        throw new SimulationError('duty: expected a part of the period, 0 to 1, of the open loop.');
      return repeating(run, duty);
    }
    case 'load-step':
      return loadStep(run);
    case 'line-step':
      return lineStep(run);
    case 'short-circuit':
      return shortCircuit(run);
    case 'start-up':
      return startUp(run);
  }
}

interface Run {
  design: Design;
  decisions: CompleteDecisions;
  corner: Corner;
  options: SimulateOptions;
}

/** The load and the source as they stand at a corner. */
function standing({ design, decisions }: Run, { inputVoltage, outputCurrent }: Corner, at = 0): Segment {
  return {
    at,
    conductance: conductanceOf(design.brief, decisions, outputCurrent),
    current: drawnBy(design.brief, outputCurrent),
    currentSlope: 0,
    source: inputVoltage,
    sourceSlope: 0,
  };
}

function durationOf({ design, decisions, options }: Run, otherwise = 0): number {
  if (options.duration !== undefined) return options.duration;
  const wanted = design.brief.loadStep?.settlingTime ?? 0;
  return Math.max(USUAL_PERIODS / decisions.switchingFrequency, 4 * wanted, otherwise);
}

function meterFor(made: Ready, { design, options }: Run, waveforms = options.waveforms ?? true): Meter {
  const { brief } = design;
  return new Meter(made.setup.phases, {
    waveforms,
    period: made.setup.period,
    controls: made.setup.amplifier !== undefined,
    band: {
      target: brief.outputVoltage,
      within: brief.outputVoltage * (brief.loadStep?.settlingBand ?? SETTLING_BAND),
    },
  });
}

function answer(
  { design, options, decisions }: Run,
  made: Ready,
  meter: Meter,
  { duration, cycles }: { duration: number; cycles: number },
  more: Partial<Simulation['measurements']> = {},
  steady?: Steady,
): Simulation {
  const warnings: Simulation['warnings'] = made.assumed.map((message) => ({ id: 'assumed-compensator', message }));
  if (steady && !steady.periodic) {
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
        : cureOf(model, design.brief, decisions, source, made.setup.law.onTime);
    if (cure) warnings.push({ id: 'subharmonic', message: cure.message });
  }
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
      frequency: cycles / made.setup.phases / duration,
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

/** Steady state and open loop: the final periodic state is measured over its own period. */
function repeating(run: Run, duty: number | undefined): Simulation {
  const made = ready(run.design, run.decisions, run.corner, [standing(run, run.corner)], duty);
  const steady = steadyState(made);
  const { simulator } = steady;
  const meter = meterFor(made, run);
  const cotByPulse = steady.periodic && made.setup.law.method === 'constant-on-time';
  const { duration: asked } = run.options;
  const length = steady.periodic ? steady.period : REPEATS * steady.period;
  const repeats = asked === undefined ? 1 : Math.max(1, Math.round(asked / length));
  const before = simulator.pulses;
  const begin = simulator.time;
  // with constant on-time the present pulse of phase 1 has begun, and the one that ends the period is the next's
  for (let k = 0; k < repeats; k += 1)
    if (cotByPulse) simulator.run(begin + 1e3 * steady.period * (k + 1), meter, true);
    else simulator.run(begin + length * (k + 1), meter);
  return answer(run, made, meter, { duration: simulator.time - begin, cycles: simulator.pulses - before }, {}, steady);
}

/** The average of the output over one repeat, from a steady state that is left as it was. */
function averageOf(made: Ready, run: Run, { simulator, period, periodic }: Steady): number {
  const before = simulator.snapshot();
  const pulses = simulator.pulses;
  const meter = meterFor(made, run, false);
  if (periodic && made.setup.law.method === 'constant-on-time') simulator.run(before.time + 1e3 * period, meter, true);
  else simulator.run(before.time + (periodic ? period : REPEATS * period), meter);
  simulator.restore(before);
  simulator.pulses = pulses;
  return meter.output.measured.average;
}

/** A run from a steady state on, its clocks beginning at zero. */
function transient(run: Run, made: Ready, duration: number, back = 0): Simulation {
  const steady = steadyState(made);
  const average = averageOf(made, run, steady);
  const { simulator } = steady;
  const meter = meterFor(made, run);
  const before = simulator.pulses;
  const excursionOf = (part: Meter, from: number): Excursion => {
    const { min, max } = part.output.measured;
    return {
      undershoot: Math.max(0, average - min),
      overshoot: Math.max(0, max - average),
      settlingTime: Math.max(0, part.lastOutside - from),
    };
  };
  simulator.moves = true;
  simulator.run(duration, meter);
  const excursion = excursionOf(meter, 0);
  if (back === 0) return done({});
  // the way back is measured by itself, and is part of the whole
  const second = meterFor(made, run, false);
  const both: Recorder = {
    piece: (piece, stretcher) => {
      meter.piece(piece, stretcher);
      second.piece(piece, stretcher);
    },
    stretch: (mode, length, integral) => {
      meter.stretch(mode, length, integral);
      second.stretch(mode, length, integral);
    },
  };
  simulator.run(duration + back, both);
  return done({ release: excursionOf(second, duration) });

  function done(more: { release?: Excursion }): Simulation {
    const cycles = simulator.pulses - before;
    return answer(run, made, meter, { duration: duration + back, cycles }, { ...excursion, ...more }, steady);
  }
}

/** The load from one current to another at a slew rate (A/s; at once where there is none), from a moment on. */
export function ramp(run: Run, from: number, to: number, slewRate: number | undefined, at: number): Segment[] {
  const { design, decisions, corner } = run;
  const { brief } = design;
  const end: Segment = { ...standing(run, { ...corner, outputCurrent: to }) };
  if (slewRate === undefined || from === to) return [{ ...end, at }];
  const length = Math.abs(to - from) / slewRate;
  const slope = Math.sign(to - from) * slewRate;
  if (brief.load !== 'resistive')
    return [
      { ...standing(run, { ...corner, outputCurrent: from }), at, current: from, currentSlope: slope },
      { ...end, at: at + length },
    ];
  // a conductance that rises: in short pieces of a constant one, with what it is apart from that drawn by the voltage there
  const step = length / RAMP_PIECES;
  const segments = Array.from({ length: RAMP_PIECES }, (_, k): Segment => {
    const middle = from + slope * step * (k + 0.5);
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

function loadStep(run: Run): Simulation {
  const { design, decisions, corner, options } = run;
  const { loadStep: step } = design.brief;
  if (!step) throw new SimulationError('brief.loadStep: absent, expected the step to simulate.');
  const duration = durationOf(run);
  const start = { ...corner, outputCurrent: step.from };
  const segments = [standing(run, start, -1), ...ramp(run, step.from, step.to, step.slewRate, 0)];
  const back = options.release ? ramp(run, step.to, step.from, step.slewRate, duration) : [];
  const made = ready(design, decisions, start, [...segments, ...back]);
  return transient(run, made, duration, options.release ? duration : 0);
}

function lineStep(run: Run): Simulation {
  const { design, decisions, options } = run;
  const step = design.brief.lineStep;
  if (!step) throw new SimulationError('brief.lineStep: absent, expected the step to simulate.');
  const corner = { ...run.corner, inputVoltage: options.at?.inputVoltage ?? step.from };
  const first = standing(run, corner, -1);
  const slope = step.slewRate === undefined ? 0 : Math.sign(step.to - corner.inputVoltage) * step.slewRate;
  const last = { ...first, source: step.to };
  const segments =
    slope === 0
      ? [first, { ...last, at: 0 }]
      : [first, { ...first, at: 0, sourceSlope: slope }, { ...last, at: (step.to - corner.inputVoltage) / slope }];
  return transient(run, ready(design, decisions, corner, segments), durationOf(run));
}

function shortCircuit(run: Run): Simulation {
  const { design, decisions, corner, options } = run;
  const { resistance = SHORT } = options;
  if (!(resistance > 0)) throw new SimulationError('resistance: expected a resistance above 0 across the output.');
  const first = standing(run, corner, -1);
  const segments = [first, { ...first, at: 0, conductance: first.conductance + 1 / resistance }];
  return transient(run, ready(design, decisions, corner, segments), durationOf(run));
}

/** Everything at rest, the input there, the soft start from zero on. */
function startUp(run: Run): Simulation {
  const { design, decisions, corner, options } = run;
  const made = ready(design, decisions, corner, [standing(run, corner)]);
  const { setup } = made;
  const simulator = new Simulator(setup);
  const rest = simulator.network.stateAt(options.prebias ?? 0, 0);
  for (let k = setup.phases; k < simulator.places.states; k += 1) simulator.state[k] = rest[k]!;
  simulator.startSoftly();
  simulator.begin([], true);
  const duration = durationOf(run, 3 * setup.law.softStart);
  const meter = meterFor(made, run);
  simulator.run(duration, meter);
  const { max } = meter.output.measured;
  return answer(
    run,
    made,
    meter,
    { duration, cycles: simulator.pulses },
    {
      overshoot: Math.max(0, max - design.brief.outputVoltage),
      settlingTime: meter.lastOutside,
      peakInductorCurrent: Math.max(...meter.currents.map((gauge) => gauge.max)),
    },
  );
}
