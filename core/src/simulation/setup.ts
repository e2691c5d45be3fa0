import type { Corner } from '../design/corner.ts';
import type { Brief, Decisions, Design } from '../design/schema.ts';
import { bendOf, FINE, ROUGH, type Fineness } from '../network/saturating.ts';
import { answersSlowly } from '../network/network.ts';
import { formatQuantity } from '../quantity/format.ts';
import { effective } from '../stage/operating/heat.ts';

import { solvedCorner, type SolvedPoint } from '../stage/operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { branchOf, circuitOf, conditionsAt, rectifies, ULTRASONIC_FREQUENCY } from '../topology/ofDesign.ts';
import { hasAmplifier } from '../control/compensator.ts';
import { topologyModel, type Operation } from '../topology/index.ts';
import { amplifierOf, type CompensatorParts } from './amplifier.ts';
import {
  bandAt,
  SimulationError,
  type Band,
  type ControlLaw,
  type Roles,
  type Segment,
  type Setup,
} from './modulator.ts';
import { changesRoles, roleChangeOf } from './roles.ts';
import { leavesPulsesOut } from './standIn.ts';
import { isCompleted, isStandIn } from '../control/protection.ts';

/** Part of the output below which a load no longer draws its current. Our own: it only keeps a dead rail from being drawn below zero. */
const KNEE = 0.01;
/** Parts of the output between which a load of constant power is followed, the ratio of two neighbours, and below which it draws no more. */
const POWER = { least: 0.3, most: 2.5, step: 1.02 };

/** What a load draws over its voltage, in parts of its current at the brief's output. */
function bandsOf({ load, loadCurve, outputVoltage }: Brief): Band[] {
  const knee = KNEE * outputVoltage;
  if (load === 'curve') return bandsOfCurve(loadCurve ?? [], outputVoltage, knee);
  if (load !== 'constant-power')
    return [
      { from: -Infinity, conductance: 1 / knee, current: 0 },
      { from: knee, conductance: 0, current: 1 },
    ];
  const drawn = (volts: number): number => outputVoltage / volts;
  const most = drawn(POWER.least * outputVoltage);
  const bands: Band[] = [
    { from: -Infinity, conductance: most / knee, current: 0 },
    { from: knee, conductance: 0, current: most },
  ];
  let from = POWER.least * outputVoltage;
  while (from < POWER.most * outputVoltage) {
    const to = from * POWER.step;
    // a chord between two points of the hyperbola
    const conductance = (drawn(to) - drawn(from)) / (to - from);
    bands.push({ from, conductance, current: drawn(from) - conductance * from });
    from = to;
  }
  bands.push({ from, conductance: 0, current: drawn(from) });
  return bands;
}

/**
 * A load by points of what it draws, straight between them and at the last beyond; in parts of what it draws at the output.
 * @param knee V below which it draws in proportion, so that it cannot pull a dead rail below zero
 */
function bandsOfCurve(points: readonly (readonly [number, number])[], output: number, knee: number): Band[] {
  const [first, second] = points;
  if (!first || !second)
    throw new SimulationError('absent, expected what a load of kind curve draws.', 'brief.loadCurve');
  let course: (readonly [number, number])[] = [...points];
  if (first[0] > 0) course.unshift([0, 0]);
  else if (first[1] > 0) {
    const there = first[1] + ((second[1] - first[1]) * knee) / second[0];
    course = [[0, 0], [knee, there], ...points.filter(([volts]) => volts > knee)];
  }
  const bands = course.map(([from, low], k): Band => {
    const next = course[k + 1];
    const conductance = next ? (next[1] - low) / (next[0] - from) : 0;
    return { from: k === 0 ? -Infinity : from, conductance, current: low - conductance * from };
  });
  const at = bands[bandAt(bands, output)]!;
  const whole = at.conductance * output + at.current;
  if (!(whole > 0))
    throw new SimulationError(`0 A at ${output} V, expected a current at the output voltage.`, 'brief.loadCurve');
  return bands.map((band) => ({
    from: band.from,
    conductance: band.conductance / whole,
    current: band.current / whole,
  }));
}

/** Of a gated oscillator’s pulse and a hysteretic comparator’s width over the reference, where nothing is said. Common practice, no source. */
const OSCILLATOR = 0.5;
const HYSTERESIS = 0.02;
/**
 * A bent inductance: as fine as ODE solvers tell apart, or in a run of more cycles as fine as no bench does. Each step is a
 * mode of its own, and a start passes through them all. For a verdict a current may leave the true one by a part of its
 * ripple that shows in no dip and no margin.
 */
