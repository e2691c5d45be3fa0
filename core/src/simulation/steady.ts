import { solveLinear, zeros, type Vector } from '../numbers/linear.ts';
import type { Amplifier } from './amplifier.ts';
import { Simulator } from './engine.ts';
import { SimulationError } from './modulator.ts';
import { Linearized } from './linearized.ts';
import type { OrbitStep } from './orbit.ts';
import { NONE, type Snapshot } from './phase.ts';
import type { Ready } from './setup.ts';

/** A simulator standing at the start of a period of its steady state. */
export interface Steady {
  simulator: Simulator;
  /** whether one period closes on itself; else what repeats over many, if anything does */
  periodic: boolean;
  /** whether nothing switches any more and no state moves */
  rests?: true;
  /** s, of one repeat: clock periods, or between pulses of phase 1 */
  period: number;
  /** largest magnitude to which a disturbance grows in one period, of the map's derivative; undefined where it was not found */
  growth: number | undefined;
  /** the period's steps, in which small changes can be carried; where it closes on itself */
  linearized: Linearized | undefined;
}

/** Part of a state's own size that counts as closed. */
const CLOSED = 1e-9;
const ROUNDING = 1e-13;
/** Times its own size that a step of Newton's method may move a state. */
const FARTHEST = 1e4;
const ROUNDS = 16;
/** Part of a state's own size by which a first period may miss, and how many that miss by more are passed by. */
const FAR = 0.5;
const ASTRAY = 4;
/** Periods within which the next pulse has to come: near no load there are thousands between two. */
export const PATIENCE = 30_000;
/** Part of the last miss below which a step of Newton's method need not know its derivative anew. */
const KEPT = 1e-2;
/** Periods that a stage is run for where Newton's method does not settle it, and their repetitions. */
const SETTLE = 200;
const MOST_SETTLES = 10;
/** Growth past which a periodic state that exists is not the one a stage stays in. */
const UNSTABLE = 1 + 1e-9;

/** Puts a simulator at its steady state: by Newton's method on the map over one period, from the stage's own solution. */
export function steadyState(ready: Ready): Steady {
  const { simulator, start } = startOf(ready);
  return close(simulator, start) ?? settled(simulator, start);
}

/** The period that closes on itself, also where the stage would not stay in it; undefined where none is found. */
export function periodicState(ready: Ready): Steady | undefined {
  const { simulator, start } = startOf(ready);
  return close(simulator, start, Infinity);
}

function startOf(ready: Ready): { simulator: Simulator; start: Snapshot } {
  const { setup, solved, controlVoltage } = ready;
  const simulator = new Simulator(setup);
  simulator.moves = false;
  const { state, point } = solved;
  const initial = state?.periodic.intervals[0]?.initial;
  if (initial && initial.length === simulator.places.states + 1)
    for (let k = 0; k < simulator.places.states; k += 1) simulator.state[k] = initial[k]!;
  else if (initial) {
    // another numbering of the same circuit: the load's part may be a state here and not there
    const at = simulator.state;
    for (let k = 0; k < setup.phases; k += 1) at[k] = initial[k]!;
    fillAtRest(simulator, setup.target);
  } else fillAtRest(simulator, setup.target);
  // of the leg that the controller moves
  const duty = state?.duty ?? 0;
  const control = controlVoltage(duty, point?.inductorCurrent ?? { peak: 0, average: 0 });
  simulator.setReference(setup.held ? control : setup.modulator.reference);
  const { modulator } = setup;
  const { digital } = modulator;
  if (modulator.critical && simulator.memory.length > 0 && point) simulator.memory[0] = 1 / point.switchingFrequency;
  if (digital) {
    const past = digital.denominator.length - 1;
    for (let k = 0; k < past; k += 1) simulator.memory[k] = duty;
    simulator.memory[simulator.memory.length - 1] = setup.target;
  }
  const { amplifier, currentAmplifier } = setup;
  const filters = modulator.senseFilter > 0;
  if (amplifier || currentAmplifier || filters) {
    simulator.setAmplifier([
      ...(amplifier?.rest(setup.target, modulator.reference, control) ?? []),
      ...(currentAmplifier ? currentAmplifiersAt(ready, currentAmplifier, control, simulator.state) : []),
      ...(filters ? simulator.state.slice(0, setup.phases).map((current) => modulator.currentSenseGain * current) : []),
    ]);
  } else if (setup.injection) {
    // x stands at the node's average, which is the output's but for the winding's drop
    const tap = setup.target * setup.tapRatio;
    simulator.setAmplifier([0, setup.target - tap]);
  }
  simulator.begin(state?.periodic.intervals[0]?.configuration.cells ?? []);
  return { simulator, start: simulator.snapshot() };
}

