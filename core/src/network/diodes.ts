import { Follower, naturalCurrent, restMargins, type Schedule } from './follower.ts';
import { dot, solveLinear, zeros, type Vector } from '../numbers/linear.ts';
import type { Network } from './network.ts';
import type { Periodic } from './periodic.ts';

const MOST_ITERATIONS = 30;
const TOLERANCE = 1e-11;
/** Residual that still counts as found where rounding allows no less. */
const SMALL = 1e-8;

/** Part of a period below which an interval is an edge's own rounding. */
const NO_WIDTH = 1e-10;

/**
 * Whether the diodes of a periodic state found from an assumed order of switch states agree with its currents and
 * voltages at both ends of every stretch: with coupled windings one phase's switching drives another's current.
 * @param rectifies whether the rectifier blocks what flows back
 */
export function diodesAgree(periodic: Periodic, rectifies: boolean): boolean {
  const { network } = periodic;
  const n = network.size;
  const amperes = 1e-7 * naturalCurrent(network, periodic.period);
  const volts = 1e-7 * network.circuit.inputVoltage;
  const forward = rectifies ? 'rectifier' : 'deadForward';
  return periodic.intervals.every(
    ({ configuration, initial, final, duration }) =>
      duration <= NO_WIDTH * periodic.period ||
      configuration.cells.every((name, phase) => {
        if (name === 'deadForward' || (name === 'rectifier' && rectifies))
          return initial[phase]! >= -amperes && final[phase]! >= -amperes;
        if (name === 'deadReverse') return initial[phase]! <= amperes && final[phase]! <= amperes;
        if (name !== 'idle') return true;
        return restMargins(network, configuration, phase, forward).every(
          (row) => dot(n, row, initial) >= -volts && dot(n, row, final) >= -volts,
        );
      }),
  );
}

/** A periodic state in which every diode conducts exactly when its current and voltage say so. */
export interface FollowedState {
  periodic: Periodic;
  unknown: number;
  /** whether some phase's current rests or flows back while its control switch is off */
  discontinuous: boolean;
}

const SETTLING_PASSES = 40;
const BISECTIONS = 24;

/**
 * A state and an unknown close to the periodic one: with every capacitor held at its average, the windings' currents
 * are let settle, and the unknown is bisected until what they deliver is what the load draws.
 * @param range ends of the unknown; the charge delivered rises with it, or falls
 */
export function balancedGuess(
  network: Network,
  scheduleOf: (unknown: number) => Schedule | undefined,
  range: { low: number; high: number; rises: boolean },
  target: number,
): { state: Vector; unknown: number } | undefined {
  let { low, high } = range;
  let state = network.stateAt(target, 0);
  let found: { state: Vector; unknown: number } | undefined;
  for (let i = 0; i < BISECTIONS; i += 1) {
    const unknown = Math.sqrt(low * high);
    const schedule = scheduleOf(unknown);
    const settled = schedule && settledCurrents(network, schedule, state);
    if (!settled) high = unknown;
    else {
      state = settled.state;
      found = { state, unknown };
      if (settled.gained > 0 === range.rises) high = unknown;
      else low = unknown;
    }
  }
  return found;
}

/**
 * The windings' currents that repeat with every capacitor held, and the charge that the output bank gains with them.
 * Passes alone settle as slowly as the windings' own time constant, so each is followed by a step of Newton's method on
 * the currents, taken where it comes nearer.
 */
function settledCurrents(
  network: Network,
  schedule: Schedule,
  start: Vector,
): { state: Vector; gained: number } | undefined {
  const n = network.size;
  const { phases } = network.circuit;
  const enough = 1e-6 * naturalCurrent(network, schedule.period);
  const run = (state: Vector) => {
    const pass = new Follower(network, schedule);
    const end = pass.run(state);
    if (!end) return undefined;
    const misses = Array.from({ length: phases }, (_, phase) => end[(phase + 1) % phases]! - state[phase]!);
    const gained = network.outputCharge(end) - network.outputCharge(state);
    return { state, pass, misses, gained, miss: Math.max(...misses.map(Math.abs)) };
  };
  const moved = (state: Vector, by: readonly number[]): Vector =>
    state.map((value, i) => (i < phases ? value + by[i]! : value));
  let at = run(start);
  for (let round = 0; at && at.miss > enough && round < SETTLING_PASSES; round += 1) {
    const { pass } = at;
    const jacobian = zeros(phases * phases);
    for (let i = 0; i < phases; i += 1)
      for (let k = 0; k < phases; k += 1)
        jacobian[i * phases + k] = (i === k ? 1 : 0) - pass.endByStart[((i + 1) % phases) * n + k]!;
    const step = at.misses.slice();
    const nearer = solveLinear(phases, jacobian, step) && run(moved(at.state, step));
    at = nearer && nearer.miss < at.miss ? nearer : run(moved(at.state, at.misses));
  }
  return at;
}

