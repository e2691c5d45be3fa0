import type { CellName } from './circuit.ts';
import type { Configuration, Network } from './network.ts';
import {
  applyInto,
  dot,
  multiplyInto,
  propagateInto,
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

/** Room for one interval of the repeating part, used again in each evaluation. */
interface Slot extends Propagator {
  start: number;
  duration: number;
  cells: CellName[];
  configuration: Configuration | undefined;
  /** what the propagator was made for: dead times keep their length while the duty is sought */
  madeFor: Configuration | undefined;
  madeDuration: number;
  /** how the phases' shares in the output node's feed change where the interval begins, and whether they do */
  change: Vector;
  changes: boolean;
  initial: Vector;
  final: Vector;
  integral: Vector;
}

/**
 * Finds the periodic steady state for given steps of each phase, over and over while a duty is sought, in storage made
 * once for each network. The map over the repeating part is affine, z → Pᵀ Φ z, and its fixed point is one linear solve.
 */
export class Orbit {
  readonly network: Network;
  /** V, of the last steps given; NaN where they have no periodic state */
  averageOutput = Number.NaN;
  private period = 0;
  private steps: readonly Step[] = [];
  private count = 0;
  private readonly slots: Slot[] = [];
  private readonly edges: number[] = [];
  private readonly cuts: number[] = [];
  private map: Vector;
  private spare: Vector;
  private readonly left: Vector;
  private readonly right: Vector;

  constructor(network: Network) {
    const n = network.size;
    this.network = network;
    this.map = zeros(n * n);
    this.spare = zeros(n * n);
    this.left = zeros((n - 1) ** 2);
    this.right = zeros(n - 1);
  }

  /** @returns false when no unique periodic state exists (a stage that winds up without bound) */
  find(steps: readonly Step[], period: number): boolean {
    const { network } = this;
    const n = network.size;
    this.steps = steps;
    this.period = period;
    this.averageOutput = Number.NaN;
    this.cut();
    if (this.count === 0) return false;
    for (let i = 0; i < this.count; i += 1) this.prepare(i);
    if (!this.close()) return false;
    let area = 0;
    for (let i = 0; i < this.count; i += 1) {
      const slot = this.slots[i]!;
      const { initial, final, integral, phi, psi, configuration } = slot;
      const from = i === 0 ? this.right : this.slots[i - 1]!.final;
      for (let k = 0; k < n - 1; k += 1) initial[k] = from[k]!;
      initial[n - 1] = 1;
      for (let phase = 0; phase < slot.cells.length; phase += 1)
        if (network.cell(slot.cells[phase]!).blocked) initial[phase] = 0;
      if (slot.changes) applyStep(network, slot.change, initial);
      applyInto(n, phi, initial, final);
      applyInto(n, psi, initial, integral);
      area += dot(n, configuration!.sensedVoltage, integral);
    }
    this.averageOutput = (area * network.circuit.phases) / period;
    return true;
  }

  /** What each phase does over the repeating part, cut wherever any of them switches. */
  private cut(): void {
    const { steps, period, edges, cuts } = this;
    const { phases } = this.network.circuit;
    const repeat = period / phases;
    const least = period * LEAST;
    let time = 0;
    cuts.length = 0;
    for (let i = 0; i < steps.length; i += 1) {
      edges[i] = time;
      cuts.push(time % repeat);
      time += steps[i]!.duration;
    }
    cuts.push(0, repeat);
    cuts.sort(ascending);
    this.count = 0;
    for (let i = 0; i + 1 < cuts.length; i += 1) {
      const start = cuts[i]!;
      const duration = cuts[i + 1]! - start;
      if (duration <= least) continue;
      const slot = this.slot(this.count);
      this.count += 1;
      slot.start = start;
      slot.duration = duration;
      const middle = start + duration / 2;
      for (let phase = 0; phase < phases; phase += 1) {
        const at = middle + phaseAt(0, phase, phases) * repeat;
        let index = steps.length - 1;
        while (index > 0 && edges[index]! > at) index -= 1;
        const name = steps[index]!.cell;
        if (slot.cells[phase] !== name) slot.configuration = undefined;
        slot.cells[phase] = name;
      }
      slot.configuration ??= this.network.configuration(slot.cells);
    }
  }

  private slot(i: number): Slot {
    const n = this.network.size;
    return (this.slots[i] ??= {
      start: 0,
      duration: 0,
      cells: [],
      configuration: undefined,
      phi: zeros(n * n),
      psi: zeros(n * n),
      madeFor: undefined,
      madeDuration: 0,
      change: zeros(this.network.circuit.phases),
      changes: false,
      initial: zeros(n),
      final: zeros(n),
      integral: zeros(n),
    });
  }

  /** The interval's propagator, and its step of the feed. */
  private prepare(i: number): void {
    const { network, slots, period } = this;
    const n = network.size;
    const slot = slots[i]!;
    const configuration = slot.configuration!;
    const least = period * LEAST;
    if (!isMadeFor(slot, configuration, slot.duration, least)) {
      let twin = 0;
      while (twin < i && !isMadeFor(slots[twin]!, configuration, slot.duration, least)) twin += 1;
      if (twin < i) {
        const other = slots[twin]!;
        for (let k = 0; k < n * n; k += 1) {
          slot.phi[k] = other.phi[k]!;
          slot.psi[k] = other.psi[k]!;
        }
      } else {
        propagateInto(n, configuration.matrix, slot.duration, configuration.norm, slot);
        projectIdle(network, configuration, slot);
      }
      slot.madeFor = configuration;
      slot.madeDuration = slot.duration;
    }
    slot.changes = false;
    if (network.stepShares.length === 0) return;
    const { phases } = network.circuit;
    const before = slots[i > 0 ? i - 1 : this.count - 1]!.cells;
    for (let phase = 0; phase < phases; phase += 1) {
      // the repeating part begins where the last one ended, with the phases renumbered
      const last = before[i > 0 ? phase : (phase + 1) % phases]!;
      slot.change[phase] = network.cell(slot.cells[phase]!).toOutput - network.cell(last).toOutput;
      if (slot.change[phase] !== 0) slot.changes = true;
    }
  }

  /** z(0) = Pᵀ z(repeat), into `right`: phase k starts as phase k+1 ends (the last as the first). */
  private close(): boolean {
    const { network, left, right } = this;
    const n = network.size;
    const m = n - 1;
    const { phases } = network.circuit;
    for (let k = 0; k < n * n; k += 1) this.map[k] = k % (n + 1) === 0 ? 1 : 0;
    for (let i = 0; i < this.count; i += 1) {
      const slot = this.slots[i]!;
      if (slot.changes) stepColumns(network, slot.change, this.map);
      multiplyInto(n, slot.phi, this.map, this.spare);
      const held = this.map;
      this.map = this.spare;
      this.spare = held;
    }
    for (let i = 0; i < m; i += 1) {
      const source = i < phases ? (i + 1) % phases : i;
      for (let k = 0; k < m; k += 1) left[i * m + k] = (i === k ? 1 : 0) - this.map[source * n + k]!;
      right[i] = this.map[source * n + m]!;
    }
    if (!solveLinear(m, left, right)) return false;
    for (let i = 0; i < m; i += 1) if (!Number.isFinite(right[i]!)) return false;
    return true;
  }

  /** Current of phase 1 (A) at the end of its step `index`, as it arrives there. */
  currentAtStepEnd(index: number): number {
    const { phases } = this.network.circuit;
    let time = 0;
    for (let i = 0; i <= index; i += 1) time += this.steps[i]!.duration;
    const part = Math.min(phases - 1, Math.floor((time / this.period) * phases * (1 - 1e-12)));
    const local = time - (part * this.period) / phases;
    let best = this.slots[0]!;
    for (let i = 1; i < this.count; i += 1) {
      const slot = this.slots[i]!;
      if (Math.abs(slot.start + slot.duration - local) < Math.abs(best.start + best.duration - local)) best = slot;
    }
    return best.final[phaseAt(0, part, phases)]!;
  }

  /** What was found last, to keep. */
  periodic(): Periodic {
    const { network, period, steps } = this;
    const intervals = this.slots
      .slice(0, this.count)
      .map(({ configuration, start, duration, initial, final, integral }): Interval => ({
        configuration: configuration!,
        start,
        duration,
        initial: initial.slice(),
        final: final.slice(),
        integral: integral.slice(),
      }));
    const repeat = period / network.circuit.phases;
    const kept = steps.map(({ cell, duration }) => ({ cell, duration }));
    return { network, period, repeat, steps: kept, intervals, averageOutput: this.averageOutput };
  }
}

function isMadeFor(slot: Slot, configuration: Configuration, duration: number, least: number): boolean {
  return slot.madeFor === configuration && Math.abs(slot.madeDuration - duration) <= least;
}

const ascending = (a: number, b: number): number => a - b;

/** The periodic state for one set of steps; undefined when there is none. */
export function periodicState(network: Network, steps: readonly Step[], period: number): Periodic | undefined {
  const orbit = new Orbit(network);
  return orbit.find(steps, period) ? orbit.periodic() : undefined;
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