const BENT: Readonly<Record<'solver' | 'bench' | 'verdict', Fineness>> = {
  solver: { apart: FINE, finest: 48 },
  bench: ROUGH,
  verdict: { apart: 2e-3, finest: 4 },
};
const LONG_RUN = 200;
/** Times the output above which control switches stay off, where nothing else is said (the file format's convention). */
const OVER_VOLTAGE = 1.15;

/** Everything a run needs of a design at one corner, and the operating point it starts from. */
export interface Ready {
  setup: Setup;
  solved: SolvedPoint;
  decisions: CompleteDecisions;
  /** V, where the control voltage stands in the steady state */
  controlVoltage: (duty: number, current: { peak: number; average: number }) => number;
  /** what was taken where the design says nothing */
  assumed: string[];
}

/** S of a load that draws a current at the brief's output. */
export function conductanceOf(brief: Brief, decisions: CompleteDecisions, current: number): number {
  const resistive = brief.load === 'resistive';
  return ((resistive ? current : 0) + (decisions.preload ?? 0)) / brief.outputVoltage;
}

/** A of a load that draws a current whatever the output does. */
export function drawnBy(brief: Brief, current: number): number {
  return brief.load === 'resistive' ? 0 : current;
}

/** What a run wants of its setup. */
export interface Wanted {
  /** open loop where given: no controller */
  duty?: number | undefined;
  /** whether the control voltage is held where the operating point has it */
  held?: boolean;
  /** s that are followed, where it is no single period */
  duration?: number;
  /** a bent inductance is told as finely as the verdict of a run needs, or as a bench tells apart */
  fineness?: 'bench' | 'verdict' | undefined;
}

/**
 * @throws SimulationError where the stage cannot be simulated, or has no steady state
 */
