import type { Brief } from '../design/schema.ts';
import { bilinear, zeros, type Vector } from '../network/linear.ts';
import { extremes, momentsOf, sampleInterval, type Periodic } from '../network/periodic.ts';
import type { TopologyModel } from '../topology/index.ts';
import { inputBankResponse } from './inputBank.ts';
import {
  branchOf,
  conditionsAt,
  networkAt,
  rectifies,
  switchData,
  type CompleteDecisions,
  type Corner,
} from './stage.ts';
import { findSteadyState, type ConductionMode, type SteadyState } from './steadyState.ts';

/** Currents of one switch, A, and the highest static voltage across it while it is off, V. */
export interface SwitchStress {
  averageCurrent: number;
  rmsCurrent: number;
  peakCurrent: number;
  blockingVoltage: number;
}

/** Every mechanism that the given data allow, W. */
export interface Losses {
  total: number;
  controlSwitchConduction: number;
  rectifierConduction: number;
  deadTimeConduction?: number;
  windingConduction: number;
  outputCapacitorEsr: number;
  inputCapacitorEsr: number;
}

/** Everything about one corner of line and load in the steady state. Names and units are the result format's. */
export interface OperatingPoint {
  inputVoltage: number;
  outputCurrent: number;
  conductionMode: ConductionMode;
  switchingFrequency: number;
  duty: number;
  rectifierDuty: number;
  onTime: number;
  offTime: number;
  outputVoltage: { average: number };
  inductorCurrent: { average: number; ripple: number; peak: number; valley: number; rms: number };
  controlSwitch: SwitchStress;
  rectifier: SwitchStress;
  inputCurrent: { average: number };
  inputCapacitor: { rmsCurrent: number; ripple: number };
  outputCapacitor: { rmsCurrent: number; ripple: number };
  losses: Losses;
  outputPower: number;
  efficiency: number;
}

/** An operating point with the periodic state it was measured on, for waveforms. */
export interface SolvedPoint {
  /** undefined where the arithmetic cannot resolve the values given */
  point: OperatingPoint | undefined;
  state: SteadyState | undefined;
}

const SAMPLES = 8;

/**
 * Solves one corner exactly: finds the duty that gives the brief's average output with every parasitic in the circuit,
 * and measures the periodic waveforms. Never throws; a corner out of reach is solved at the end of the duty's range.
 */
export function solveCorner(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
): SolvedPoint {
  const blocking = rectifies(decisions);
  if (blocking && corner.outputCurrent === 0)
    return { point: restingPoint(decisions, corner, brief), state: undefined };
  const network = networkAt(model, brief, decisions, corner);
  const conditions = conditionsAt(brief, decisions, corner);
  const state = findSteadyState(model, network, conditions, blocking, brief.outputVoltage);
  const point = state && measure(state, decisions, corner, brief);
  return point && isFinitePoint(point) ? { point, state } : { point: undefined, state: undefined };
}

function isFinitePoint(point: OperatingPoint): boolean {
  return Object.values(point).every((value: number | string | object) =>
    typeof value === 'number'
      ? Number.isFinite(value)
      : typeof value === 'string' || Object.values(value).every((inner) => Number.isFinite(inner)),
  );
}

/** No load on a stage that blocks negative current: the output holds itself and no pulse is needed. */
function restingPoint(decisions: CompleteDecisions, corner: Corner, brief: Brief): OperatingPoint {
  const still = { averageCurrent: 0, rmsCurrent: 0, peakCurrent: 0 };
  return {
    ...corner,
    conductionMode: 'DCM',
    switchingFrequency: decisions.switchingFrequency,
    duty: 0,
    rectifierDuty: 0,
    onTime: 0,
    offTime: 0,
    outputVoltage: { average: brief.outputVoltage },
    inductorCurrent: { average: 0, ripple: 0, peak: 0, valley: 0, rms: 0 },
    controlSwitch: { ...still, blockingVoltage: corner.inputVoltage - brief.outputVoltage },
    rectifier: { ...still, blockingVoltage: brief.outputVoltage },
    inputCurrent: { average: 0 },
    inputCapacitor: { rmsCurrent: 0, ripple: 0 },
    outputCapacitor: { rmsCurrent: 0, ripple: 0 },
    losses: {
      total: 0,
      controlSwitchConduction: 0,
      rectifierConduction: 0,
      windingConduction: 0,
      outputCapacitorEsr: 0,
      inputCapacitorEsr: 0,
    },
    outputPower: 0,
    efficiency: 0,
  };
}

