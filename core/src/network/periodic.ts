import type { CellName } from './circuit.ts';
import type { Configuration, Network } from './network.ts';
import {
  applyInto,
  dot,
  identity,
  multiplyInto,
  propagate,
  solveLinear,
  zeros,
  type Propagator,
  type Vector,
} from '../numbers/linear.ts';

/** One stretch of a phase's period. */
export interface Step {
  cell: CellName;
  /** s */
  duration: number;
}

/** A stretch in which no switch of any phase changes. */
export interface Interval {
  configuration: Configuration;
  /** s from the start of the repeating part, and length */
  start: number;
  duration: number;
  /** state at the start, and at the end before any projection by a current that stops */
  initial: Vector;
  final: Vector;
  /** ∫ of the state over it */
  integral: Vector;
}

/**
 * The periodic state of an interleaved stage. The phases are alike and evenly spread, so the state repeats after one
 * N-th of the period with the phases renumbered (phase 1 then stands where phase N stood): only that part is computed.
 */
export interface Periodic {
  network: Network;
  /** s: the whole period, and the repeating part (period / phases) */
  period: number;
  repeat: number;
  steps: readonly Step[];
  intervals: Interval[];
  /** V, over the period */
  averageOutput: number;
}

/** Phase index (from 0) whose current in the repeating part is what `phase` carries `part` repeating parts later. */
export function phaseAt(phase: number, part: number, phases: number): number {
  return (((phase - part) % phases) + phases) % phases;
}

/** Parts of a period below which two moments are one. */
const LEAST = 1e-13;

/** What each phase does over the repeating part, cut wherever any of them switches. */
function cutIntervals(steps: readonly Step[], phases: number, period: number) {
  const repeat = period / phases;
  const edges: number[] = [];
  let time = 0;
  for (const step of steps) {
    edges.push(time);
    time += step.duration;
  }
  const least = period * LEAST;
  const cuts = edges.map((edge) => edge % repeat);
  cuts.push(0, repeat);
  cuts.sort((a, b) => a - b);
  const intervals: { start: number; duration: number; cells: CellName[] }[] = [];
  for (let i = 0; i + 1 < cuts.length; i += 1) {
    const start = cuts[i]!;
    const duration = cuts[i + 1]! - start;
    if (duration <= least) continue;
    const middle = start + duration / 2;
    const cells: CellName[] = [];
    for (let phase = 0; phase < phases; phase += 1) {
      const at = middle + phaseAt(0, phase, phases) * repeat;
      let index = steps.length - 1;
      while (index > 0 && edges[index]! > at) index -= 1;
      cells.push(steps[index]!.cell);
    }
    intervals.push({ start, duration, cells });
  }
  return intervals;
}

/** Takes the current of every phase at rest out of a propagator: it is zero from the interval's start. */
export function projectIdle(network: Network, configuration: Configuration, propagator: Propagator): void {
  const n = network.size;
  configuration.cells.forEach((cell, phase) => {
    if (!network.cell(cell).blocked) return;
    for (let k = 0; k < n; k += 1) {
      propagator.phi[phase * n + k] = 0;
      propagator.psi[phase * n + k] = 0;
      propagator.phi[k * n + phase] = 0;
      propagator.psi[k * n + phase] = 0;
    }
  });
}

function propagatorOf(network: Network, configuration: Configuration, duration: number, least: number): Propagator {
  const { last } = configuration;
  if (last && Math.abs(last.duration - duration) <= least) return last.propagator;
  const propagator = propagate(network.size, configuration.matrix, duration, configuration.norm);
  projectIdle(network, configuration, propagator);
  configuration.last = { duration, propagator };
  return propagator;
}

/** How the phases' shares in the output node's feed change where the interval `index` begins; undefined when they do not. */
function feedStep(network: Network, cut: readonly { cells: CellName[] }[], index: number): Vector | undefined {
  const { phases } = network.circuit;
  const before = cut[index > 0 ? index - 1 : cut.length - 1]!.cells;
  const change = cut[index]!.cells.map((name, phase) => {
    // the repeating part begins where the last one ended, with the phases renumbered
    const last = before[index > 0 ? phase : (phase + 1) % phases]!;
    return network.cell(name).toOutput - network.cell(last).toOutput;
  });
  return change.some((value) => value !== 0) ? change : undefined;
}

