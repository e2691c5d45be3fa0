import type { CellName } from './circuit.ts';
import type { Configuration, Network } from './network.ts';
import {
  applyInto,
  dot,
  identity,
  propagate,
  secondMoment,
  solveLinear,
  zeros,
  type Propagator,
  type Vector,
  multiplyInto,
  transition,
  transitionChain,
} from './linear.ts';

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
  const integral = zeros(n);
  for (const { configuration, propagator, start, duration, step } of pieces) {
    const initial = state.slice();
    configuration.cells.forEach((cell, phase) => {
      if (network.cell(cell).blocked) initial[phase] = 0;
    });
    if (step) applyStep(network, step, initial);
    const final = applyInto(n, propagator.phi, initial, zeros(n));
    area += dot(n, configuration.loadVoltage, applyInto(n, propagator.psi, initial, integral));
    intervals.push({ configuration, start, duration, initial, final });
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

/** Samples of one interval: times from the interval's start (s) and the state at each, both ends included. */
export interface Samples {
  times: number[];
  states: Vector[];
}

/** One interval measured: samples along it, and ∫ z zᵀ over it (A²s and its kin; see {@link secondMoment}). */
export interface Trace {
  samples: Samples;
  moment: Vector;
}

/** The flow's transitions over its duration halved and halved again, the finest first. */
export function chainOf({ size, matrix, norm, resting }: Flow, duration: number, halvings: number): Vector[] {
  const chain = transitionChain(size, matrix, duration, norm, halvings);
  for (const phi of chain)
    for (const at of resting)
      for (let k = 0; k < size; k += 1) {
        phi[at * size + k] = 0;
        phi[k * size + at] = 0;
      }
  return chain;
}

/** Halvings of an interval down to its samples: few where hardly anything settles in it, many where series inductance rings. */
export function halvingsFor({ norm }: Flow, duration: number, most: number): number {
  const settles = norm * duration;
  return settles < 0.05 ? 1 : settles < 0.5 ? Math.min(2, most) : most;
}

/** @param most samples are taken at most 2^most to the duration */
export function traceFlow(flow: Flow, duration: number, initial: Vector, most: number): Trace {
  const halvings = halvingsFor(flow, duration, most);
  return traceBy(flow, duration, initial, chainOf(flow, duration, halvings), halvings);
}

/** The same by a chain that is known already. */
export function traceBy(
  flow: Flow,
  duration: number,
  initial: Vector,
  chain: readonly Vector[],
  halvings: number,
): Trace {
  return {
    samples: samplesBy(flow, duration, initial, chain, halvings),
    moment: secondMoment(flow.size, flow.matrix, duration, flow.norm, chain, initial),
  };
}

/** @param halvings samples are taken 2^halvings to the duration */
export function sampleFlow(flow: Flow, duration: number, initial: Vector, halvings: number): Samples {
  return samplesBy(flow, duration, initial, chainOf(flow, duration, halvings), halvings);
}

/**
 * States along an interval at even steps. Where the network is stiff (a series inductance of a nanohenry), the first
 * step is cut finer and finer towards the edge, so that a fast settling is not stepped over.
 */
function samplesBy(
  { size: n, norm }: Flow,
  duration: number,
  initial: Vector,
  chain: readonly Vector[],
  halvings: number,
): Samples {
  const count = 2 ** halvings;
  const step = duration / count;
  const times = [0];
  const states = [initial];
  const even = chain.length - 1 - halvings;
  const stiffness = norm * step;
  const levels = stiffness > 2 ? Math.min(even, Math.ceil(Math.log2(stiffness))) : 0;
  for (let level = levels; level >= 1; level -= 1) {
    times.push(step / 2 ** level);
    states.push(applyInto(n, chain[even - level]!, initial, zeros(n)));
  }
  let state = initial;
  for (let i = 1; i <= count; i += 1) {
    state = applyInto(n, chain[even]!, state, zeros(n));
    times.push(step * i);
    states.push(state);
  }
  return { times, states };
}

/** A linear flow ż = Mz, with the states (a current at rest) that stay at zero. */
export interface Flow {
  size: number;
  matrix: Vector;
  norm: number;
  resting: readonly number[];
  /** transitions already made, by their duration: turning points of several rows are sought by the same halvings */
  made: Map<number, Vector>;
}

export function flowOf(network: Network, { matrix, norm, cells }: Configuration): Flow {
  const resting: number[] = [];
  cells.forEach((cell, phase) => {
    if (network.cell(cell).blocked) resting.push(phase);
  });
  return { size: network.size, matrix, norm, resting, made: new Map() };
}

/** The state of a flow `time` s later. */
export function stateAfter({ size, matrix, norm, resting, made }: Flow, state: Vector, time: number): Vector {
  let phi = made.get(time);
  if (!phi) {
    phi = transition(size, matrix, time, norm);
    made.set(time, phi);
  }
  const from = state.slice();
  for (const at of resting) from[at] = 0;
  const after = applyInto(size, phi, from, zeros(size));
  for (const at of resting) after[at] = 0;
  return after;
}

/** Part of a row's range within which a cubic must meet the flow between two samples. */
const CUBIC_FITS = 1e-7;
const MOST_HALVINGS = 10;

/** Lowest and highest value of a row over the state along samples of a flow, turning points between them included. */
export function extremes(flow: Flow, samples: Samples, row: Vector): { min: number; max: number } {
  const { size: n, matrix } = flow;
  const slopeRow = zeros(n);
  for (let k = 0; k < n; k += 1) {
    let sum = 0;
    for (let m = 0; m < n; m += 1) sum += row[m]! * matrix[m * n + k]!;
    slopeRow[k] = sum;
  }
  const { states } = samples;
  return turningPoints(
    flow,
    samples,
    row,
    slopeRow,
    states.map((state) => dot(n, row, state)),
  );
}

/** The same for one state: its own row is a one, its slope a row of the matrix. */
export function stateExtremes(flow: Flow, samples: Samples, at: number): { min: number; max: number } {
  const { size: n, matrix } = flow;
  const row = zeros(n);
  row[at] = 1;
  return turningPoints(
    flow,
    samples,
    row,
    matrix.slice(at * n, at * n + n),
    samples.states.map((state) => state[at]!),
  );
}

function turningPoints(
  flow: Flow,
  { times, states }: Samples,
  row: Vector,
  slopeRow: Vector,
  values: readonly number[],
): { min: number; max: number } {
  const { size: n } = flow;
  let min = Infinity;
  let max = -Infinity;
  const take = (value: number): void => {
    if (value < min) min = value;
    if (value > max) max = value;
  };
  const slopes = states.map((state) => dot(n, slopeRow, state));
  values.forEach(take);
  const range = max - min;
  for (let i = 1; i < values.length; i += 1) {
    if (slopes[i - 1]! * slopes[i]! >= 0) continue;
    let left = states[i - 1]!;
    let h = times[i]! - times[i - 1]!;
    let [y0, y1, s0, s1] = [values[i - 1]!, values[i]!, slopes[i - 1]!, slopes[i]!];
    // halve towards the turning point until the cubic through values and slopes is the flow itself
    for (let halving = 0; halving < MOST_HALVINGS; halving += 1) {
      const middle = stateAfter(flow, left, h / 2);
      const y = dot(n, row, middle);
      const s = dot(n, slopeRow, middle);
      take(y);
      const fits = Math.abs((y0 + y1) / 2 + (h * (s0 - s1)) / 8 - y) <= CUBIC_FITS * range;
      h /= 2;
      if (s0 * s < 0) [y1, s1] = [y, s];
      else [left, y0, s0] = [middle, y, s];
      if (fits) break;
    }
    take(cubicTurn(y0, y1, s0, s1, h) ?? y0);
  }
  return { min, max };
}

/** Value where the slope of the cubic through two values and slopes, h apart, vanishes between them. */
function cubicTurn(y0: number, y1: number, s0: number, s1: number, h: number): number | undefined {
  const a = 6 * (y0 - y1) + 3 * h * (s0 + s1);
  const b = -6 * (y0 - y1) - 2 * h * (2 * s0 + s1);
  const c = h * s0;
  const root = Math.abs(a) < 1e-14 * Math.abs(b) ? -c / b : quadraticRootInside(a, b, c);
  if (root === undefined || !(root > 0 && root < 1)) return undefined;
  const r2 = root * root;
  const r3 = r2 * root;
  return y0 * (1 - 3 * r2 + 2 * r3) + h * s0 * (root - 2 * r2 + r3) + y1 * (3 * r2 - 2 * r3) + h * s1 * (r3 - r2);
}

function quadraticRootInside(a: number, b: number, c: number): number | undefined {
  const under = b * b - 4 * a * c;
  if (under < 0) return undefined;
  const q = -(b + Math.sign(b || 1) * Math.sqrt(under)) / 2;
  return [q / a, c / q].find((root) => root > 0 && root < 1);
}
