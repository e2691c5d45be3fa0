import type { Branch } from '../network/circuit.ts';
import { mergeBranches } from '../network/circuit.ts';
import {
  applyInto,
  bilinear,
  dot,
  multiplyInto,
  scaledNorm,
  solveLinear,
  zeros,
  type Vector,
} from '../network/linear.ts';
import {
  chainOf,
  extremes,
  flowOf,
  halvingsFor,
  traceBy,
  type Flow,
  type Interval,
  type Periodic,
} from '../network/periodic.ts';

/** The input bank's voltage about its average, and the heat in its resistances. */
export interface InputBankResponse {
  /** V peak to peak */
  ripple: number;
  /** W */
  heat: number;
  /** V about the average and A into the bank, per interval, at the times (s) sampled */
  samples: { times: number[]; voltage: number[]; current: number[] }[];
}

/** Most halvings of an interval down to its samples. */
const MOST_HALVINGS = 3;

/** One interval of the stage with the bank's states appended: [stage, bank, 1]. */
interface Extended {
  flow: Flow;
  interval: Interval;
  /** rows over the extended state: the bank's voltage, each branch's current, all of them together */
  node: Vector;
  currents: Vector[];
  into: Vector;
  halvings: number;
  chain: Vector[];
}

/**
 * The input bank fed with the whole alternating part of the stage's input current (the source gives only the average).
 * The bank's states are appended to the stage's, which they do not act back on, and both are propagated together: the
 * ripple and the heat are exact, whatever the branches' time constants.
 * Series inductance is left out: with ideal switching edges it would make a spike of no width and no limit.
 *
 * @param average A, of the stage's input current
 * @param least samples are taken at least 2^least to each interval
 */
export function inputBankResponse(
  periodic: Periodic,
  given: readonly Branch[],
  average: number,
  least = 0,
): InputBankResponse {
  const branches = mergeBranches(
    given.map(({ capacitance, resistance }) => ({ capacitance, resistance, inductance: 0 })),
  );
  const n = periodic.network.size;
  const extended = periodic.intervals.map((interval) => extend(periodic, interval, branches, average, least));
  let bank = periodicBank(extended, branches, n);
  let min = Infinity;
  let max = -Infinity;
  const squares = branches.map(() => 0);
  const samples = extended.map(({ flow, interval, node, currents, into, halvings, chain }) => {
    const initial = interval.initial.slice(0, n - 1).concat(bank, 1);
    const { samples: sampled, moment } = traceBy(flow, interval.duration, initial, chain, halvings);
    currents.forEach((row, j) => (squares[j]! += bilinear(flow.size, row, moment, row)));
    const reached = extremes(flow, sampled, node);
    min = Math.min(min, reached.min);
    max = Math.max(max, reached.max);
    const last = sampled.states[sampled.states.length - 1]!;
    bank = last.slice(n - 1, n - 1 + branches.length);
    return {
      times: sampled.times,
      voltage: sampled.states.map((state) => dot(flow.size, node, state)),
      current: sampled.states.map((state) => dot(flow.size, into, state)),
    };
  });
  const heat =
    branches.reduce((sum, branch, j) => sum + branch.resistance * Math.max(0, squares[j]!), 0) / periodic.repeat;
  return { ripple: max - min, heat, samples };
}

function extend(
  periodic: Periodic,
  interval: Interval,
  branches: readonly Branch[],
  average: number,
  least: number,
): Extended {
  const { network } = periodic;
  const { configuration, duration } = interval;
  const n = network.size;
  const size = n + branches.length;
  const one = size - 1;
  const column = (k: number): number => (k < n - 1 ? k : one);
  const stateOf = (j: number): number => n - 1 + j;
  const ideal = branches.findIndex((branch) => branch.resistance === 0);
  // current into the bank: the source's average less what the stage takes
  const into = zeros(size);
  for (let k = 0; k < n; k += 1) into[column(k)] = -configuration.inputCurrent[k]!;
  into[one]! += average;
  const node = ideal >= 0 ? zeros(size) : into.slice();
  if (ideal >= 0) node[stateOf(ideal)] = 1;
  else {
    const conductance = branches.reduce((sum, branch) => sum + 1 / branch.resistance, 0);
    branches.forEach((branch, j) => (node[stateOf(j)] = 1 / branch.resistance));
    for (let k = 0; k < size; k += 1) node[k]! /= conductance;
  }
  const currents = branches.map((branch, j) => {
    const row = zeros(size);
    if (branch.resistance > 0) {
      for (let k = 0; k < size; k += 1) row[k] = node[k]! / branch.resistance;
      row[stateOf(j)]! -= 1 / branch.resistance;
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
  for (let i = 0; i < n - 1; i += 1)
    for (let k = 0; k < n; k += 1) matrix[i * size + column(k)] = configuration.matrix[i * n + k]!;
  currents.forEach((row, j) => {
    for (let k = 0; k < size; k += 1) matrix[stateOf(j) * size + k] = row[k]! / branches[j]!.capacitance;
  });
  const scale = zeros(size).map(() => 1);
  for (let k = 0; k < n - 1; k += 1) scale[k] = network.scale[k]!;
  const total = branches.reduce((sum, branch) => sum + branch.capacitance, 0);
  branches.forEach((_, j) => (scale[stateOf(j)] = Math.sqrt(network.circuit.inductance / total)));
  const { resting } = flowOf(network, configuration);
  const flow: Flow = { size, matrix, norm: scaledNorm(size, matrix, scale), resting, made: new Map() };
  const halvings = Math.max(least, halvingsFor(flow, duration, MOST_HALVINGS));
  return { flow, interval, node, currents, into, halvings, chain: chainOf(flow, duration, halvings) };
}

/** Bank voltages at the start of the repeating part. The total charge is free (the average is the source's), so it is set to zero. */
function periodicBank(extended: readonly Extended[], branches: readonly Branch[], n: number): Vector {
  const count = branches.length;
  if (count === 1) return zeros(1);
  // the bank's own map over the repeating part, and what the stage adds to it
  let map: Vector | undefined;
  let added = zeros(count);
  for (const { flow, interval, chain } of extended) {
    const { size } = flow;
    const phi = chain[chain.length - 1]!;
    const own = zeros(count * count);
    for (let i = 0; i < count; i += 1)
      for (let k = 0; k < count; k += 1) own[i * count + k] = phi[(n - 1 + i) * size + n - 1 + k]!;
    const driven = applyInto(size, phi, interval.initial.slice(0, n - 1).concat(zeros(count), 1), zeros(size));
    const carried = applyInto(count, own, added, zeros(count));
    added = carried.map((value, i) => value + driven[n - 1 + i]!);
    map = map ? multiplyInto(count, own, map, zeros(count * count)) : own;
  }
  const left = zeros(count * count);
  for (let i = 0; i < count * count; i += 1) left[i] = (i % (count + 1) === 0 ? 1 : 0) - map![i]!;
  const right = added.slice();
  for (let j = 0; j < count; j += 1) left[(count - 1) * count + j] = branches[j]!.capacitance;
  right[count - 1] = 0;
  return solveLinear(count, left, right) ?? zeros(count);
}