/** A chopped current's step, taken by the branches with series inductance. */
export function applyStep(network: Network, change: Vector, state: Vector): void {
  let step = 0;
  for (let k = 0; k < change.length; k += 1) step += change[k]! * state[k]!;
  for (const { state: at, share } of network.stepShares) state[at]! += share * step;
}

/** The same for every column of a map. */
export function stepColumns(network: Network, change: Vector, map: Vector): void {
  const n = network.size;
  for (let column = 0; column < n; column += 1) {
    let step = 0;
    for (let k = 0; k < change.length; k += 1) step += change[k]! * map[k * n + column]!;
    for (const { state: at, share } of network.stepShares) map[at * n + column]! += share * step;
  }
}

/**
 * The periodic steady state for the given steps of each phase, found directly: the map over the repeating part is
 * affine, z → Pᵀ Φ z, and its fixed point is one linear solve.
 * @returns undefined when no unique periodic state exists (a stage that winds up without bound)
 */
export function periodicState(network: Network, steps: readonly Step[], period: number): Periodic | undefined {
  const n = network.size;
  const { phases } = network.circuit;
  const repeat = period / phases;
  const least = period * LEAST;
  const cut = cutIntervals(steps, phases, period);
  const pieces = cut.map((piece, index) => {
    const configuration = network.configuration(piece.cells);
    const propagator = propagatorOf(network, configuration, piece.duration, least);
    const step = network.stepShares.length > 0 ? feedStep(network, cut, index) : undefined;
    return { start: piece.start, duration: piece.duration, configuration, propagator, step };
  });

  let map: Vector | undefined;
  for (const piece of pieces) {
    if (!map && !piece.step) map = piece.propagator.phi;
    else {
      map ??= identity(n);
      if (piece.step) {
        map = map.slice(); // it may be a propagator that is kept
        stepColumns(network, piece.step, map);
      }
      map = multiplyInto(n, piece.propagator.phi, map, zeros(n * n));
    }
  }
  if (!map) return undefined;

  // z(0) = Pᵀ z(repeat): phase k starts as phase k+1 ends (the last as the first)
  const m = n - 1;
  const left = zeros(m * m);
  const right = zeros(m);
  for (let i = 0; i < m; i += 1) {
    const source = i < phases ? (i + 1) % phases : i;
    for (let k = 0; k < m; k += 1) left[i * m + k] = (i === k ? 1 : 0) - map[source * n + k]!;
    right[i] = map[source * n + m]!;
  }
  const fixed = solveLinear(m, left, right);
  if (!fixed || fixed.some((value) => !Number.isFinite(value))) return undefined;

  let state: Vector = fixed.concat(1);
  const intervals: Interval[] = [];
  let area = 0;
  for (const { configuration, propagator, start, duration, step } of pieces) {
    const initial = state.slice();
    configuration.cells.forEach((cell, phase) => {
      if (network.cell(cell).blocked) initial[phase] = 0;
    });
    if (step) applyStep(network, step, initial);
    const final = applyInto(n, propagator.phi, initial, zeros(n));
    const integral = applyInto(n, propagator.psi, initial, zeros(n));
    area += dot(n, configuration.loadVoltage, integral);
    intervals.push({ configuration, start, duration, initial, final, integral });
    state = final;
  }
  return { network, period, repeat, steps, intervals, averageOutput: area / repeat };
}

/** Current of phase 1 (A) at the end of its step `index`, as it arrives there. */
export function currentAtStepEnd(periodic: Periodic, index: number): number {
  const { repeat, intervals, network } = periodic;
  const { phases } = network.circuit;
  const time = periodic.steps.slice(0, index + 1).reduce((sum, step) => sum + step.duration, 0);
  const part = Math.min(phases - 1, Math.floor((time / periodic.period) * phases * (1 - 1e-12)));
  const local = time - part * repeat;
  const phase = phaseAt(0, part, phases);
  let best = intervals[0]!;
  for (const interval of intervals) {
    if (Math.abs(interval.start + interval.duration - local) < Math.abs(best.start + best.duration - local))
      best = interval;
  }
  return best.final[phase]!;
}