interface Tally {
  average: number;
  square: number;
  peak: number;
}

function measure(state: SteadyState, decisions: CompleteDecisions, corner: Corner, brief: Brief): OperatingPoint {
  const { periodic } = state;
  const { network, repeat, period } = periodic;
  const n = network.size;
  const { phases } = network.circuit;
  const one = n - 1;
  const moments = momentsOf(periodic);

  const inductor: Tally = { average: 0, square: 0, peak: -Infinity };
  let valley = Infinity;
  const control: Tally = { average: 0, square: 0, peak: 0 };
  const rectifier: Tally = { average: 0, square: 0, peak: 0 };
  const dead = { charge: 0, time: 0, energy: 0 };
  let rectifierTime = 0;
  let input = 0;
  let inputSquare = 0;
  let bankSquare = 0;
  let outputAverage = 0;
  let outputSquare = 0;
  let outputMin = Infinity;
  let outputMax = -Infinity;
  let controlBlocking = 0;
  let rectifierBlocking = 0;
  const data = switchData(decisions);
  const phaseRow = zeros(n);
  const branchSquares = network.branches.map(() => 0);

  periodic.intervals.forEach((interval, index) => {
    const moment = moments[index]!;
    const { configuration } = interval;
    const samples = sampleInterval(periodic, interval, SAMPLES);
    const output = extremes(periodic, interval, samples, configuration.outputVoltage);
    outputMin = Math.min(outputMin, output.min);
    outputMax = Math.max(outputMax, output.max);
    input += row(configuration.inputCurrent, moment, n);
    inputSquare += bilinear(n, configuration.inputCurrent, moment, configuration.inputCurrent);
    bankSquare += bilinear(n, configuration.bankCurrent, moment, configuration.bankCurrent);
    outputAverage += row(configuration.outputVoltage, moment, n);
    outputSquare += bilinear(n, configuration.outputVoltage, moment, configuration.outputVoltage);
    configuration.branchCurrents.forEach((branchRow, j) => {
      branchSquares[j]! += bilinear(n, branchRow, moment, branchRow);
    });

    configuration.cells.forEach((cell, phase) => {
      const average = moment[phase * n + one]!;
      const square = moment[phase * n + phase]!;
      phaseRow.fill(0);
      phaseRow[phase] = 1;
      const current = extremes(periodic, interval, samples, phaseRow);
      inductor.average += average;
      inductor.square += square;
      inductor.peak = Math.max(inductor.peak, current.max);
      valley = Math.min(valley, current.min);
      if (cell === 'control' || cell === 'deadReverse') add(control, average, square, current.max);
      if (cell === 'rectifier' || cell === 'deadForward') {
        add(rectifier, average, square, current.max);
        rectifierTime += interval.duration;
      }
      if (cell === 'deadForward' || cell === 'deadReverse') {
        dead.charge += Math.abs(average);
        dead.time += interval.duration;
      }
      // one device's voltage while the other conducts
      if (cell === 'control') {
        rectifierBlocking = Math.max(rectifierBlocking, corner.inputVoltage - data.controlResistance * current.min);
      } else if (cell === 'rectifier') {
        const drop = data.rectifierDrop + data.rectifierResistance * current.max;
        controlBlocking = Math.max(controlBlocking, corner.inputVoltage + drop);
      } else if (cell === 'idle') {
        rectifierBlocking = Math.max(rectifierBlocking, output.max);
        controlBlocking = Math.max(controlBlocking, corner.inputVoltage - output.min);
      }
    });
  });

  // sums run over every phase for one repeating part, which is one phase over the whole period
  const inductorRms = Math.sqrt(Math.max(0, inductor.square) / period);
  const inputAverage = input / repeat;
  const inputBank = inputBankResponse(periodic, decisions.inputCapacitors.map(branchOf), inputAverage);
  const deadPower = (data.bodyDiodeDrop * dead.charge * phases) / period;
  const rectifierLosses = conductionOf(periodic, moments, 'rectifier', data.rectifierResistance, data.rectifierDrop);
  const losses: Losses = {
    total: 0,
    controlSwitchConduction: conductionOf(periodic, moments, 'control', data.controlResistance, 0),
    rectifierConduction: rectifierLosses,
    windingConduction: phases * inductorRms ** 2 * decisions.inductor.resistance,
    outputCapacitorEsr: network.branches.reduce(
      (sum, branch, j) => sum + (branch.resistance * branchSquares[j]!) / repeat,
      0,
    ),
    inputCapacitorEsr: decisions.inputCapacitors.reduce(
      (sum, bank, j) => sum + branchOf(bank).resistance * inputBank.branchCurrents[j]! ** 2,
      0,
    ),
  };
  if (dead.time > 0) losses.deadTimeConduction = deadPower;
  losses.total = Object.values(losses).reduce<number>((sum, value: number) => sum + value, 0);
  const average = outputAverage / repeat;
  const outputPower =
    brief.load === 'resistive'
      ? (outputSquare / repeat) * (corner.outputCurrent / brief.outputVoltage)
      : average * corner.outputCurrent;
  const onTime = state.duty * period;
  return {
    inputVoltage: corner.inputVoltage,
    outputCurrent: corner.outputCurrent,
    conductionMode: state.mode,
    switchingFrequency: 1 / period,
    duty: state.duty,
    rectifierDuty: rectifierTime / period,
    onTime,
    offTime: period - onTime,
    outputVoltage: { average },
    inductorCurrent: {
      average: inductor.average / period,
      ripple: swing(valley, inductor.peak, inductor.peak),
      peak: inductor.peak,
      valley,
      rms: inductorRms,
    },
    controlSwitch: stress(control, period, controlBlocking || corner.inputVoltage),
    rectifier: stress(rectifier, period, rectifierBlocking || corner.inputVoltage),
    inputCurrent: { average: (outputPower + losses.total) / corner.inputVoltage },
    inputCapacitor: {
      rmsCurrent: Math.sqrt(Math.max(0, inputSquare / repeat - inputAverage ** 2)),
      ripple: swing(0, inputBank.ripple, corner.inputVoltage),
    },
    outputCapacitor: {
      rmsCurrent: Math.sqrt(Math.max(0, bankSquare / repeat)),
      ripple: swing(outputMin, outputMax, outputMax),
    },
    losses,
    outputPower,
    efficiency: outputPower + losses.total > 0 ? outputPower / (outputPower + losses.total) : 0,
  };
}

