import type { Onward } from '../area.ts';
import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { fullStepDeviation, usualSlew } from '../estimates/loadStep.ts';
import type { StageQuantity } from '../stage/quantities/index.ts';
import type { StepQuantity } from '../step/quantities.ts';
import { assessTargets, openTargets, type Draft, type Target } from '../verdict/target.ts';
import { SimulationError } from './modulator.ts';
import type { SimulateOptions, Simulation } from './run.ts';
import { ENDED_EARLY, simulating } from './simulate.ts';
import { LIMIT_TOLERANCE } from '../control/protection.ts';
import type { LoadStep } from './steps.ts';

/*
 * The runs that a verdict stands on: the brief's load step and the one from the lightest load to all of it, an overload, a
 * short circuit and a start, each at the inputs that are worst for it, and what each is held to.
 */

/** One trial of a kind at one input: V, s and A. */
export interface Trial extends Corner {
  undershoot: number;
  overshoot: number;
  /** Infinity where it did not settle */
  settlingTime: number;
  /** the highest of any phase */
  peakCurrent: number;
  /** V at the end of a start; NaN of any other run */
  ends: number;
}

export const TRIALS = ['step', 'fullStep', 'overload', 'shortCircuit', 'start'] as const;
export type TrialKind = (typeof TRIALS)[number];

export interface Trials {
  points: Record<TrialKind, Trial[]>;
  /** why a kind has none, or not all */
  troubles: Partial<Record<TrialKind, string>>;
}

/** Before any has been run. */
export const NO_TRIALS: Trials = {
  points: { step: [], fullStep: [], overload: [], shortCircuit: [], start: [] },
  troubles: {},
};

/** The run that a trial's targets are found by, by how their ids begin. */
const RUNS: readonly (readonly [RegExp, string])[] = [
  [/^loadStep|^settlingTime/u, 'load-step'],
  [/^overload/u, 'overload'],
  [/^shortCircuit/u, 'short-circuit'],
  [/^start/u, 'start-up'],
];
export const runOfTarget = (id: string): string | undefined => RUNS.find(([pattern]) => pattern.test(id))?.[1];

/** Part of the output that a start has to reach. Common practice, no source. */
const REACHES = 0.95;
/** Times its soft start that a start is followed for. Our own: the output then stands. */
const STARTED = 1.4;
/** The same where it has not come there by then: what a network has stored may still be on its way. */
const STARTED_LATE = 6;
/** Multiplications that one run of a trial may take: some two seconds in a fast spell. */
const WORK = 1.2e9;

/** What a trial's figure is explained by. */
export type TrialQuantity = StepQuantity | StageQuantity;

/** The step from the lightest load to all of it. */
function fullStepOf({ outputCurrent: { min, max }, loadStep }: Design['brief']): LoadStep | undefined {
  return min < max ? { from: min, to: max, slewRate: loadStep?.slewRate ?? usualSlew(max) } : undefined;
}

/** Whether a path through the stage that no switch breaks feeds a short circuit: a boost's, through its rectifier. */
const passesThrough = ({ topology }: Pick<CompleteDecisions, 'topology'>): boolean => topology === 'boost';

/** The runs of a kind, and what each asks of the simulator; none where the brief or the stage has none. */
function runsOf(
  kind: TrialKind,
  { brief }: Design,
  decisions: CompleteDecisions,
  at?: Partial<Corner>,
): SimulateOptions[] {
  const { min, nominal, max } = brief.inputVoltage;
  const inputs = (list: readonly number[]): number[] => (at ? [at.inputVoltage ?? nominal] : [...new Set(list)]);
  const common = { waveforms: false, extremes: true, untilQuiet: true, fineness: 'verdict' } as const;
  switch (kind) {
    case 'step':
      return brief.loadStep
        ? inputs([min, nominal, max]).map((inputVoltage) => ({
            ...common,
            scenario: 'load-step',
            at: { inputVoltage },
            release: true,
          }))
        : [];
    case 'fullStep': {
      const step = fullStepOf(brief);
      return step
        ? inputs([min, max]).map((inputVoltage) => ({
            ...common,
            scenario: 'load-step',
            at: { inputVoltage },
            step,
            release: true,
          }))
        : [];
    }
    case 'overload':
      return inputs([passesThrough(decisions) ? min : max]).map((inputVoltage) => ({
        ...common,
        scenario: 'overload',
        at: { inputVoltage, outputCurrent: brief.outputCurrent.max },
      }));
    case 'shortCircuit':
      return passesThrough(decisions)
        ? []
        : inputs([max]).map((inputVoltage) => ({
            ...common,
            scenario: 'short-circuit',
            at: { inputVoltage, outputCurrent: brief.outputCurrent.max },
          }));
    case 'start':
      return inputs([max]).map((inputVoltage) => ({
        ...common,
        scenario: 'start-up',
        at: { inputVoltage, outputCurrent: brief.outputCurrent.max },
        startsFor: STARTED,
        // what charges a boost's bank through its rectifier is no controller's, and a caution
        ...(passesThrough(decisions) ? { prebias: inputVoltage } : {}),
      }));
  }
}

