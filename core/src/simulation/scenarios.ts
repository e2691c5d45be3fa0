import { usualSlew } from '../estimates/loadStep.ts';
import { Simulator } from './engine.ts';
import { SimulationError, type Fault, type RoleChange, type Roles, type Segment } from './modulator.ts';
import {
  answer,
  durationOf,
  meterFor,
  ramp,
  settledAfter,
  sliced,
  standing,
  transient,
  type Run,
  type Simulating,
  type Simulation,
} from './run.ts';
import { ready, type Ready } from './setup.ts';
import type { LoadStep } from './steps.ts';

/** Ω of a short circuit. */
const SHORT = 0.01;

/** The step of the load that is asked for, or the brief's, or half the load to all of it. */
function stepOf(run: Run): LoadStep {
  const { brief } = run.design;
  const { step } = run.options;
  if (step) {
    for (const end of ['from', 'to'] as const)
      if (!(step[end] >= 0 && Number.isFinite(step[end])))
        throw new SimulationError(`${step[end]}, expected a load of zero or more.`, `step.${end}`);
    if (step.from === step.to)
      throw new SimulationError(`${step.to}, expected another load than it steps from.`, 'step.to');
    if (step.slewRate !== undefined && !(step.slewRate > 0))
      throw new SimulationError(`${step.slewRate}, expected A/s above 0.`, 'step.slewRate');
    return { ...step, slewRate: step.slewRate ?? brief.loadStep?.slewRate ?? usualSlew(brief.outputCurrent.max) };
  }
  if (brief.loadStep) {
    // with no time to do it in, the bank's series inductance has its voltage from nothing but the jump
    if (brief.loadStep.slewRate === undefined && run.decisions.outputCapacitors.every(({ esl }) => (esl ?? 0) > 0))
      run.assumed.push({
        id: 'instant-step',
        message:
          'brief.loadStep.slewRate: absent, so the load jumps at once, and what the output moves by is what the series inductance of its bank makes of that. No load does: give its slew rate.',
      });
    return brief.loadStep;
  }
  if (!run.options.assume) throw new SimulationError('absent, expected the step to simulate.', 'brief.loadStep');
  const { max } = brief.outputCurrent;
  run.assumed.push({
    id: 'assumed-load-step',
    message: 'The brief gives no load step: half the load to all of it, within a microsecond, is taken.',
  });
  return { from: max / 2, to: max, slewRate: usualSlew(max) };
}

/** Periods that a load is followed for at least once it has come to its new current. Our own. */
const AFTER_RAMP = 200;

export function* loadStep(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const step = stepOf(run);
  const ramped = step.slewRate === undefined ? 0 : Math.abs(step.to - step.from) / step.slewRate;
  const duration = durationOf(run, ramped + AFTER_RAMP / decisions.switchingFrequency);
  const start = { ...corner, outputCurrent: step.from };
  const segments = [standing(run, start, -1), ...ramp(run, step.from, step.to, step.slewRate, 0)];
  const back = options.release ? ramp(run, step.to, step.from, step.slewRate, duration) : [];
  const made = ready(design, decisions, start, [...segments, ...back], { duration, fineness: run.options.fineness });
  return yield* transient(run, made, duration, options.release ? duration : 0, duration + ramped);
}

/** Times by which an aged bank has lost capacitance and its ESR has risen. Common practice, no source: the end of an electrolytic's life. */
const AGED = { capacitance: 0.5, esr: 3 };

