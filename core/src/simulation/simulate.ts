import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { CompleteDecisions } from '../stage/operating/stage.ts';
import { Simulator, type Recorder } from './engine.ts';
import { SimulationError, type Fault, type Segment } from './law.ts';
import { Meter, type Measured, type Waveforms } from './meter.ts';
import { topologyModel } from '../topology/index.ts';
import { cureOf } from './cures.ts';
import { conductanceOf, drawnBy, ready, type Ready } from './setup.ts';
import { steadyState, type Steady } from './steady.ts';

export const SCENARIOS = [
  'steady-state',
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
  /** load step: goes back, for as long again */
  release?: boolean | undefined;
  /** start-up: V that the output bank holds already */
  prebias?: number | undefined;
  /** short circuit: Ω across the output */
  resistance?: number | undefined;
  waveforms?: boolean | undefined;
  /** step train: Hz at which the load steps there and back; sought where absent */
  rate?: number | undefined;
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
const SETTLING_BAND = 0.01;
const SHORT = 0.01;
/** Periods of one slice of a run, after which it says how far it is. */
const SLICE = 500;

/** How far a run is, with what it has so far. */
export interface SimulationProgress {
  part: number;
  soFar: Simulation;
}
export type Simulating = Generator<SimulationProgress, Simulation>;

/**
 * Simulates a scenario of a design, switching event by switching event.
 * @throws SimulationError in words where the scenario cannot be run
 */
export function simulate(design: Design, options: SimulateOptions): Simulation {
  const run = simulating(design, options);
  for (;;) {
    const step = run.next();
    if (step.done) return step.value;
  }
}

/** The same, slice by slice: it may be left at any, with what it has. */
export function* simulating(design: Design, options: SimulateOptions): Simulating {
  const { brief } = design;
  const { decisions } = completeDecisions(design);
  const corner: Corner = {
    inputVoltage: options.at?.inputVoltage ?? brief.inputVoltage.nominal,
    outputCurrent: options.at?.outputCurrent ?? brief.outputCurrent.max,
  };
  if (!(corner.inputVoltage > 0)) throw new SimulationError('vin: expected a voltage above 0.');
  if (!(corner.outputCurrent >= 0)) throw new SimulationError('iout: expected zero or a positive current.');
  const { duration, rate } = options;
  if (duration !== undefined && !(duration > 0)) throw new SimulationError('duration: expected a time above 0.');
  if (rate !== undefined && !(rate > 0)) throw new SimulationError('rate: expected a frequency above 0.');
  const run: Run = { design, decisions, corner, options, assumed: [] };
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
    case 'bank-aged':
    case 'bank-lost':
      return yield* loadStep(withBank(run));
    case 'step-train':
      return yield* stepTrain(run);
    case 'line-step':
      return yield* lineStep(run);
    case 'overload':
    case 'short-circuit':
      return yield* shortCircuit(run);
    case 'start-up':
      return yield* startUp(run);
    case 'lighter-load':
    case 'duty-ramp':
      return yield* rawStage(run);
    case 'phase-lost':
    case 'switch-shorted':
    case 'feedback-lost':
      return yield* broken(run, options.scenario);
  }
}

