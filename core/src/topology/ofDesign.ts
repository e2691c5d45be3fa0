import type { Corner } from '../design/corner.ts';
import type { CompleteDecisions, ControlLimits } from '../design/complete.ts';
import type { Brief, CapacitorBank, Rectifier } from '../design/schema.ts';
import type { Branch, Cells, Circuit, Coupling } from '../network/circuit.ts';
import { Network } from '../network/network.ts';
import { zeros } from '../numbers/linear.ts';
import type { LegData, StageConditions, SwitchData } from './topology.ts';

/* The circuit, its conditions and the limits of its controller, of a whole design. */

/** Largest dead time at each edge that a stage is solved with, as a part of its period. */
export const LONGEST_DEAD_SHARE = 1 / 8;

/** How the stage is clocked and whether its rectifier lets current reverse. */
export interface Clocking {
  /** whether the rectifier blocks negative current: a diode, or a synchronous switch told to emulate one */
  rectifies: boolean;
  /** critical conduction: each period ends when the current has fallen to −valley (A, 0 or more) */
  critical?: { valley: number };
  /** light load lets the frequency fall, never below `least` (Hz); a pulse is none larger than `fullLoad` (A) takes */
  pulses?: { least: number; fullLoad: number };
  /** largest duty the controller gives: where a stage's output collapses it is not driven past this */
  maximumDuty: number;
}

/** V; what a body diode drops when no data say otherwise (the file format's convention). */
export const BODY_DIODE_VOLTAGE = 0.8;

function legOf(
  controlSwitch: { onResistance?: number | undefined; bodyDiodeVoltage?: number | undefined },
  rectifier: Rectifier,
): LegData {
  return {
    controlResistance: controlSwitch.onResistance ?? 0,
    rectifierResistance: (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance) ?? 0,
    rectifierDrop: rectifier.kind === 'diode' ? (rectifier.forwardVoltage ?? 0) : 0,
    bodyDiodeDrop: (rectifier.kind === 'synchronous' ? rectifier.bodyDiodeVoltage : undefined) ?? BODY_DIODE_VOLTAGE,
    controlBodyDiodeDrop: controlSwitch.bodyDiodeVoltage ?? BODY_DIODE_VOLTAGE,
    diode: rectifier.kind === 'diode',
  };
}

export function switchData(decisions: CompleteDecisions): SwitchData {
  const { rectifier, controlSwitch, boostLeg } = decisions;
  return {
    ...legOf(controlSwitch, rectifier),
    boostLeg: legOf(boostLeg?.controlSwitch ?? controlSwitch, boostLeg?.rectifier ?? rectifier),
  };
}

/** Hz; where the ultrasonic policy holds the frequency, above what is heard. Common practice, no source. */
export const ULTRASONIC_FREQUENCY = 25e3;

/** Whether the rectifier blocks negative current. */
export function rectifies(decisions: CompleteDecisions): boolean {
  if (decisions.rectifier.kind === 'diode' || decisions.lightLoad !== 'forced-pwm') return true;
  return decisions.topology === 'four-switch-buck-boost' && decisions.boostLeg?.rectifier?.kind === 'diode';
}

export function clockingOf({ outputCurrent }: Brief, decisions: CompleteDecisions): Clocking {
  const { lightLoad, conduction, critical, control } = decisions;
  const diode = decisions.rectifier.kind === 'diode';
  const clocking: Clocking = { rectifies: rectifies(decisions), maximumDuty: control.maximumDuty };
  if (conduction === 'critical') clocking.critical = { valley: diode ? 0 : (critical?.valleyCurrent ?? 0) };
  // a buck's pulse is its on-time; what the switches chop at the output comes no larger than what the load takes
  const fullLoad = decisions.topology === 'buck' ? Infinity : outputCurrent.max + (decisions.preload ?? 0);
  if (lightLoad === 'pulse-skipping') clocking.pulses = { least: 0, fullLoad };
  if (lightLoad === 'ultrasonic') clocking.pulses = { least: ULTRASONIC_FREQUENCY, fullLoad };
  return clocking;
}

/** What no corner changes, made once for each set of decisions: the same are asked about at every corner. */
const CONSTANT = new WeakMap<
  CompleteDecisions,
  Omit<StageConditions, 'inputVoltage' | 'outputVoltage' | 'outputCurrent'>
>();

function constantOf(decisions: CompleteDecisions) {
  const known = CONSTANT.get(decisions);
  if (known) return known;
  const { control, switchingFrequency, inductor, phases } = decisions;
  // a leg with a diode has none; where a four-switch stage mixes them, its diode carries the other leg's
  const mixed =
    decisions.topology === 'four-switch-buck-boost' &&
    (decisions.boostLeg?.rectifier ?? decisions.rectifier).kind === 'synchronous';
  const deadTime = decisions.rectifier.kind === 'diode' && !mixed ? 0 : control.deadTime;
  const made = {
    ...switchData(decisions),
    ...dutyLimits(control, switchingFrequency, deadTime),
    phases,
    switchingFrequency,
    inductance: inductor.inductance,
    windingResistance: inductor.resistance,
    deadTime,
  };
  CONSTANT.set(decisions, made);
  return made;
}

/** Ω between where the output is held and the load: a second section's, where it is sensed behind it. */
const dropBehind = ({ outputFilter }: CompleteDecisions): number =>
  outputFilter && outputFilter.feedback !== 'before' ? outputFilter.resistance : 0;