export function ready(
  design: Design,
  given: CompleteDecisions,
  corner: Corner,
  segments: readonly Segment[],
  { duty, held = false, duration = 0, fineness }: Wanted = {},
): Ready {
  const { brief, decisions: own } = design;
  const model = topologyModel(given.topology);
  const lockout = duty === undefined ? given.control.undervoltageLockout : undefined;
  if (lockout && corner.inputVoltage <= lockout.falling)
    throw new SimulationError(
      `${corner.inputVoltage} V, expected above decisions.control.undervoltageLockout.falling (${lockout.falling} V): below it nothing switches.`,
      'vin',
    );
  const solved = solvedCorner(model, brief, given, corner);
  const decisions = effective(given, solved.point?.temperatures ?? {});
  const operation = solved.state?.operation ?? model.operations(conditionsAt(brief, decisions, corner))[0]!;
  // a bent inductance in steps for the swing that the stage's own solution has
  const { inductanceCurve } = decisions.inductor;
  const swing = solved.point?.inductorCurrent.ripple ?? decisions.inductor.saturationCurrent ?? 1;
  const told = BENT[fineness ?? (duration * decisions.switchingFrequency > LONG_RUN ? 'bench' : 'solver')];
  const bend =
    inductanceCurve && !decisions.coupling ? bendOf(inductanceCurve, Math.max(swing, 1e-6), told) : undefined;
  const { control, rectifier } = decisions;
  const period = 1 / decisions.switchingFrequency;
  const outputBranches = decisions.outputCapacitors.map(branchOf);
  const conductances = segments.map(({ conductance }) => conductance);
  const least = Math.min(...conductances);
  // one numbering of the states has to serve every load of the run: the load's settling is followed where each is slow
  const slow = answersSlowly(outputBranches, least, period);
  const modulator = lawOf(brief, decisions, corner, duty);
  const { compensator } = decisions;
  const assumed: string[] = [];
  const closed = duty === undefined && !held;
  const needsAmplifier = closed && hasAmplifier(modulator);
  const standIn = closed && isStandIn(own, decisions);
  if (standIn)
    assumed.push(
      needsAmplifier
        ? `The design holds no compensator: the network of type ${compensator?.type ?? 1} that is decided by rule is taken.`
        : 'The design holds no controller: the one that is decided by rule is taken.',
    );
  // its shortest pulses alone would lift an output whose reference has hardly begun to rise
  if (standIn && !modulator.skips) modulator.skips = 'at-start';
  if (standIn && needsAmplifier && modulator.clocked && model.switches < 4)
    leavesPulsesOut(modulator, brief, decisions, corner, operation);
  // a controller from the shelf has its small parts, which a file need not name
  if (closed && isCompleted(own, decisions)) {
    const set = protectionWords(own, decisions);
    if (!standIn && set.length > 0) assumed.push('What is not said of the controller is taken by rule.');
    assumed.push(...set);
  }
  const { outputMaximum } = compensator ?? {};
  if (standIn && needsAmplifier && outputMaximum !== undefined)
    assumed.push(
      `Its amplifier reaches from ${modulator.floor > 0 ? formatQuantity(modulator.floor, 'V') : 'zero'} to ${formatQuantity(outputMaximum, 'V')}.`,
    );
  const divider = decisions.compensator;
  const { dividerTop, dividerBottom } = divider ?? {};
  const tapRatio =
    dividerTop !== undefined && dividerBottom !== undefined
      ? dividerBottom / (dividerTop + dividerBottom)
      : control.referenceVoltage / brief.outputVoltage;
  const top = dividerTop ?? 10e3;
  const diode = rectifier.kind === 'diode';
  const rolesOf = ({ cells, region, transition }: Operation): Roles => ({
    circuit: (conductance) => ({
      ...circuitOf(brief, decisions, corner.inputVoltage, cells, { conductance, current: 0 }),
      curve: undefined,
      bend,
      mismatch: decisions.phaseMismatch?.map(({ inductance = 1, resistance = 1 }) => ({ inductance, resistance })),
      followsLoad: slow && least > 0,
    }),
    region,
    // of a four-switch stage, the leg's that switches
    node: region === 'boost' ? 'far' : model.switchNodes[0]!,
    transition,
  });
  const roles = rolesOf(operation);
  const setup: Setup = {
    roles,
    roleChange:
      model.switches === 4 && !held && changesRoles(modulator)
        ? roleChangeOf(model, modulator, period, rolesOf, { operation, roles }, (volts, part) => {
            const there = conditionsAt(brief, decisions, { ...corner, inputVoltage: volts });
            return { ...there, outputVoltage: part * there.outputVoltage };
          })
        : undefined,
    held,
    phases: decisions.phases,
    period,
    target: brief.outputVoltage,
    modulator,
    amplifier:
      needsAmplifier && compensator
        ? amplifierOf(
            standIn
              ? { ...compensator, outputMinimum: own.compensator?.outputMinimum ?? modulator.floor }
              : compensator,
            period,
          )
        : undefined,
    currentAmplifier:
      modulator.method === 'average-current-mode'
        ? amplifierOf(currentNetwork(control.currentAmplifier), period)
        : undefined,
    undivided: needsAmplifier ? amplifierOf({ ...compensator, dividerBottom: undefined }, period) : undefined,
    injection:
      (modulator.method === 'constant-on-time' || modulator.method === 'hysteretic') && control.rippleInjection
        ? {
            ...control.rippleInjection,
            top,
            bottom: dividerBottom === undefined ? (1 - tapRatio) / (top * tapRatio) : 1 / dividerBottom,
          }
        : undefined,
    tapRatio,
    deadTime: diode ? 0 : control.deadTime,
    diode,
    emulates: !diode && (modulator.critical ? modulator.valley === 0 : rectifies(decisions)),
    segments,
    bands: bandsOf(brief),
  };
  const controlVoltage: Ready['controlVoltage'] = (at, { peak, average }) => {
    // in critical conduction the period is what comes out
    const part = modulator.critical && solved.point ? 1 / (solved.point.switchingFrequency * period) : 1;
    if (modulator.method === 'voltage-mode') return at * part * modulator.rampAmplitude;
    if (modulator.method === 'voltage-mode-feedforward') return at * modulator.rampGain * corner.inputVoltage;
    if (modulator.method === 'average-current-mode') return average * modulator.currentSenseGain;
    return peak * modulator.currentSenseGain + modulator.slopeCompensation * at * part * period;
  };
  return {
    setup,
    solved,
    decisions,
    controlVoltage,
    assumed: assumed.length > 0 ? [assumed.join(' ')] : [],
  };
}

/** What a controller is set to by rule, in words. */
function protectionWords({ control: own = {} }: Decisions, { control }: CompleteDecisions): string[] {
  const { softStart, currentLimit } = control;
  return [
    ...(own.softStart === undefined && softStart !== undefined
      ? [`Its soft start takes ${formatQuantity(softStart, 's')}.`]
      : []),
    ...(own.currentLimit === undefined && currentLimit !== undefined
      ? [
          `It limits each phase’s current at ${formatQuantity(currentLimit, 'A')} and gives no pulse while it stands above that.`,
        ]
      : []),
  ];
}

