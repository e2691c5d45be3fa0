import type { Branch } from '../network/circuit.ts';
import { mergeBranches } from '../network/circuit.ts';
import { applyInto, dot, scaledNorm, solveLinear, transition, zeros, type Vector } from '../network/linear.ts';
import { extremes, flowOf, type Periodic } from '../network/periodic.ts';

/** The input bank's voltage about its average, and the heat in its resistances. */
export interface InputBankResponse {
  /** V peak to peak */
  ripple: number;
  /** W */
  heat: number;
  /** V about the average, per interval, at the times asked for */
  samples: { times: number[]; voltage: number[]; current: number[] }[];
}

/** Even samples of an interval, for its extremes and for Simpson's rule: fewer where hardly anything settles in it. */
function samplesFor(settles: number): number {
  return settles < 0.05 ? 2 : settles < 0.5 ? 4 : 8;
}

/**
 * The input bank fed with the whole alternating part of the stage's input current (the source gives only the average).
 * The bank's states are appended to the stage's, which they do not act back on, and propagated with it exactly.
 * Series inductance is left out: with ideal switching edges it would make a spike of no width and no limit.
 *
 * @param average A, of the stage's input current
 */
export function inputBankResponse(periodic: Periodic, given: readonly Branch[], average: number): InputBankResponse {
  const flat = given.map(({ capacitance, resistance }) => ({ capacitance, resistance, inductance: 0 }));
  const branches = mergeBranches(flat);
  const n = periodic.network.size;
  const count = branches.length;
  const size = n + count;
  const ideal = branches.findIndex((branch) => branch.resistance === 0);
  const conductance = branches.reduce((sum, b) => sum + (b.resistance > 0 ? 1 / b.resistance : 0), 0);
  const one = size - 1;
  const column = (k: number): number => (k < n - 1 ? k : one);
  const stateOf = (j: number): number => n - 1 + j;

  const extended = periodic.intervals.map(({ configuration, initial, duration }) => {
    // current into the bank: the source's average less what the stage takes
    const drive = zeros(size);
    for (let k = 0; k < n; k += 1) drive[column(k)] = -configuration.inputCurrent[k]!;
    drive[one]! += average;
    const node = ideal >= 0 ? zeros(size) : drive.slice();
    if (ideal >= 0) node[stateOf(ideal)] = 1;
    else {
      branches.forEach((b, j) => (node[stateOf(j)] = 1 / b.resistance));
      for (let k = 0; k < size; k += 1) node[k]! /= conductance;
    }
    const rows = branches.map((b, j) => {
      const row = zeros(size);
      if (b.resistance > 0) {
        for (let k = 0; k < size; k += 1) row[k] = node[k]! / b.resistance;
        row[stateOf(j)]! -= 1 / b.resistance;
      }
      return row;
    });
    if (ideal >= 0) {
      rows[ideal] = drive.slice();
      rows.forEach((row, j) => {
        if (j !== ideal) for (let k = 0; k < size; k += 1) rows[ideal]![k]! -= row[k]!;
      });
    }
    const matrix = zeros(size * size);
    for (let i = 0; i < n - 1; i += 1) {
      for (let k = 0; k < n; k += 1) matrix[i * size + column(k)] = configuration.matrix[i * n + k]!;
    }
    rows.forEach((row, j) => {
      for (let k = 0; k < size; k += 1) matrix[stateOf(j) * size + k] = row[k]! / branches[j]!.capacitance;
    });
    const scale = zeros(size).map(() => 1);
    for (let k = 0; k < n - 1; k += 1) scale[k] = periodic.network.scale[k]!;
    const volts = Math.sqrt(periodic.network.circuit.inductance / branches.reduce((sum, b) => sum + b.capacitance, 0));
    branches.forEach((_, j) => (scale[stateOf(j)] = volts));
    return { matrix, node, rows, drive, initial, duration, norm: scaledNorm(size, matrix, scale), configuration };
  });

  const start = periodicBank(periodic, extended, branches, size, n);
  let min = Infinity;
  let max = -Infinity;
  const squares = branches.map(() => 0);
  let bank = start;
  const samples = extended.map(({ matrix, node, rows, drive, initial, duration, norm, configuration }) => {
    const count = samplesFor(norm * duration);
    const step = duration / count;
    const phi = transition(size, matrix, step, norm);
    let state = withBank(initial, bank, n);
    const states: Vector[] = [];
    const times: number[] = [];
    const voltage: number[] = [];
    const current: number[] = [];
    for (let i = 0; i <= count; i += 1) {
      if (i > 0) {
        state = applyInto(size, phi, state, zeros(size));
        configuration.cells.forEach((cell, phase) => {
          if (periodic.network.cell(cell).blocked) state[phase] = 0;
        });
      }
      states.push(state);
      times.push(i * step);
      voltage.push(dot(size, node, state));
      current.push(dot(size, drive, state));
      const weight = ((i === 0 || i === count ? 1 : i % 2 === 1 ? 4 : 2) * step) / 3; // Simpson
      rows.forEach((row, j) => (squares[j]! += weight * dot(size, row, state) ** 2));
    }
    const { resting } = flowOf(periodic.network, configuration);
    const reached = extremes({ size, matrix, norm, resting, made: new Map() }, { times, states }, node);
    min = Math.min(min, reached.min);
    max = Math.max(max, reached.max);
    bank = state.slice(n - 1, n - 1 + branches.length);
    return { times, voltage, current };
  });
  const heat = branches.reduce((sum, branch, j) => sum + branch.resistance * squares[j]!, 0) / periodic.repeat;
  return { ripple: max - min, heat, samples };
}

function withBank(stage: Vector, bank: Vector, n: number): Vector {
  return stage.slice(0, n - 1).concat(bank, 1);
}

/** Bank voltages at the start of the repeating part. The total charge is free (the average is the source's), so it is set to zero. */
function periodicBank(
  periodic: Periodic,
  extended: readonly {
    matrix: Vector;
    initial: Vector;
    duration: number;
    norm: number;
    configuration: { cells: readonly string[] };
  }[],
  branches: readonly Branch[],
  size: number,
  n: number,
): Vector {
  const count = branches.length;
  if (count === 1) return zeros(1);
  // response to each unit start, by superposition: column j of the map and the constant part
  const carried = (bank: Vector): Vector => {
    let at = bank;
    for (const { matrix, initial, duration, norm } of extended) {
      const phi = transition(size, matrix, duration, norm);
      at = applyInto(size, phi, withBank(initial, at, n), zeros(size)).slice(n - 1, n - 1 + count);
    }
    return at;
  };
  const constant = carried(zeros(count));
  const matrix = zeros(count * count);
  for (let j = 0; j < count; j += 1) {
    const unit = zeros(count);
    unit[j] = 1;
    const image = carried(unit);
    for (let i = 0; i < count; i += 1) matrix[i * count + j] = (i === j ? 1 : 0) - (image[i]! - constant[i]!);
  }
  const right = constant.slice();
  for (let j = 0; j < count; j += 1) matrix[(count - 1) * count + j] = branches[j]!.capacitance;
  right[count - 1] = 0;
  return solveLinear(count, matrix, right) ?? zeros(count);
}