/** Peak to peak, with what is only rounding of a large value taken for nothing. */
function swing(min: number, max: number, scale: number): number {
  return max - min > 1e-12 * Math.abs(scale) ? max - min : 0;
}

function add(tally: Tally, average: number, square: number, peak: number): void {
  tally.average += average;
  tally.square += square;
  tally.peak = Math.max(tally.peak, peak);
}

function stress(tally: Tally, period: number, blockingVoltage: number): SwitchStress {
  return {
    averageCurrent: tally.average / period,
    rmsCurrent: Math.sqrt(Math.max(0, tally.square) / period),
    peakCurrent: tally.peak,
    blockingVoltage,
  };
}

/** ∫ of a row over the state: the row against the moment's last column. */
function row(of: Vector, moment: Vector, n: number): number {
  let sum = 0;
  for (let k = 0; k < n; k += 1) sum += of[k]! * moment[k * n + n - 1]!;
  return sum;
}

/** W, all phases: resistance by RMS current and drop by average current, in one switch state. */
function conductionOf(
  periodic: Periodic,
  moments: readonly Vector[],
  cell: 'control' | 'rectifier',
  resistance: number,
  drop: number,
): number {
  const n = periodic.network.size;
  let energy = 0;
  periodic.intervals.forEach((interval, index) => {
    interval.configuration.cells.forEach((name, phase) => {
      if (name !== cell) return;
      const moment = moments[index]!;
      energy += resistance * moment[phase * n + phase]! + drop * moment[phase * n + n - 1]!;
    });
  });
  return energy / periodic.repeat;
}