/**
 * The corner that is asked about, nominal input and full load where nothing is said.
 * @throws SimulationError where it cannot be
 */
export function cornerAsked({ inputVoltage, outputCurrent }: Brief, at: Partial<Corner> | undefined): Corner {
  const corner = {
    inputVoltage: at?.inputVoltage ?? inputVoltage.nominal,
    outputCurrent: at?.outputCurrent ?? outputCurrent.max,
  };
  if (!(corner.inputVoltage > 0)) throw new SimulationError('expected a voltage above 0.', 'vin');
  if (!(corner.outputCurrent >= 0)) throw new SimulationError('expected zero or a positive current.', 'iout');
  return corner;
}

/** Part of a period below which a filter's time constant counts as none: what it delays is below what a run resolves. */
const AT_ONCE = 1e-6;
const filterOf = (constant: number | undefined, { switchingFrequency }: CompleteDecisions): number =>
  constant === undefined || constant * switchingFrequency < AT_ONCE ? 0 : constant;

/** The parts of a current amplifier as an error amplifier's: from the sensed current to the ramp. */
export const currentNetwork = ({
  inputResistor,
  ...parts
}: NonNullable<CompleteDecisions['control']['currentAmplifier']> = {}): CompensatorParts => ({
  amplifier: 'op-amp',
  type: 2,
  dividerTop: inputResistor,
  ...parts,
});

/** How the controller tells its switches, from the design and what is decided. */
export function lawOf(
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
  duty: number | undefined,
): ControlLaw {
  const { control, switchingFrequency } = decisions;
  const critical = duty === undefined && decisions.conduction === 'critical';
  if (critical && !['voltage-mode', 'peak-current-mode'].includes(control.method))
    throw new SimulationError(
      `${control.method}, expected voltage-mode or peak-current-mode in critical conduction.`,
      'decisions.control.method',
    );
  const free = { minimumOnTime: 0, minimumOffTime: 0, maximumDuty: 1 };
  return {
    method: duty === undefined ? control.method : 'open-loop',
    duty: duty ?? (control.method === 'gated-oscillator' ? (control.oscillatorDuty ?? OSCILLATOR) : 0),
    clocked:
      duty !== undefined || !(critical || control.method === 'constant-on-time' || control.method === 'hysteretic'),
    critical,
    valley: critical && decisions.rectifier.kind !== 'diode' ? (decisions.critical?.valleyCurrent ?? 0) : 0,
    hysteresis: control.hysteresis ?? HYSTERESIS * control.referenceVoltage,
    dutySlope: 0,
    dutyOffsets: decisions.phaseMismatch?.map(({ duty: offset }) => offset ?? 0) ?? [],
    reference: control.referenceVoltage,
    rampAmplitude: control.rampAmplitude ?? 1,
    rampGain: control.rampGain ?? (control.rampAmplitude ?? 1) / brief.inputVoltage.nominal,
    currentSenseGain: control.currentSenseGain ?? 0,
    slopeCompensation: control.slopeCompensation ?? 0,
    senseFilter: control.method === 'peak-current-mode' ? filterOf(control.currentSenseFilter, decisions) : 0,
    ...(duty === undefined
      ? {
          minimumOnTime: control.method === 'digital' ? 0 : control.minimumOnTime,
          minimumOffTime: control.minimumOffTime,
          maximumDuty: control.maximumDuty,
        }
      : free),
    onTime:
      control.onTime ??
      topologyModel(decisions.topology).idealDuty(brief.outputVoltage / corner.inputVoltage) / switchingFrequency,
    skips: decisions.lightLoad === 'pulse-skipping' || decisions.lightLoad === 'ultrasonic',
    floor: 0,
    leastPulse: undefined,
    longestWait: duty === undefined && decisions.lightLoad === 'ultrasonic' ? 1 / ULTRASONIC_FREQUENCY : Infinity,
    digital: duty === undefined ? control.digital : undefined,
    currentLimit: duty === undefined ? (control.currentLimit ?? Infinity) : Infinity,
    valleyCurrentLimit: duty === undefined ? (control.valleyCurrentLimit ?? Infinity) : Infinity,
    hiccup: control.hiccup,
    softStart: control.softStart ?? 0,
    startIntoBias: control.startIntoBias ?? true,
    overVoltage: duty === undefined ? (control.overVoltage ?? OVER_VOLTAGE) * brief.outputVoltage : Infinity,
    lockout: duty === undefined ? control.undervoltageLockout : undefined,
  };
}