/** Runs whose dips show the series inductance of the banks. */
const STEPS: ReadonlySet<TrialKind> = new Set(['step', 'fullStep']);

/**
 * The design whose banks have no series inductance: over a start, an overload or a short circuit it changes currents by less
 * than a thousandth, and its ringing with the load is most of the work.
 */
function withoutSeriesInductance(design: Design): Design {
  const { inputCapacitors, outputCapacitors } = design.decisions;
  const bare = (banks: typeof outputCapacitors) => banks?.map((bank) => ({ ...bank, esl: 0 }));
  return {
    ...design,
    decisions: {
      ...design.decisions,
      inputCapacitors: bare(inputCapacitors),
      outputCapacitors: bare(outputCapacitors),
    },
  };
}

/** Runs the trials of some kinds one after another, each run within a bound of work. */
export function* tryOut(
  design: Design,
  decisions: CompleteDecisions,
  kinds: readonly TrialKind[],
  at?: Partial<Corner>,
): Generator<Onward<Trials>, Trials> {
  let found = NO_TRIALS;
  const slow = withoutSeriesInductance(design);
  const list = kinds.flatMap((kind) => runsOf(kind, design, decisions, at).map((options) => ({ kind, options })));
  // what a kind comes to is told once all its runs are there
  const whole = (under: TrialKind): Trials => ({ ...found, points: { ...found.points, [under]: [] } });
  for (const [k, { kind, options }] of list.entries()) {
    try {
      const run = function* (asked: SimulateOptions): Generator<Onward<Trials>, Simulation> {
        const going = simulating(STEPS.has(kind) ? design : slow, { ...asked, work: WORK });
        for (;;) {
          const step = going.next();
          if (step.done) return step.value;
          yield { part: (k + step.value.part) / list.length, soFar: whole(kind) };
        }
      };
      let ran = yield* run(options);
      if (kind === 'start' && (ran.measurements.finalOutputVoltage ?? Infinity) < REACHES * design.brief.outputVoltage)
        ran = yield* run({ ...options, startsFor: STARTED_LATE });
      const early = ran.warnings.find(({ id }) => id === ENDED_EARLY);
      found = early
        ? { ...found, troubles: { ...found.troubles, [kind]: early.message } }
        : {
            ...found,
            points: { ...found.points, [kind]: [...found.points[kind], trialOf(design, options, ran)] },
          };
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      found = { ...found, troubles: { [kind]: error.message, ...found.troubles } };
    }
    const next = list[k + 1];
    if (next) yield { part: (k + 1) / list.length, soFar: whole(next.kind) };
  }
  return found;
}

function trialOf({ brief }: Design, { at, step }: SimulateOptions, { measurements: m }: Simulation): Trial {
  const { loadStep, outputCurrent } = brief;
  return {
    inputVoltage: at?.inputVoltage ?? brief.inputVoltage.nominal,
    outputCurrent:
      at?.outputCurrent ??
      ((step ?? loadStep) ? Math.max((step ?? loadStep)!.from, (step ?? loadStep)!.to) : outputCurrent.max),
    undershoot: Math.max(m.undershoot ?? 0, m.release?.undershoot ?? 0),
    overshoot: Math.max(m.overshoot ?? 0, m.release?.overshoot ?? 0),
    settlingTime: Math.max(m.settlingTime ?? 0, m.release?.settlingTime ?? 0),
    peakCurrent: m.peakInductorCurrent ?? Math.max(...m.inductorCurrent.map(({ max }) => max)),
    ends: m.finalOutputVoltage ?? Number.NaN,
  };
}