/** Each current amplifier's states at phase 1's clock: as its phase's pulse ends it has fallen to the ramp. */
function currentAmplifiersAt(
  { setup: { modulator, phases }, solved: { state, point } }: Ready,
  amplifier: Amplifier,
  control: number,
  at: Vector,
): number[] {
  const ramp = (state?.duty ?? 0) * modulator.rampAmplitude;
  const { peak, average } = point?.inductorCurrent ?? { peak: 0, average: 0 };
  return Array.from({ length: phases }, (_, k) => {
    const above = (current: number): number => ramp + amplifier.passes * modulator.currentSenseGain * (peak - current);
    return amplifier.rest(control, control, above(at[k]!), above(average));
  }).flat();
}

function fillAtRest(simulator: Simulator, output: number): void {
  const { network } = simulator;
  const rest = network.stateAt(output, 0);
  for (let k = network.circuit.phases; k < simulator.places.states; k += 1) simulator.state[k] = rest[k]!;
}

/** One period from a start; where a pulse of phase 1 ends it, until that. */
function oncePeriod(simulator: Simulator, from: Snapshot): { end: Snapshot; length: number; linearized: Linearized } {
  const { setup } = simulator;
  simulator.restore(from);
  const orbit: OrbitStep[] = [];
  simulator.orbit = orbit;
  const begin = simulator.time;
  if (!setup.modulator.clocked) {
    simulator.run(begin + PATIENCE * setup.period, undefined, true);
    if (simulator.atRest || simulator.time >= begin + PATIENCE * setup.period)
      throw new SimulationError(`No pulse comes within ${PATIENCE} periods.`);
  } else simulator.run(begin + setup.period);
  simulator.orbit = undefined;
  const length = simulator.time - begin;
  simulator.rebase(length);
  return { end: simulator.snapshot(), length, linearized: new Linearized(simulator, orbit) };
}

/** The numbers of a snapshot that a period carries on: states, and a digital controller's memory. */
function vectorOf(simulator: Simulator, { state, memory }: Snapshot): Vector {
  const own = state.slice(0, simulator.places.states);
  return [...own, ...state.slice(simulator.places.firstOwn, simulator.places.one), ...memory];
}

function withVector(simulator: Simulator, from: Snapshot, vector: Vector): Snapshot {
  const state = from.state.slice();
  for (let k = 0; k < simulator.places.states; k += 1) state[k] = vector[k]!;
  const own = simulator.places.one - simulator.places.firstOwn;
  for (let k = 0; k < own; k += 1) state[simulator.places.firstOwn + k] = vector[simulator.places.states + k]!;
  const memory = vector.slice(simulator.places.states + own);
  return { ...from, state, memory };
}

/** The derivative of the map from a period's start to its end, of states and memory; from pulse to pulse where pulses end it. */
function derivativeOf(simulator: Simulator, linearized: Linearized): Vector {
  const { places, setup, memory } = simulator;
  const own = [...range(0, places.states), ...range(places.firstOwn, places.one)];
  const kept = [...own, ...range(places.size, places.size + memory.length)];
  const n = kept.length;
  const derivative = zeros(n * n);
  const slopes = !setup.modulator.clocked ? linearized.lastSlopes : undefined;
  kept.forEach((place, column) => {
    const change = zeros(linearized.count);
    change[place] = 1;
    linearized.carry(change);
    // at the pulse's own time, not at that of the pulse it came from
    const late = slopes ? change[places.size + memory.length + simulator.timers.since(0)]! : 0;
    kept.forEach((row, i) => {
      derivative[i * n + column] = change[row]! + (slopes && row < places.size ? slopes[row]! * late : 0);
    });
  });
  return derivative;
}

const range = (from: number, to: number): number[] => Array.from({ length: to - from }, (_, k) => from + k);