/** The same with its output bank aged, or without the largest of its capacitors. */
export function withBank(run: Run): Run {
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
const TRAIN = { cycles: 4, rates: 12, lowest: 1 / 400, highest: 1 / 12 };

export function* stepTrain(run: Run): Simulating {
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
    return ready(design, decisions, start, segments, { duration: cycles / rate, fineness: options.fineness });
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

/** What a four-switch stage's legs do in a run that asks for other roles than it begins with. */
function tellRoles(
  { assumed }: Run,
  { setup: { roles, roleChange } }: Ready,
  later: (change: RoleChange) => Roles,
): void {
  if (!roles.region) return;
  if (!roleChange)
    assumed.push({
      id: 'region-kept',
      message:
        'With this control method the legs of the four-switch stage keep the roles that they have at first: where others are needed, this output says less.',
    });
  else if (later(roleChange) !== roles)
    assumed.push({
      id: 'roles-change',
      message:
        'The legs of the four-switch stage change their roles as input and output pass each other, at a clock, and the control voltage is handed over without a bump; a controller that does not do so adds one.',
    });
}

export function* lineStep(run: Run): Simulating {
  const { design, decisions, options } = run;
  const { brief } = design;
  if (!brief.lineStep && !options.assume)
    throw new SimulationError('absent, expected the step to simulate.', 'brief.lineStep');
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
  const made = ready(design, decisions, corner, [first, ...there, ...back], {
    duration,
    fineness: run.options.fineness,
  });
  tellRoles(run, made, (change) => change.next(made.setup.roles, step.to, 1));
  return yield* transient(run, made, duration, options.release ? duration : 0);
}

/** Times the full load that an overload draws. */
const OVERLOAD = 1.6;

export function* shortCircuit(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  const overloads = options.scenario === 'overload';
  const { outputVoltage, outputCurrent } = design.brief;
  const resistance = options.resistance ?? (overloads ? outputVoltage / ((OVERLOAD - 1) * outputCurrent.max) : SHORT);
  if (!(resistance > 0)) throw new SimulationError('expected a resistance above 0 across the output.', 'resistance');
  const first = standing(run, corner, -1);
  const segments = [first, { ...first, at: 0, conductance: first.conductance + 1 / resistance }];
  const duration = durationOf(run);
  const made = ready(design, decisions, corner, segments, { duration, fineness: run.options.fineness });
  made.setup.sags = true;
  return yield* transient(run, made, duration);
}

/** Times its soft start that a start is followed for where nothing is said. */
const STARTS_FOR = 3;

/** Everything at rest, the input there, the soft start from zero on. */
export function* startUp(run: Run): Simulating {
  const { design, decisions, corner, options } = run;
  // a soft start of its own is a long one
  const made = ready(design, decisions, corner, [standing(run, corner)], {
    duration: options.duration ?? Infinity,
    fineness: options.fineness,
  });
  const { setup } = made;
  tellRoles(run, made, (change) => change.next(setup.roles, corner.inputVoltage, 0.01));
  if (decisions.topology === 'boost' && !((options.prebias ?? 0) >= corner.inputVoltage))
    run.assumed.push({
      id: 'inrush',
      message:
        'A boost’s bank is charged through its rectifier the moment the input is there, by no controller: winding and bank ring, up to twice the input where nothing damps them. A source that comes up slowly, or a switch before the stage, is what limits that.',
    });
  const simulator = new Simulator(setup);
  const rest = simulator.network.stateAt(options.prebias ?? 0, 0);
  for (let k = setup.phases; k < simulator.places.states; k += 1) simulator.state[k] = rest[k]!;
  simulator.startSoftly();
  simulator.begin([], true);
  const { startsFor = STARTS_FOR } = options;
  const duration = durationOf(run, startsFor * setup.modulator.softStart);
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
        settlingTime: settledAfter(meter, 0, time, setup.period),
        finalOutputVoltage: meter.output.value,
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
export function* rawStage(run: Run): Simulating {
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
  const made = ready(design, decisions, corner, segments, { duty, duration, fineness: options.fineness });
  if (options.scenario === 'duty-ramp') made.setup.modulator.dutySlope = (HIGHEST_DUTY - duty) / duration;
  return yield* transient(run, made, duration);
}

export function* broken(run: Run, fault: Fault): Simulating {
  const { design, decisions, corner } = run;
  const duration = durationOf(run);
  const made = ready(design, decisions, corner, [standing(run, corner, -1)], {
    duration,
    fineness: run.options.fineness,
  });
  made.setup.fault = fault;
  return yield* transient(run, made, duration);
}