/** What the trials of a kind are held to. */
function draftsOf(
  kind: TrialKind,
  { brief }: Design,
  decisions: CompleteDecisions,
  points: readonly Trial[],
): Draft<Trial, TrialQuantity>[] {
  const { loadStep } = brief;
  const bank = [
    'outputCapacitors',
    'compensator',
    'inductor.inductance',
    'switchingFrequency',
    'control.method',
    'outputFilter',
  ];
  const held = [
    'control.currentLimit',
    'inductor.saturationCurrent',
    'control.valleyCurrentLimit',
    'inductor.inductance',
  ];
  const swing = (
    id: string,
    name: string,
    which: 'undershoot' | 'overshoot',
    required: number | undefined,
  ): Draft<Trial, TrialQuantity> => ({
    sense: 'below',
    unit: 'V',
    levers: bank,
    quantity: which === 'undershoot' ? 'loadStepUndershoot' : 'loadStepOvershoot',
    id,
    name,
    required,
    predict: (point) => point[which],
  });
  const current = (id: string, name: string): Draft<Trial, TrialQuantity> => ({
    sense: 'below',
    unit: 'A',
    levers: held,
    quantity: 'inductorPeak',
    id,
    name,
    required: decisions.inductor.saturationCurrent,
    predict: ({ peakCurrent }) => peakCurrent,
  });
  switch (kind) {
    case 'step':
      return [
        swing('loadStepUndershoot', 'Load-step undershoot', 'undershoot', loadStep?.deviation),
        swing('loadStepOvershoot', 'Load-step overshoot', 'overshoot', loadStep?.deviation),
        {
          sense: 'below',
          unit: 's',
          levers: bank,
          quantity: 'loadStepUndershoot',
          id: 'settlingTime',
          name: 'Settling time',
          required: loadStep?.settlingTime,
          predict: ({ settlingTime }) => settlingTime,
        },
      ];
    case 'fullStep': {
      const allowed = fullStepOf(brief) && fullStepDeviation(brief);
      return [
        swing('loadStepFullUndershoot', 'Lightest-to-full step, undershoot', 'undershoot', allowed),
        swing('loadStepFullOvershoot', 'Full-to-lightest step, overshoot', 'overshoot', allowed),
      ];
    }
    case 'overload':
      return [current('overloadCurrent', 'Inductor peak in overload')];
    case 'shortCircuit':
      return passesThrough(decisions) ? [] : [current('shortCircuitCurrent', 'Inductor peak in a short circuit')];
    case 'start':
      return [
        swing('startOvershoot', 'Overshoot of the start', 'overshoot', fullStepDeviation(brief)),
        current('startCurrent', 'Inductor peak in the start'),
        {
          sense: 'above',
          unit: 'V',
          levers: ['control.currentLimit', 'control.softStart', 'compensator'],
          quantity: 'outputVoltageAverage',
          id: 'startOutput',
          name: 'Output after the start',
          required: points.some(({ ends }) => ends < REACHES * brief.outputVoltage)
            ? REACHES * brief.outputVoltage
            : undefined,
          predict: ({ ends }) => ends,
        },
      ];
  }
}

/** What the trials come to: judged where they were run, open where they were not. @param why those that have not been run are open */
export function trialTargets(
  design: Design,
  decisions: CompleteDecisions,
  { points, troubles }: Trials,
  kinds: readonly TrialKind[],
  why: string,
): Target<TrialQuantity>[] {
  return kinds.flatMap((kind) => {
    const drafts = draftsOf(kind, design, decisions, points[kind]);
    const trouble = troubles[kind];
    if (points[kind].length === 0) return openTargets(design, drafts, trouble ?? why);
    const targets = assessTargets(design, drafts, points[kind]);
    // the inputs that could not be run may be the worse ones
    return trouble === undefined
      ? targets
      : targets.map((target) =>
          target.verdict === 'missed' ? target : { ...target, verdict: 'open' as const, why: trouble },
        );
  });
}

/** Saturation over the current limit's upper tolerance; nothing where the stage has no limit. */
export function limitTargets(design: Design, decisions: CompleteDecisions): Target<TrialQuantity>[] {
  const { currentLimit, currentLimitTolerance = LIMIT_TOLERANCE } = decisions.control;
  if (currentLimit === undefined) return [];
  const { nominal } = design.brief.inputVoltage;
  const at = { inputVoltage: nominal, outputCurrent: design.brief.outputCurrent.max };
  return assessTargets(
    design,
    [
      {
        id: 'currentLimitSaturation',
        name: 'Saturation above the current limit',
        unit: 'A',
        sense: 'above',
        required: currentLimit * (1 + currentLimitTolerance),
        predict: () => decisions.inductor.saturationCurrent,
        levers: ['inductor.saturationCurrent', 'control.currentLimit', 'inductor.inductance'],
        quantity: 'saturationCurrent',
      },
    ],
    [at],
  );
}
