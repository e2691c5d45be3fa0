import type { Cells } from '../../network/circuit.ts';
import { bendOf, FINE, finestFor, ROUGH } from '../../network/saturating.ts';
import { Network } from '../../network/network.ts';
import { periodicState, type Periodic, type Step } from '../../network/periodic.ts';
import { diodesAgree } from '../../network/diodes.ts';
import type { Operation } from '../../topology/index.ts';
import { followedState } from './followed.ts';
import { patternsFor, type SteadyState } from './patterns.ts';
import { LONGEST_DEAD_SHARE, type Clocking } from '../../topology/ofDesign.ts';
import { solvePattern } from './search.ts';

/**
 * Finds the duty (and the moments at which currents stop) that make the average output equal `target`.
 * @param operations ways of running the stage, the likeliest first
 * @param networkOf the stage's network in one of them
 * @param target V
 * @param near a state of nearly the same circuit, to start from where that saves a search
 */
export function findSteadyState(
  operations: readonly Operation[],
  networkOf: (cells: Cells) => Network,
  clocking: Clocking,
  target: number,
  near?: SteadyState,
): SteadyState | undefined {
  let unwanted: SteadyState | undefined;
  let contradicted = false;
  for (const operation of operations) {
    const network = networkOf(operation.cells);
    if (near && network.circuit.curve && sameWay(near.operation, operation)) {
      const followed = bentState(operation, network, clocking, target, near);
      if (followed) return followed;
    }
    const found = findIn(operation, network, clocking, target);
    if (found === 'contradicted') contradicted = true;
    else if (found) {
      if (!operation.accepts || operation.accepts(found.duty)) return found;
      unwanted ??= found;
    }
  }
  if (unwanted) return unwanted;
  for (const operation of operations) {
    const network = near && networkOf(operation.cells);
    if (!near || !network?.circuit.coupling || !sameWay(near.operation, operation)) continue;
    const followed = followedState(operation, network, clocking, target, near);
    if (followed) return followed;
  }
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
    const state = { periodic: found.periodic, operation, mode: pattern.mode, duty: found.duty, outOfReach: false };
    return network.circuit.curve ? bentState(operation, network, clocking, target, state) : state;
  }
  if (contradicted || network.circuit.coupling) {
    const followed = followedState(operation, network, clocking, target);
    if (followed) return followed;
  }
  return contradicted ? 'contradicted' : undefined;
}

function sameWay(a: Operation, b: Operation): boolean {
  return a.region === b.region && !a.transition && !b.transition;
}

/** The state with the inductance bent over the current, from one of a like circuit: its swing says how fine the steps are. */
function bentState(
  operation: Operation,
  network: Network,
  clocking: Clocking,
  target: number,
  near: SteadyState,
): SteadyState | undefined {
  let [low, high] = [Infinity, -Infinity];
  for (const { initial, final } of near.periodic.intervals)
    for (let phase = 0; phase < network.circuit.phases; phase += 1) {
      low = Math.min(low, initial[phase]!, final[phase]!);
      high = Math.max(high, initial[phase]!, final[phase]!);
    }
  const { curve, roughly } = network.circuit;
  const fineness = roughly ? ROUGH : { apart: FINE, finest: finestFor(network.size) };
  const bent = new Network({ ...network.circuit, bend: bendOf(curve!, high - low, fineness) });
  return clocking.critical
    ? criticalState(operation, bent, clocking, target, near)
    : followedState(operation, bent, clocking, target, near);
}

/** Part of the wanted current within which a period's least current has reached it, and the secant's steps towards it. */
const REACHED = 1e-9;
const MOST_SECANTS = 25;

/**
 * Critical conduction followed: the fixed frequency at which the current just comes back to −valley, by secants over the
 * period. The rectifier lets the current through zero meanwhile, as it does on the way.
 */
function criticalState(
  operation: Operation,
  network: Network,
  clocking: Clocking,
  target: number,
  near: SteadyState,
): SteadyState | undefined {
  const { valley } = clocking.critical!;
  const forced: Clocking = { rectifies: false, maximumDuty: clocking.maximumDuty };
  const at = (period: number, from: SteadyState) => {
    const fixed = { ...operation, conditions: { ...operation.conditions, switchingFrequency: 1 / period } };
    const state = followedState(fixed, network, forced, target, from);
    if (!state) return undefined;
    // the rectifier ends as the current reaches the valley: within the dead time after it nothing goes further
    const { phases } = network.circuit;
    const currents = state.periodic.intervals.flatMap(({ initial }) => initial.slice(0, phases));
    return { period, state, miss: Math.min(...currents) + valley, peak: Math.max(...currents) };
  };
  let before = at(near.periodic.period, near);
  // what the ripple lacks of its share, the period lacks about
  const swing = before && before.peak + valley;
  let now = before && swing && at(before.period * (1 + before.miss / swing), before.state);
  for (let round = 0; before && now && round < MOST_SECANTS; round += 1) {
    if (Math.abs(now.miss) <= REACHED * (now.peak + valley))
      return { ...now.state, operation, mode: 'CRM', outOfReach: false };
    const step = (now.miss * (now.period - before.period)) / (now.miss - before.miss);
    const next = Math.max(now.period / 2, Math.min(now.period * 2, now.period - step));
    before = now;
    now = at(next, now.state);
  }
  return undefined;
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
