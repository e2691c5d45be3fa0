import type { Cells } from '../../network/circuit.ts';
import type { Network } from '../../network/network.ts';
import { solveLinear } from '../../numbers/linear.ts';
import { Orbit, periodicState, type Periodic, type Step } from '../../network/periodic.ts';
import { diodesAgree } from '../../network/diodes.ts';
import type { Operation } from '../../topology/index.ts';
import { followedState } from './followed.ts';
import { LONGEST_DEAD_SHARE, patternsFor, type Clocking, type Pattern, type SteadyState } from './patterns.ts';

/** Residual at which the search ends: the output within a hundred-millionth, for there the next step would change no figure shown. */
const TOLERANCE = 1e-8;
/** Residual (relative to the output, or to the current's scale) that still counts as found where rounding allows no less. */
const SMALL = 1e-7;
const MOST_ITERATIONS = 40;

/**
 * Finds the duty (and the moments at which currents stop) that make the average output equal `target`.
 * @param operations ways of running the stage, the likeliest first
 * @param networkOf the stage's network in one of them
 * @param target V
 */
export function findSteadyState(
  operations: readonly Operation[],
  networkOf: (cells: Cells) => Network,
  clocking: Clocking,
  target: number,
): SteadyState | undefined {
  let unwanted: SteadyState | undefined;
  let contradicted = false;
  for (const operation of operations) {
    const network = networkOf(operation.cells);
    const found = findIn(operation, network, clocking, target);
    if (found === 'contradicted') contradicted = true;
    else if (found) {
      if (!operation.accepts || operation.accepts(found.duty)) return found;
      unwanted ??= found;
    }
  }
  if (unwanted) return unwanted;
  let nearest: SteadyState | undefined;
  for (const operation of operations) {
    const end = atTheEnd(operation, networkOf(operation.cells), clocking, target);
    const miss = (state: SteadyState): number => Math.abs(state.periodic.averageOutput - target);
    // a stage past its collapse is no answer where the output is within reach, in an order of states not among those tried
    if (
      end &&
      !(contradicted && end.operation.cells.control!.toOutput === 0) &&
      (!nearest || miss(end) < miss(nearest))
    )
      nearest = end;
  }
  return nearest;
}

/** Both legs' duties of a solved state: the control switch's, and a boost leg's where there is one. */
export function dutiesOf(state: SteadyState): { duty: number; boostDuty: number | undefined } {
  const { operation, duty } = state;
  if (operation.transition) {
    const { transition } = operation;
    return transition.open === 'duty'
      ? { duty, boostDuty: transition.boostDuty }
      : { duty: transition.duty, boostDuty: duty };
  }
  if (operation.dutyOf === 'boostControl') return { duty: 1, boostDuty: duty };
  return { duty, boostDuty: operation.region ? 0 : undefined };
}

function findIn(
  operation: Operation,
  network: Network,
  clocking: Clocking,
  target: number,
): SteadyState | 'contradicted' | undefined {
  const period = 1 / operation.conditions.switchingFrequency;
  let contradicted = false;
  for (const pattern of patternsFor(operation, clocking, period)) {
    const found = solvePattern(network, pattern, period, target);
    if (!found) continue;
    const blocks = clocking.rectifies && !clocking.critical?.valley;
    if (!pattern.holds(found.periodic) || (network.circuit.coupling && !diodesAgree(found.periodic, blocks))) {
      contradicted = true;
      continue;
    }
    return { periodic: found.periodic, operation, mode: pattern.mode, duty: found.duty, outOfReach: false };
  }
  if (contradicted || network.circuit.coupling) {
    const followed = followedState(operation, network, clocking, target);
    if (followed) return followed;
  }
  return contradicted ? 'contradicted' : undefined;
}

const GOLDEN = (Math.sqrt(5) - 1) / 2;

/** The nearest that a stage comes to an output it cannot give. */
function atTheEnd(operation: Operation, network: Network, clocking: Clocking, target: number): SteadyState | undefined {
  const period = 1 / operation.conditions.switchingFrequency;
  const { control, rectifier } = operation.cells;
  const at = (duty: number): Periodic | undefined => {
    const steps: Step[] = [];
    if (duty > 0) steps.push({ cell: 'control', duration: duty * period });
    if (duty < 1) steps.push({ cell: 'rectifier', duration: (1 - duty) * period });
    return periodicState(network, steps, period);
  };
  const state = (periodic: Periodic | undefined, duty: number): SteadyState | undefined =>
    periodic && Number.isFinite(periodic.averageOutput)
      ? { periodic, operation, mode: 'CCM', duty, outOfReach: true }
      : undefined;
  if (control!.toOutput === 1) {
    const periodic = at(1);
    if (periodic && periodic.averageOutput < target) return state(periodic, 1);
    // between always on and the longest on-time that dead times leave lies an output it cannot hold
    const dead = Math.min(operation.conditions.deadTime, period * LONGEST_DEAD_SHARE);
    const longest = period - 2 * dead;
    const below =
      dead > 0 &&
      periodicState(
        network,
        [
          { cell: 'control', duration: longest },
          { cell: 'deadForward', duration: 2 * dead },
        ],
        period,
      );
    return below && below.averageOutput < target ? state(below, longest / period) : undefined;
  }
  if (rectifier!.fromInput === 1) {
    const passing = at(0);
    if (passing && passing.averageOutput > target) return state(passing, 0);
  }
  // the ratio rises to its collapse and falls: the highest output within the controller's reach
  let low = 0;
  let high = Math.min(clocking.maximumDuty, 0.9999);
  const output = (duty: number): number => at(duty)?.averageOutput ?? -Infinity;
  let left = high - GOLDEN * (high - low);
  let right = low + GOLDEN * (high - low);
  let atLeft = output(left);
  let atRight = output(right);
  for (let i = 0; i < 30; i += 1) {
    if (atLeft > atRight) {
      high = right;
      right = left;
      atRight = atLeft;
      left = high - GOLDEN * (high - low);
      atLeft = output(left);
    } else {
      low = left;
      left = right;
      atLeft = atRight;
      right = low + GOLDEN * (high - low);
      atRight = output(right);
    }
  }
  const best = (low + high) / 2;
  return state(at(best), best);
}