interface Run {
  design: Design;
  decisions: CompleteDecisions;
  corner: Corner;
  options: SimulateOptions;
  /** what was taken where the brief says nothing */
  assumed: { id: string; message: string }[];
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

/** Runs to a time slice by slice. */
function* sliced(
  simulator: Simulator,
  made: Ready,
  { from, until, recorder }: { from: number; until: number; recorder: Recorder },
  soFar: (time: number) => Simulation,
  share: { before: number; of: number } = { before: 0, of: 1 },
): Generator<SimulationProgress, void> {
  const slice = SLICE * made.setup.period;
  for (let time = from; time < until;) {
    time = time + slice * 1.5 > until ? until : time + slice;
    simulator.run(time, recorder);
    if (time < until) yield { part: share.before + (share.of * (time - from)) / (until - from), soFar: soFar(time) };
  }
}

/** A run from a steady state on, its clocks beginning at zero. */
function* transient(run: Run, made: Ready, duration: number, back = 0): Simulating {
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
  yield* sliced(simulator, made, first, (time) => done(time, excursionOf(meter, 0)), share);
  const excursion = excursionOf(meter, 0);
  if (back === 0) return done(duration, excursion);
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
  const rest = { from: duration, until: duration + back, recorder: both };
  const later = { before: share.of, of: 1 - share.of };
  yield* sliced(simulator, made, rest, (time) => done(time, excursion), later);
  return done(duration + back, excursion, { release: excursionOf(second, duration) });
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

/** The brief's step of the load, or half the load to all of it. */
function stepOf(run: Run): NonNullable<Design['brief']['loadStep']> {
  const { brief } = run.design;
  if (brief.loadStep) return brief.loadStep;
  const { max } = brief.outputCurrent;
  run.assumed.push({
    id: 'assumed-load-step',
    message: 'The brief gives no load step: half the load to all of it, within a microsecond, is taken.',
  });
  return { from: max / 2, to: max, slewRate: max / 2 / 1e-6, deviation: undefined, settlingTime: undefined };
}

function* loadStep(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const step = stepOf(run);
  const duration = durationOf(run);
  const start = { ...corner, outputCurrent: step.from };
  const segments = [standing(run, start, -1), ...ramp(run, step.from, step.to, step.slewRate, 0)];
  const back = options.release ? ramp(run, step.to, step.from, step.slewRate, duration) : [];
  const made = ready(design, decisions, start, [...segments, ...back]);
  return yield* transient(run, made, duration, options.release ? duration : 0);
}

/** Times by which an aged bank has lost capacitance and its ESR has risen. Common practice, no source: the end of an electrolytic's life. */
const AGED = { capacitance: 0.5, esr: 3 };

/** The same with its output bank aged, or without the largest of its capacitors. */
function withBank(run: Run): Run {
  const { decisions, options } = run;
  const banks = decisions.outputCapacitors;
  if (options.scenario === 'bank-aged')
    return {
      ...run,
      decisions: {
        ...decisions,
        outputCapacitors: banks.map((bank) => ({
          ...bank,
          capacitance: bank.capacitance * AGED.capacitance,
          esr: bank.esr * AGED.esr,
        })),
      },
    };
  if (options.scenario !== 'bank-lost') return run;
  const largest = banks.reduce((most, bank) => (bank.capacitance > most.capacitance ? bank : most));
  const left = banks.flatMap((bank) =>
    bank !== largest ? [bank] : bank.count > 1 ? [{ ...bank, count: bank.count - 1 }] : [],
  );
  if (left.length === 0)
    throw new SimulationError('The output bank is a single capacitor: without it nothing holds the output.');
  return { ...run, decisions: { ...decisions, outputCapacitors: left } };
}

/** Steps there and back at one rate; rates tried, in parts of the switching frequency, where none is given. */
const TRAIN = { cycles: 6, rates: 14, lowest: 1 / 1000, highest: 1 / 12 };

function* stepTrain(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const step = stepOf(run);
  const start = { ...corner, outputCurrent: step.from };
  const madeFor = (rate: number, cycles: number): Ready => {
    const segments = [standing(run, start, -1)];
    for (let k = 0; k < 2 * cycles; k += 1) {
      const [from, to] = k % 2 === 0 ? [step.from, step.to] : [step.to, step.from];
      // a step that has not ended when the next begins is taken at once
      const fits = step.slewRate !== undefined && Math.abs(to - from) / step.slewRate < 0.45 / rate;
      segments.push(...ramp(run, from, to, fits ? step.slewRate : undefined, k / 2 / rate));
    }
    return ready(design, decisions, start, segments);
  };
  const quiet: Run = { ...run, options: { ...options, waveforms: false } };
  const train: { rate: number; peakToPeak: number }[] = [];
  let worst = options.rate;
  if (worst === undefined) {
    const frequency = decisions.switchingFrequency;
    for (let k = 0; k < TRAIN.rates; k += 1) {
      const rate = frequency * TRAIN.lowest * (TRAIN.highest / TRAIN.lowest) ** (k / (TRAIN.rates - 1));
      const trial = transient(quiet, madeFor(rate, TRAIN.cycles), TRAIN.cycles / rate);
      let step = trial.next();
      while (!step.done) step = trial.next();
      train.push({ rate, peakToPeak: step.value.measurements.outputVoltage.peakToPeak });
      yield { part: ((k + 1) / TRAIN.rates) * 0.8, soFar: { ...step.value, train: train.slice() } };
    }
    worst = train.reduce((most, one) => (one.peakToPeak > most.peakToPeak ? one : most)).rate;
  }
  const cycles = options.duration === undefined ? TRAIN.cycles : Math.max(1, Math.ceil(options.duration * worst));
  const whole = yield* transient(run, madeFor(worst, cycles), cycles / worst);
  return train.length > 0 ? { ...whole, train } : whole;
}

function* lineStep(run: Run): Simulating {
  const { design, decisions, options } = run;
  const { brief } = design;
  const step = brief.lineStep ?? { from: brief.inputVoltage.nominal, to: brief.inputVoltage.min, slewRate: 1e5 };
  if (!brief.lineStep)
    run.assumed.push({
      id: 'assumed-line-step',
      message: 'The brief gives no line step: from the nominal input to the lowest, at 0.1 V/µs, is taken.',
    });
  const corner = { ...run.corner, inputVoltage: options.at?.inputVoltage ?? step.from };
  const first = standing(run, corner, -1);
  const duration = durationOf(run);
  const moved = (from: number, to: number, at: number): Segment[] => {
    const slope = step.slewRate === undefined ? 0 : Math.sign(to - from) * step.slewRate;
    const last = { ...first, source: to };
    return slope === 0
      ? [{ ...last, at }]
      : [
          { ...first, source: from, at, sourceSlope: slope },
          { ...last, at: at + (to - from) / slope },
        ];
  };
  const there = moved(corner.inputVoltage, step.to, 0);
  const back = options.release ? moved(step.to, corner.inputVoltage, duration) : [];
  const made = ready(design, decisions, corner, [first, ...there, ...back]);
  return yield* transient(run, made, duration, options.release ? duration : 0);
}

/** Times the full load that an overload draws. */
const OVERLOAD = 1.6;

function* shortCircuit(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const overloads = options.scenario === 'overload';
  const { outputVoltage, outputCurrent } = design.brief;
  const resistance = options.resistance ?? (overloads ? outputVoltage / ((OVERLOAD - 1) * outputCurrent.max) : SHORT);
  if (!(resistance > 0)) throw new SimulationError('resistance: expected a resistance above 0 across the output.');
  const first = standing(run, corner, -1);
  const segments = [first, { ...first, at: 0, conductance: first.conductance + 1 / resistance }];
  return yield* transient(run, ready(design, decisions, corner, segments), durationOf(run));
}

/** Everything at rest, the input there, the soft start from zero on. */
function* startUp(run: Run): Simulating {
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
  const done = (time: number): Simulation => {
    const { max } = meter.output.measured;
    return answer(
      run,
      made,
      meter,
      { duration: time, cycles: simulator.pulses },
      {
        overshoot: Math.max(0, max - design.brief.outputVoltage),
        settlingTime: meter.lastOutside,
        peakInductorCurrent: Math.max(...meter.currents.map((gauge) => gauge.max)),
        inrush: meter.input.max,
      },
    );
  };
  yield* sliced(simulator, made, { from: 0, until: duration, recorder: meter }, done);
  return done(duration);
}

/** Loads of a run that lets the load go, each a part of the one before; duty that a rising one reaches. */
const LIGHTER = { steps: 8, least: 1e-3 };
const HIGHEST_DUTY = 0.97;

/** The stage at its duty without a controller: while the load gets lighter, or while the duty rises. */
function* rawStage(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const point = ready(design, decisions, corner, [standing(run, corner)]);
  const duty = options.duty ?? point.solved.state?.duty;
  if (duty === undefined) throw new SimulationError('The stage has no duty that gives its output at this corner.');
  const duration = durationOf(run, (options.scenario === 'duty-ramp' ? 4 : 8) * durationOf(run));
  const segments = [standing(run, corner, -1)];
  if (options.scenario === 'lighter-load') {
    const least = Math.max(design.brief.outputCurrent.min, LIGHTER.least * corner.outputCurrent);
    for (let k = 1; k <= LIGHTER.steps; k += 1) {
      const outputCurrent = corner.outputCurrent * (least / corner.outputCurrent) ** (k / LIGHTER.steps);
      segments.push(standing(run, { ...corner, outputCurrent }, ((k - 1) * duration) / LIGHTER.steps));
    }
  }
  const made = ready(design, decisions, corner, segments, duty);
  if (options.scenario === 'duty-ramp') made.setup.law.dutySlope = (HIGHEST_DUTY - duty) / duration;
  return yield* transient(run, made, duration);
}

function* broken(run: Run, fault: Fault): Simulating {
  const { design, decisions, corner } = run;
  const made = ready(design, decisions, corner, [standing(run, corner, -1)]);
  made.setup.fault = fault;
  return yield* transient(run, made, durationOf(run));
}
