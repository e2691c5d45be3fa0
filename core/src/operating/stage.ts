import type { Brief, CapacitorBank, Decisions, Topology } from '../design/schema.ts';
import type { Branch, Circuit } from '../network/circuit.ts';
import { Network } from '../network/circuit.ts';
import type { StageConditions, SwitchData, TopologyModel } from '../topology/index.ts';

/** V; what a body diode drops when no data say otherwise (the file format's convention). */
export const BODY_DIODE_VOLTAGE = 0.8;

/** Largest dead time at each edge that a stage is solved with, as a part of its period. */
export const LONGEST_DEAD_SHARE = 1 / 8;

/** Decisions with nothing left open that the power stage needs. */
export interface CompleteDecisions extends Decisions {
  topology: Topology;
  phases: number;
  switchingFrequency: number;
  lightLoad: NonNullable<Decisions['lightLoad']>;
  rippleSchool: NonNullable<Decisions['rippleSchool']>;
  rippleRatio: number;
  inductor: NonNullable<Decisions['inductor']> & {
    inductance: number;
    resistance: number;
    saturationCurrent: number;
  };
  controlSwitch: NonNullable<Decisions['controlSwitch']> & { onResistance: number };
  rectifier: NonNullable<Decisions['rectifier']>;
  outputCapacitors: CapacitorBank[];
  inputCapacitors: CapacitorBank[];
  control: NonNullable<Decisions['control']> & {
    method: NonNullable<NonNullable<Decisions['control']>['method']>;
    referenceVoltage: number;
    minimumOnTime: number;
    minimumOffTime: number;
    maximumDuty: number;
    deadTime: number;
  };
}

/** One corner of line and load. */
export interface Corner {
  inputVoltage: number;
  outputCurrent: number;
}

export function switchData(decisions: CompleteDecisions): SwitchData {
  const { rectifier, controlSwitch } = decisions;
  return {
    controlResistance: controlSwitch.onResistance,
    rectifierResistance: (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance) ?? 0,
    rectifierDrop: rectifier.kind === 'diode' ? (rectifier.forwardVoltage ?? 0) : 0,
    bodyDiodeDrop: (rectifier.kind === 'synchronous' ? rectifier.bodyDiodeVoltage : undefined) ?? BODY_DIODE_VOLTAGE,
  };
}

/** Whether the rectifier blocks negative current. */
export function rectifies(decisions: CompleteDecisions): boolean {
  return decisions.rectifier.kind === 'diode' || decisions.lightLoad !== 'forced-pwm';
}

export function conditionsAt(brief: Brief, decisions: CompleteDecisions, corner: Corner): StageConditions {
  // written out: an object spread costs more here than all the arithmetic that follows
  const { controlResistance, rectifierResistance, rectifierDrop, bodyDiodeDrop } = switchData(decisions);
  return {
    controlResistance,
    rectifierResistance,
    rectifierDrop,
    bodyDiodeDrop,
    inputVoltage: corner.inputVoltage,
    outputVoltage: brief.outputVoltage,
    outputCurrent: corner.outputCurrent,
    phases: decisions.phases,
    switchingFrequency: decisions.switchingFrequency,
    inductance: decisions.inductor.inductance,
    windingResistance: decisions.inductor.resistance,
    deadTime: decisions.rectifier.kind === 'diode' ? 0 : decisions.control.deadTime,
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

/** The switched network of the stage at one corner, with the load the brief names. */
export function networkAt(model: TopologyModel, brief: Brief, decisions: CompleteDecisions, corner: Corner): Network {
  const resistive = brief.load === 'resistive';
  const circuit: Circuit = {
    phases: decisions.phases,
    inputVoltage: corner.inputVoltage,
    inductance: decisions.inductor.inductance,
    windingResistance: decisions.inductor.resistance,
    cells: model.cells(switchData(decisions)),
    outputBranches: decisions.outputCapacitors.map(branchOf),
    load: {
      conductance: resistive ? corner.outputCurrent / brief.outputVoltage : 0,
      current: resistive ? 0 : corner.outputCurrent,
    },
  };
  return new Network(circuit);
}