/** Newton's method with a Jacobian by differences, kept up by Broyden's update; at most three unknowns. */
export function solvePattern(
  network: Network,
  pattern: Pattern,
  nominal: number,
  target: number,
): { periodic: Periodic; duty: number } | undefined {
  const count = pattern.start.length;
  const currentScale = Math.max(1e-9, (target * nominal) / network.circuit.inductance);
  let unknowns = pattern.start.slice();
  const orbit = new Orbit(network);
  /** the unknowns whose state the orbit holds */
  let held: readonly number[] | undefined;
  let evaluated: number[] | undefined = evaluate(unknowns);
  let jacobian: number[][] | undefined = pattern.slope === undefined ? undefined : [[pattern.slope]];
  // a stiff or hardly damped network leaves a floor of rounding above the tolerance: then the best found counts
  let best: { size: number; unknowns: number[] } | undefined;
  let sinceBest = 0;
  const found = (): { periodic: Periodic; duty: number } | undefined =>
    best && (held === best.unknowns || evaluate(best.unknowns))
      ? { periodic: orbit.periodic(), duty: dutyAt(best.unknowns) }
      : undefined;
  const settled = (): { periodic: Periodic; duty: number } | undefined =>
    best && best.size < SMALL ? found() : undefined;
  for (let iteration = 0; iteration < MOST_ITERATIONS; iteration += 1) {
    if (!evaluated) return settled();
    const residuals: number[] = evaluated;
    const size = residuals.reduce((largest, r) => Math.max(largest, Math.abs(r)), 0);
    const improves = !best || size < best.size;
    sinceBest = improves ? 0 : sinceBest + 1;
    if (improves) best = { size, unknowns };
    if (size < TOLERANCE || (sinceBest >= 2 && best!.size < SMALL)) return found();
    if (sinceBest >= 3) jacobian = undefined; // the update has lost its way
    jacobian ??= differences(unknowns, residuals);
    if (!jacobian) return settled();
    const step = solveLinear(
      count,
      jacobian.flat(),
      residuals.map((r) => -r),
    );
    if (!step) return settled();
    const previous: { unknowns: number[]; residuals: number[] } = { unknowns, residuals };
    let shrink = 1;
    let next: number[] | undefined;
    let tried: number[];
    do {
      tried = previous.unknowns.map((u, i) => u + shrink * step[i]!);
      next = evaluate(tried);
      shrink /= 2;
    } while (!next && shrink > 1e-3);
    if (!next) return settled();
    jacobian = shrink === 0.5 ? broyden(jacobian, previous, tried, next) : undefined;
    const moved = tried.some((u, i) => Math.abs(u - previous.unknowns[i]!) > 1e-15 * Math.max(1e-3, Math.abs(u)));
    unknowns = tried;
    evaluated = next;
    if (!moved) return settled();
  }
  return settled();

  function dutyAt(at: readonly number[]): number {
    return pattern.duty ? pattern.duty(at) : at[0]!;
  }

  /** Residuals at some unknowns, whose state the orbit then holds; undefined where there is none. */
  function evaluate(at: readonly number[]): number[] | undefined {
    held = at;
    const period = pattern.period ? pattern.period(at) : nominal;
    if (!(period > 0)) return undefined;
    const steps = pattern.steps(at);
    for (const { duration } of steps) if (!(duration >= 0) || duration > period * (1 + 1e-9)) return undefined;
    if (!orbit.find(steps, period)) return undefined;
    const residuals = [orbit.averageOutput / target - 1];
    for (const { step, level } of pattern.events) residuals.push((orbit.currentAtStepEnd(step) - level) / currentScale);
    return residuals.every((r) => Number.isFinite(r)) ? residuals : undefined;
  }

  function differences(at: readonly number[], residuals: readonly number[]): number[][] | undefined {
    const columns: number[][] = [];
    for (let j = 0; j < count; j += 1) {
      const size = Math.max(1e-9, Math.abs(at[j]!) * 1e-6);
      let change = size;
      let other = evaluate(at.map((u, i) => (i === j ? u + change : u)));
      if (!other) {
        change = -size;
        other = evaluate(at.map((u, i) => (i === j ? u + change : u)));
      }
      if (!other) return undefined;
      columns.push(other.map((r, i) => (r - residuals[i]!) / change));
    }
    return residuals.map((_, i) => columns.map((column) => column[i]!));
  }
}

function broyden(
  jacobian: number[][],
  previous: { unknowns: number[]; residuals: number[] },
  unknowns: readonly number[],
  residuals: readonly number[],
): number[][] {
  const s = unknowns.map((u, i) => u - previous.unknowns[i]!);
  const length = s.reduce((sum, value) => sum + value * value, 0);
  if (!(length > 0)) return jacobian;
  return jacobian.map((row, i) => {
    const predicted = row.reduce((sum, value, k) => sum + value * s[k]!, 0);
    const error = residuals[i]! - previous.residuals[i]! - predicted;
    return row.map((value, k) => value + (error * s[k]!) / length);
  });
}