/**
 * The periodic state, and the one unknown of the schedule that gives the wanted average output, where no order of
 * switch states is assumed: a pass over the repeating part follows the diodes, and Newton's method closes it on itself,
 * with the pass's exact derivatives.
 * @param guess state and unknown to start from
 * @param target V, average at the load
 */
export function followDiodes(
  network: Network,
  scheduleOf: (unknown: number) => Schedule | undefined,
  guess: { state: Vector; unknown: number },
  target: number,
): FollowedState | undefined {
  const n = network.size;
  const m = n - 1;
  const { phases } = network.circuit;
  const sourceOf = (i: number): number => (i < phases ? (i + 1) % phases : i);
  const evaluate = (state: Vector, unknown: number) => {
    const schedule = scheduleOf(unknown);
    if (!schedule) return undefined;
    const pass = new Follower(network, schedule);
    const end = pass.run(state);
    if (!end) return undefined;
    const repeat = schedule.period / phases;
    const amperes = naturalCurrent(network, schedule.period);
    const residual = zeros(m + 1);
    let size = 0;
    for (let i = 0; i < m; i += 1) {
      residual[i] = (end[sourceOf(i)]! - state[i]!) / network.scale[i]! / amperes;
      size = Math.max(size, Math.abs(residual[i]!));
    }
    residual[m] = pass.area / repeat / target - 1;
    size = Math.max(size, Math.abs(residual[m]));
    return { state, unknown, schedule, pass, repeat, amperes, residual, size };
  };
  const first = evaluate(guess.state, guess.unknown);
  if (!first) return undefined;
  let at = first;
  let best = first;
  let stale = 0;
  for (let iteration = 0; iteration < MOST_ITERATIONS && best.size > TOLERANCE && stale < 5; iteration += 1) {
    const { pass, repeat, amperes } = at;
    const size = m + 1;
    const jacobian = zeros(size * size);
    for (let i = 0; i < m; i += 1) {
      const unit = network.scale[i]! * amperes;
      for (let k = 0; k < m; k += 1)
        jacobian[i * size + k] =
          ((pass.endByStart[sourceOf(i) * n + k]! - (i === k ? 1 : 0)) * network.scale[k]! * amperes) / unit;
      jacobian[i * size + m] = pass.endByUnknown[sourceOf(i)]! / unit;
    }
    for (let k = 0; k < m; k += 1)
      jacobian[m * size + k] = (pass.areaByStart[k]! * network.scale[k]! * amperes) / repeat / target;
    jacobian[m * size + m] =
      (pass.areaByUnknown - (pass.area / repeat) * (at.schedule.periodPerUnknown / phases)) / repeat / target;
    const step = solveLinear(
      size,
      jacobian,
      at.residual.map((value) => -value),
    );
    if (!step || !step.every((value) => Number.isFinite(value))) break;
    let next: typeof at | undefined;
    let shrink = 1;
    do {
      const { state, unknown } = at;
      next = evaluate(
        state.map((value, i) => (i < m ? value + shrink * step[i]! * network.scale[i]! * amperes : value)),
        unknown + shrink * step[m]!,
      );
      shrink /= 2;
    } while ((!next || next.size > at.size * 2) && shrink > 1 / 64);
    if (!next) break;
    at = next;
    stale = at.size < best.size * 0.9 ? 0 : stale + 1;
    if (at.size < best.size) best = at;
  }
  if (!(best.size < SMALL)) return undefined;
  const { pass, schedule, repeat } = best;
  return {
    periodic: {
      network,
      period: schedule.period,
      repeat,
      steps: [],
      intervals: pass.intervals,
      averageOutput: pass.area / repeat,
    },
    unknown: best.unknown,
    discontinuous: pass.intervals.some(({ configuration }) =>
      configuration.cells.some((name) => name === 'idle' || name === 'deadReverse'),
    ),
  };
}
