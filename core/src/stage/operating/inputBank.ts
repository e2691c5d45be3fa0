import { mergeBranches, type Branch } from '../../network/circuit.ts';
import { dot, solveLinear, transition, zeros, type Vector } from '../../numbers/linear.ts';
import type { Configuration, Network } from '../../network/network.ts';
import type { Interval, Periodic } from '../../network/periodic.ts';
import { tracerFor, type Flow } from '../../numbers/trace.ts';

/** One interval of the periodic state as it is measured: where a stiff source feeds an input bank, with that bank. */
export interface Stretch {
  interval: Interval;
  flow: Flow;
  initial: Vector;
  bank: BankRows | undefined;
}

/** Rows over a stretch's state: the bank's voltage about its average, the current into it, and into each branch. */
export interface BankRows {
  node: Vector;
  into: Vector;
  currents: Vector[];
  /** Ω of each branch */
  resistances: number[];
}

/**
 * The intervals ready to be measured. A stiff source gives only the average of the stage's input current; the bank is
 * fed with the rest. Its states are appended to the stage's (behind the constant, so that the stage's own rows hold as
 * they are), which they do not act back on, and both are followed together: ripple and heat are exact, whatever the
 * branches' time constants. A source with impedance of its own has the bank in the network already.
 * Series inductance is left out: with ideal switching edges it would make a spike of no width and no limit.
 */
export function stretchesOf(periodic: Periodic, inputBank: readonly Branch[]): Stretch[] {
  const { network, intervals, repeat } = periodic;
  if (network.circuit.source) {
    return intervals.map((interval) => ({
      interval,
      flow: flowOf(network, interval.configuration),
      initial: interval.initial,
      bank: undefined,
    }));
  }
  let taken = 0;
  for (const { configuration, integral } of intervals) taken += dot(network.size, configuration.inputCurrent, integral);
  const branches = mergeBranches(
    inputBank.map(({ capacitance, resistance }) => ({ capacitance, resistance, inductance: 0 })),
  );
  const made = new Map<Configuration, { flow: Flow; bank: BankRows }>();
  const stretches = intervals.map((interval) => {
    let extended = made.get(interval.configuration);
    if (!extended) {
      extended = extend(network, interval.configuration, branches, taken / repeat);
      made.set(interval.configuration, extended);
    }
    const initial = interval.initial.slice();
    for (let j = 0; j < branches.length; j += 1) initial.push(0);
    return { interval, initial, ...extended };
  });
  startPeriodic(stretches, branches, network.size, repeat);
  return stretches;
}

/** A configuration's flow by itself. */
export function flowOf(network: Network, { matrix, norm }: Configuration): Flow {
  return { size: network.size, matrix, norm, rings: network.rings, resonance: network.resonance };
}

function extend(
  network: Network,
  configuration: Configuration,
  branches: readonly Branch[],
  average: number,
): { flow: Flow; bank: BankRows } {
  const n = network.size;
  const size = n + branches.length;
  const one = n - 1;
  const ideal = branches.findIndex((branch) => branch.resistance === 0);
  const into = zeros(size);
  for (let k = 0; k < n; k += 1) into[k] = -configuration.inputCurrent[k]!;
  into[one]! += average;
  let node: Vector;
  if (ideal >= 0) {
    node = zeros(size);
    node[n + ideal] = 1;
  } else {
    node = into.slice();
    let conductance = 0;
    for (let j = 0; j < branches.length; j += 1) {
      node[n + j] = 1 / branches[j]!.resistance;
      conductance += node[n + j]!;
    }
    for (let k = 0; k < size; k += 1) node[k]! /= conductance;
  }
  const currents = branches.map(({ resistance }, j) => {
    const row = zeros(size);
    if (resistance > 0) {
      for (let k = 0; k < size; k += 1) row[k] = node[k]! / resistance;
      row[n + j]! -= 1 / resistance;
    }
    return row;
  });
  if (ideal >= 0) {
    const rest = into.slice();
    currents.forEach((row, j) => {
      if (j !== ideal) for (let k = 0; k < size; k += 1) rest[k]! -= row[k]!;
    });
    currents[ideal] = rest;
  }
  const matrix = zeros(size * size);
  for (let i = 0; i < one; i += 1)
    for (let k = 0; k < n; k += 1) matrix[i * size + k] = configuration.matrix[i * n + k]!;
  // the bank's own rows, and their size beside the stage's: its volts are compared with amperes as the stage's are
  let norm = configuration.norm;
  const impedance = impedanceOf(network, branches);
  branches.forEach(({ capacitance }, j) => {
    const row = (n + j) * size;
    let own = 0;
    for (let k = 0; k < size; k += 1) {
      const value = currents[j]![k]! / capacitance;
      matrix[row + k] = value;
      if (k !== one) own += Math.abs(value) * (k < n ? network.scale[k]! / impedance : 1);
    }
    norm = Math.max(norm, own);
  });
  return {
    flow: { size, matrix, norm, rings: network.rings, resonance: network.resonance },
    bank: { node, into, currents, resistances: branches.map(({ resistance }) => resistance) },
  };
}

/** Ω, the bank's volts against the windings' amperes. */
function impedanceOf(network: Network, branches: readonly Branch[]): number {
  let total = 0;
  for (const { capacitance } of branches) total += capacitance;
  return Math.sqrt(network.circuit.inductance / total);
}

/**
 * Gives the stretches the bank voltages that repeat: fed from rest, plus what the bank's own answer to its start adds.
 * The total charge is free (the average is the source's), so it is set to zero.
 */
function startPeriodic(stretches: Stretch[], branches: readonly Branch[], n: number, repeat: number): void {
  const count = branches.length;
  const carry = (start: Vector): Vector => {
    let bank = start;
    for (const { flow, initial, interval } of stretches) {
      for (let j = 0; j < count; j += 1) initial[n + j] = bank[j]!;
      bank = tracerFor(flow.size).carry(flow, interval.duration, initial).slice(n);
    }
    return bank;
  };
  const driven = carry(zeros(count));
  if (count === 1) return;
  // the bank's part of the matrix is the same in every configuration
  const { matrix, size } = stretches[0]!.flow;
  const own = zeros(count * count);
  let norm = 0;
  for (let i = 0; i < count; i += 1) {
    let sum = 0;
    for (let k = 0; k < count; k += 1) {
      own[i * count + k] = matrix[(n + i) * size + n + k]!;
      sum += Math.abs(own[i * count + k]!);
    }
    norm = Math.max(norm, sum);
  }
  const map = transition(count, own, repeat, norm);
  const left = zeros(count * count);
  for (let i = 0; i < count * count; i += 1) left[i] = (i % (count + 1) === 0 ? 1 : 0) - map[i]!;
  for (let j = 0; j < count; j += 1) left[(count - 1) * count + j] = branches[j]!.capacitance;
  driven[count - 1] = 0;
  const start = solveLinear(count, left, driven);
  if (start) carry(start);
}