export function conditionsAt(brief: Brief, decisions: CompleteDecisions, corner: Corner): StageConditions {
  const constant = constantOf(decisions);
  const drawn = corner.outputCurrent + (decisions.preload ?? 0);
  // written out: an object spread costs more here than all the arithmetic that follows
  return {
    controlResistance: constant.controlResistance,
    rectifierResistance: constant.rectifierResistance,
    rectifierDrop: constant.rectifierDrop,
    bodyDiodeDrop: constant.bodyDiodeDrop,
    controlBodyDiodeDrop: constant.controlBodyDiodeDrop,
    diode: constant.diode,
    boostLeg: constant.boostLeg,
    largestDuty: constant.largestDuty,
    smallestBoostDuty: constant.smallestBoostDuty,
    inputVoltage: corner.inputVoltage,
    // the second section's drop comes on top of what the load gets
    outputVoltage: brief.outputVoltage + drawn * dropBehind(decisions),
    outputCurrent: drawn,
    phases: constant.phases,
    switchingFrequency: constant.switchingFrequency,
    inductance: constant.inductance,
    windingResistance: constant.windingResistance,
    deadTime: constant.deadTime,
  };
}

/**
 * The largest duty that a controller can give at a frequency, and the smallest of a boost leg: one rule for sizing, for
 * the regions of a four-switch stage and for what is shown.
 */
export function dutyLimits(
  control: ControlLimits,
  frequency: number,
  deadTime: number,
): { largestDuty: number; smallestBoostDuty: number } {
  const { minimumOnTime, minimumOffTime, maximumDuty } = control;
  const offTime = Math.max(minimumOffTime, 2.1 * Math.min(deadTime, LONGEST_DEAD_SHARE / frequency));
  return {
    largestDuty: Math.max(0.5, Math.min(maximumDuty, 1 - offTime * frequency, 0.999)),
    smallestBoostDuty: Math.min(0.5, Math.max(minimumOnTime * frequency, 0.001)),
  };
}

/** A bank of equal capacitors in parallel as one branch. */
export function branchOf(bank: CapacitorBank): Branch {
  return {
    capacitance: bank.capacitance * bank.count,
    resistance: bank.esr / bank.count,
    inductance: bank.esl / bank.count,
  };
}

/** Mutual over self-inductance of every two windings; undefined where they are not coupled. */
export function couplingOf({ phases, coupling }: Pick<CompleteDecisions, 'phases' | 'coupling'>): Coupling | undefined {
  if (!coupling || coupling.coefficient === 0 || phases < 2) return undefined;
  const { coefficient, polarity, arrangement } = coupling;
  if (arrangement !== 'one-core' && phases % 2 === 1) return undefined; // pairs need an even number: a warning says so
  const matrix = zeros(phases * phases);
  for (let i = 0; i < phases; i += 1) matrix[i * phases + i] = 1;
  if (arrangement === 'one-core') {
    // flux that opposes in every winding has the others' windings as its only return: their coefficients add up to at most one
    const mutual = polarity === 'inverse' ? -coefficient / (phases - 1) : coefficient;
    for (let i = 0; i < phases; i += 1)
      for (let k = 0; k < phases; k += 1) if (i !== k) matrix[i * phases + k] = mutual;
  } else {
    const half = phases / 2;
    const mutual = polarity === 'inverse' ? -coefficient : coefficient;
    for (let i = 0; i < half; i += 1) {
      matrix[i * phases + i + half] = mutual;
      matrix[(i + half) * phases + i] = mutual;
    }
  }
  return { matrix };
}

/** The switched network of the stage at one corner, with the load the brief names. */
export function networkAt(
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
  cells: Cells,
  roughly = false,
): Network {
  const resistive = brief.load === 'resistive';
  const { preload = 0 } = decisions;
  const circuit = circuitOf(brief, decisions, corner.inputVoltage, cells, {
    conductance: ((resistive ? corner.outputCurrent : 0) + preload) / brief.outputVoltage,
    current: resistive ? 0 : corner.outputCurrent,
  });
  return new Network(roughly && circuit.curve ? { ...circuit, roughly } : circuit);
}

/** The stage's circuit on a source and into a load. */
export function circuitOf(
  brief: Brief,
  decisions: CompleteDecisions,
  inputVoltage: number,
  cells: Cells,
  load: Circuit['load'],
): Circuit {
  const { sourceResistance = 0, sourceInductance = 0 } = brief;
  const { outputFilter } = decisions;
  const { inductance, inductanceCurve, resistance } = decisions.inductor;
  const coupling = couplingOf(decisions);
  return {
    phases: decisions.phases,
    period: 1 / decisions.switchingFrequency,
    inputVoltage,
    inductance,
    windingResistance: resistance,
    coupling,
    curve: coupling ? undefined : inductanceCurve,
    cells,
    outputBranches: decisions.outputCapacitors.map(branchOf),
    load,
    source:
      sourceResistance > 0 || sourceInductance > 0
        ? {
            resistance: sourceResistance,
            inductance: sourceInductance,
            branches: decisions.inputCapacitors.map(branchOf),
          }
        : undefined,
    filter: outputFilter && {
      inductance: outputFilter.inductance,
      resistance: outputFilter.resistance,
      branches: outputFilter.capacitors.map(branchOf),
      feedback: outputFilter.feedback,
    },
  };
}