function close(simulator: Simulator, start: Snapshot, mostGrowth = UNSTABLE): Steady | undefined {
  const { setup } = simulator;
  const current = Math.max(1e-3, setup.target / 100, ...start.state.slice(0, setup.phases).map(Math.abs));
  const { places } = simulator;
  const remembered = places.states + places.one - places.firstOwn;
  const scaleAt = (k: number): number =>
    k < setup.phases ? current : setup.modulator.critical && k >= remembered ? setup.period : setup.target;
  let from = start;
  let closest = Infinity;
  let derivative: Vector | undefined;
  try {
    for (let round = 0; round < ROUNDS; round += 1) {
      const at = vectorOf(simulator, from);
      const { end, length, linearized } = oncePeriod(simulator, from);
      const reached = vectorOf(simulator, end);
      const n = at.length;
      const miss = reached.map((value, k) => value - at[k]!);
      const worst = miss.reduce((most, value, k) => Math.max(most, Math.abs(value) / scaleAt(k)), 0);
      // as near as rounding lets it come
      if (worst < CLOSED && (worst < ROUNDING || worst > closest / 2)) {
        // pulses that are limited one after another are counted, the count ends in a pause, and a pause ends too
        const counts = end.phases.some(({ limitedInRow }, k) => limitedInRow > from.phases[k]!.limitedInRow);
        if (setup.modulator.hiccup && (counts || end.restUntil !== NONE)) return undefined;
        const growth = growthOf(n, derivativeOf(simulator, linearized));
        if (growth > mostGrowth) return undefined;
        simulator.restore(from);
        return { simulator, periodic: true, period: length, growth, linearized };
      }
      // without a clock a start may bring another pulse at once, and says nothing of the period: on from its end
      if (!setup.modulator.clocked && round < ASTRAY && worst > FAR) {
        from = end;
        continue;
      }
      // near the end the last derivative still leads there, and costs nothing
      if (!derivative || worst > KEPT * closest) derivative = derivativeOf(simulator, linearized);
      closest = worst;
      const left = derivative.map((value, at) => (at % (n + 1) === 0 ? 1 : 0) - value);
      const step = solveLinear(n, left, miss);
      // begun within a pause, a period has no way back to its start: on from its end
      if (!step) {
        from = end;
        derivative = undefined;
        continue;
      }
      // a step out of all proportion leads nowhere
      if (!step.every((value, k) => Math.abs(value) < FARTHEST * scaleAt(k))) return undefined;
      from = withVector(
        simulator,
        // what the load draws goes with the band that the end stands in
        { ...end, memory: from.memory },
        at.map((value, k) => value + step[k]!),
      );
    }
  } catch (error) {
    if (!(error instanceof SimulationError)) throw error;
    simulator.orbit = undefined;
  }
  return undefined;
}

/** Of the map: what states of unlike units add to its size is then less than rounding. */
const SQUARINGS = 40;

/** The size to which the map's powers grow, a step: its largest eigenvalue's magnitude. */
function growthOf(n: number, derivative: Vector): number {
  let power = derivative.slice();
  let log = 0;
  let times = 1;
  for (let k = 0; k < SQUARINGS; k += 1) {
    const next = zeros(n * n);
    for (let i = 0; i < n; i += 1)
      for (let j = 0; j < n; j += 1) {
        let sum = 0;
        for (let m = 0; m < n; m += 1) sum += power[i * n + m]! * power[m * n + j]!;
        next[i * n + j] = sum;
      }
    const size = Math.max(1e-300, ...next.map(Math.abs));
    power = next.map((value) => value / size);
    log = 2 * log + Math.log(size);
    times *= 2;
  }
  return Math.exp(log / times);
}

/** Where no period closes stably: run until one does, or as long as one may. */
function settled(simulator: Simulator, start: Snapshot): Steady {
  const { setup } = simulator;
  const wanders = { simulator, periodic: false, period: setup.period, growth: undefined, linearized: undefined };
  simulator.restore(start);
  for (let times = 0; times < MOST_SETTLES; times += 1) {
    for (let k = 0; k < SETTLE; k += 1) {
      const begin = simulator.time;
      if (!setup.modulator.clocked) {
        simulator.run(begin + 100 * setup.period, undefined, true);
        simulator.rebase(simulator.time - begin);
        if (simulator.atRest) return { ...wanders, rests: true };
      } else {
        simulator.run(begin + setup.period);
        simulator.rebase(simulator.time - begin);
      }
    }
    if (times === 2 || times === 8) {
      const here = simulator.snapshot();
      const closed = close(simulator, here);
      if (closed) return closed;
      simulator.restore(here);
    }
  }
  return wanders;
}
