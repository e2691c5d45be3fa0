import { transition, zeros, type Vector } from '../numbers/linear.ts';
import { Resolvent } from '../numbers/resolvent.ts';
import type { Simulator } from './engine.ts';
import { DigitalMemory } from './modulator.ts';
import type { OrbitStep, Timing } from './orbit.ts';
import { along } from './rows.ts';

/*
 * Small changes carried through a run that is known step by step: the exact derivative of the map over a period, and what
 * a small sine does to a periodic state. A change is a vector of the state's, the digital controller's memory's and the
 * remembered moments' changes, one after another.
 */

/** A run's steps with what they need to carry changes. */
export class Linearized {
  readonly size: number;
  readonly memory: number;
  readonly timers: number;
  /** places of a change: state, memory, timers */
  readonly count: number;
  private readonly steps: readonly OrbitStep[];
  private readonly simulator: Simulator;
  private readonly digital: DigitalMemory | undefined;
  /** of the steps that carry, over the own states */
  private readonly maps: Vector[] = [];
  private readonly spare: Vector;
  /** places of a change that are free: not the drives' and not the constant's; and those among the states */
  readonly free: readonly number[];
  private readonly own: readonly number[];
  /** of the steps that carry, their modes' flows */
  private readonly flowOf: Flow[] = [];
  private readonly flows: Flow[] = [];
  /** (e^jωT − M)⁻¹ of the run's map */
  private around: Resolvent | undefined;
  private readonly cosines: Vector = [];
  private readonly sines: Vector = [];
  private readonly ringRe: Vector;
  private readonly ringIm: Vector;

  constructor(simulator: Simulator, steps: readonly OrbitStep[]) {
    const { setup, places, timers } = simulator;
    this.simulator = simulator;
    this.steps = steps;
    this.size = places.size;
    this.memory = simulator.memory.length;
    this.timers = timers.count;
    this.count = this.size + this.memory + this.timers;
    this.spare = zeros(this.size);
    const { modulator } = setup;
    this.digital = modulator.digital && new DigitalMemory(modulator.digital, setup.target, modulator.maximumDuty);
    const { states, firstOwn, one, quadrature } = places;
    this.free = Array.from({ length: this.count }, (_, k) => k).filter(
      (k) => (k < states || k >= firstOwn) && k !== one && k !== quadrature,
    );
    this.own = this.free.filter((k) => k < this.size);
    this.ringRe = zeros(this.own.length);
    this.ringIm = zeros(this.own.length);
  }

  /** e^(At) of the own states over a step that carries; made when it is asked for. */
  private mapOf(at: number, { mode: { motion }, length }: Carry): Vector {
    return (this.maps[at] ??= transition(this.own.length, blockOf(motion, this.own), length, motion.norm));
  }

  /** Every mode's flow and (e^jωT − M)⁻¹: what only a small sine asks for, made once. */
  private madeReady(): Resolvent {
    if (this.around) return this.around;
    const { own } = this;
    const known = new Map<Mode, Flow>();
    this.steps.forEach((step, at) => {
      if (step.kind !== 'carry') return;
      let flow = known.get(step.mode);
      if (!flow) {
        known.set(step.mode, (flow = new Flow(step.mode, own)));
        this.flows.push(flow);
      }
      this.flowOf[at] = flow;
    });
    this.around = new Resolvent(this.free.length, this.freeMap());
    return this.around;
  }

  /** s by which a moment comes later for a change. */
  private delay(timing: Timing, change: Vector): number {
    const { size, memory } = this;
    const first = size + memory;
    switch (timing.kind) {
      case 'clock':
        return 0;
      case 'timer':
        return (
          change[first + timing.timer]! +
          (timing.duty === 0 ? 0 : timing.duty * change[first + this.simulator.timers.duty]!) +
          (timing.ofLast ? timing.ofLast * change[size]! : 0)
        );
      case 'watch': {
        const { row, rate, timer, rampRate } = timing;
        const risen = along(row, change) - (rampRate === 0 ? 0 : rampRate * change[first + timer]!);
        return -risen / rate;
      }
    }
  }

  /** Carries a change through one step, in place. @returns s by which an edge came later */
  private through(at: number, change: Vector): number {
    const step = this.steps[at]!;
    const { size, memory } = this;
    switch (step.kind) {
      case 'carry': {
        // no drive changes here: what a swinging one does is told apart
        const phi = this.mapOf(at, step);
        const { spare, own } = this;
        const n = own.length;
        for (let i = 0; i < n; i += 1) {
          let sum = 0;
          for (let k = 0; k < n; k += 1) sum += phi[i * n + k]! * change[own[k]!]!;
          spare[i] = sum;
        }
        for (let i = 0; i < n; i += 1) change[own[i]!] = spare[i]!;
        return 0;
      }
      case 'edge': {
        const late = this.delay(step.timing, change);
        if (late !== 0) for (let i = 0; i < size; i += 1) change[i]! += step.before[i]! * late;
        for (const jump of step.jumps) {
          if (jump.kind === 'rest') change[jump.phase] = 0;
          else {
            let sum = 0;
            for (let k = 0; k < jump.change.length; k += 1) sum += jump.change[k]! * change[k]!;
            for (const { state, share } of jump.shares) change[state]! += share * sum;
          }
        }
        if (late !== 0) for (let i = 0; i < size; i += 1) change[i]! -= step.after[i]! * late;
        if (step.measures) change[size] = late - change[size + memory + this.simulator.timers.since(0)]!;
        for (const timer of step.marks) change[size + memory + timer] = late;
        return late;
      }
      case 'sample':
        change[size + memory - 1] = along(step.row, change);
        return 0;
      case 'decide': {
        const own = change.slice(size, size + memory);
        const duty = this.digital!.nextChange(own, step.clamped);
        for (let k = 0; k < memory; k += 1) change[size + k] = own[k]!;
        change[size + memory + this.simulator.timers.duty] = duty;
        return 0;
      }
    }
  }

  /** Carries a change through the whole run, in place. */
  carry(change: Vector): Vector {
    for (let at = 0; at < this.steps.length; at += 1) this.through(at, change);
    return change;
  }

  /** Slopes of the state just after the last edge. */
  get lastSlopes(): Vector | undefined {
    for (let at = this.steps.length - 1; at >= 0; at -= 1) {
      const step = this.steps[at]!;
      if (step.kind === 'edge') return step.after;
    }
    return undefined;
  }

  /**
   * What a small sine on each of some drives does on this run, which closes on itself.
   * @param drives the states that swing, one at a time, by 1·e^jωt
   * @param period s, of the run
   * @param start s at which it begins
   * @returns for each the component at the same frequency of the output, in V, and of the current out of the input node, in A
   */
  responses(drives: readonly number[], frequency: number, period: number, start: number): Response[] {
    const speed = 2 * Math.PI * frequency;
    const { count, free } = this;
    const around = this.madeReady();
    this.turn(speed, start);
    for (const flow of this.flows) flow.ask(speed);
    around.factor([Math.cos(speed * period), Math.sin(speed * period)]);
    return drives.map((drive) => {
      for (const flow of this.flows) flow.force(drive);
      // over a period from rest, and what the map makes of a start: what repeats up to its phase
      const [re, im] = [zeros(count), zeros(count)];
      this.drivenThrough(drive, re, im);
      const xr = free.map((at) => re[at]!);
      const xi = free.map((at) => im[at]!);
      around.solve(xr, xi);
      re.fill(0);
      im.fill(0);
      free.forEach((at, i) => {
        re[at] = xr[i]!;
        im[at] = xi[i]!;
      });
      const sums = this.drivenThrough(drive, re, im);
      for (let k = 0; k < 6; k += 1) sums[k]! /= period;
      const output: [number, number] = [sums[0]!, sums[1]!];
      return { output, input: [sums[2]!, sums[3]!], sensed: this.flows[0]?.rows[2] ? [sums[4]!, sums[5]!] : output };
    });
  }

  private freeMap(): Vector {
    const { count, free } = this;
    const map = this.periodMap();
    return free.flatMap((row) => free.map((column) => map[row * count + column]!));
  }

  /** e^jωt where each step begins, and where the last ends. */
  private turn(speed: number, start: number): void {
    const { steps, cosines, sines } = this;
    let now = start;
    for (let at = 0; at <= steps.length; at += 1) {
      cosines[at] = Math.cos(speed * now);
      sines[at] = Math.sin(speed * now);
      const step = steps[at];
      if (step?.kind === 'carry') now += step.length;
    }
  }

  private known: Vector | undefined;
  /** The derivative of the run's map: count × count, columns of the drives and constants zero. */
  periodMap(): Vector {
    if (!this.known) {
      const { count } = this;
      this.known = zeros(count * count);
      for (const column of this.free) {
        const change = zeros(count);
        change[column] = 1;
        this.carry(change);
        for (let i = 0; i < count; i += 1) this.known[i * count + column] = change[i]!;
      }
    }
    return this.known;
  }

  /** Carries a complex change through the run while a drive swings; in place. @returns six sums over the run */
  private drivenThrough(drive: number, re: Vector, im: Vector): Vector {
    const sums = zeros(6);
    const { steps, cosines, sines } = this;
    for (let at = 0; at < steps.length; at += 1) {
      const step = steps[at]!;
      re[drive] = cosines[at]!;
      im[drive] = sines[at]!;
      if (step.kind === 'carry') {
        this.driven(at, step, re, im, sums);
        continue;
      }
      const lateRe = this.through(at, re);
      const lateIm = this.through(at, im);
      if (step.kind === 'edge' && (lateRe !== 0 || lateIm !== 0)) {
        // for so long the quantity still stands where it stood before the edge
        const [c, s] = [cosines[at]!, -sines[at]!];
        const wideRe = lateRe * c - lateIm * s;
        const wideIm = lateRe * s + lateIm * c;
        sums[0]! += step.outputDrop * wideRe;
        sums[1]! += step.outputDrop * wideIm;
        sums[2]! += step.inputDrop * wideRe;
        sums[3]! += step.inputDrop * wideIm;
        sums[4]! += step.beforeDrop * wideRe;
        sums[5]! += step.beforeDrop * wideIm;
      }
    }
    return sums;
  }

  /** Over a stretch, between the drive's turns at its ends; adds the components of output and input current to the sums. */
  private driven(at: number, step: Carry, re: Vector, im: Vector, sums: Vector): void {
    const { own, ringRe: zr, ringIm: zi, cosines, sines } = this;
    const { still, pr, pi, rows } = this.flowOf[at]!;
    const phi = this.mapOf(at, step);
    const { length } = step;
    const n = own.length;
    const [c0, s0, c1, s1] = [cosines[at]!, sines[at]!, cosines[at + 1]!, sines[at + 1]!];
    // what is left of the change beside the particular solution rings freely
    for (let i = 0; i < n; i += 1) {
      zr[i] = re[own[i]!]! - (pr[i]! * c0 - pi[i]! * s0);
      zi[i] = im[own[i]!]! - (pr[i]! * s0 + pi[i]! * c0);
    }
    let [outRe, outIm, inRe, inIm, apartRe, apartIm] = [0, 0, 0, 0, 0, 0];
    const [output, input, apart] = rows;
    for (let i = 0; i < n; i += 1) {
      let [er, ei] = [0, 0];
      for (let k = 0; k < n; k += 1) {
        const factor = phi[i * n + k]!;
        er += factor * zr[k]!;
        ei += factor * zi[k]!;
      }
      // ∫ row·(e^At z) e^−jωt dt = row (jω − A)⁻¹ (z e^−jω·from − e^A·length z e^−jω·to)
      const dr = zr[i]! * c0 + zi[i]! * s0 - (er * c1 + ei * s1);
      const di = zi[i]! * c0 - zr[i]! * s0 - (ei * c1 - er * s1);
      outRe += output.re[i]! * dr - output.im[i]! * di;
      outIm += output.re[i]! * di + output.im[i]! * dr;
      inRe += input.re[i]! * dr - input.im[i]! * di;
      inIm += input.re[i]! * di + input.im[i]! * dr;
      if (apart) {
        apartRe += apart.re[i]! * dr - apart.im[i]! * di;
        apartIm += apart.re[i]! * di + apart.im[i]! * dr;
      }
      re[own[i]!] = er + pr[i]! * c1 - pi[i]! * s1;
      im[own[i]!] = ei + pr[i]! * s1 + pi[i]! * c1;
    }
    // and the particular part stands still
    sums[0]! += outRe + length * still[0]!;
    sums[1]! += outIm + length * still[1]!;
    sums[2]! += inRe + length * still[2]!;
    sums[3]! += inIm + length * still[3]!;
    sums[4]! += apartRe + length * still[4]!;
    sums[5]! += apartIm + length * still[5]!;
  }
}

/** Components at the frequency, real and imaginary part. */
export interface Response {
  output: [number, number];
  input: [number, number];
  /** where the controller senses, what is injected apart: the output, or what stands before a second section */
  sensed: [number, number];
}

type Carry = Extract<OrbitStep, { kind: 'carry' }>;
type Mode = Carry['mode'];

interface Complexes {
  re: Vector;
  im: Vector;
}

/** A mode's flow under a small sine: made ready for a frequency, then for a drive. All over the states that move freely. */
class Flow {
  /** of the drive: the particular solution, and what output and input current have of it */
  readonly pr: Vector;
  readonly pi: Vector;
  readonly still = zeros(6);
  /** output, input current and what is sensed apart times (jω − A)⁻¹: what integrates all that rings */
  readonly rows: [Complexes, Complexes, Complexes?];
  private readonly own: readonly number[];
  private readonly mode: Mode;
  /** places among the own states of those that move, and (jω − A)⁻¹ of these */
  private readonly moving: number[];
  private readonly resolvent: Resolvent;
  private readonly quantities: Vector[];

  constructor(mode: Mode, own: readonly number[]) {
    const { size } = mode.motion;
    this.mode = mode;
    this.own = own;
    this.moving = [...own.keys()].filter((i) => mode.motion.moving.includes(own[i]!));
    const places = this.moving.map((i) => own[i]!);
    this.resolvent = new Resolvent(places.length, blockOf(mode.motion, places));
    const { before } = mode;
    this.quantities = [mode.output, mode.input, ...(before ? [before] : [])].map(({ row }) => fullOf(size, row));
    const blank = (): Complexes => ({ re: zeros(own.length), im: zeros(own.length) });
    this.rows = before ? [blank(), blank(), blank()] : [blank(), blank()];
    ({ re: this.pr, im: this.pi } = blank());
  }

  ask(speed: number): void {
    const { resolvent, moving, own } = this;
    resolvent.factor([0, speed]);
    this.rows.forEach((row, q) => {
      const re = moving.map((i) => this.quantities[q]![own[i]!]!);
      const im = zeros(moving.length);
      resolvent.solveRow(re, im);
      this.spread({ re, im }, row!);
    });
  }

  force(drive: number): void {
    const { resolvent, moving, own, still, pr, pi } = this;
    const { size, matrix } = this.mode.motion;
    const re = moving.map((i) => matrix[own[i]! * size + drive]!);
    const im = zeros(moving.length);
    resolvent.solve(re, im);
    this.spread({ re, im }, { re: pr, im: pi });
    this.quantities.forEach((row, q) => {
      let [sumRe, sumIm] = [row[drive]!, 0];
      for (let i = 0; i < own.length; i += 1) {
        sumRe += row[own[i]!]! * pr[i]!;
        sumIm += row[own[i]!]! * pi[i]!;
      }
      still[2 * q] = sumRe;
      still[2 * q + 1] = sumIm;
    });
  }

  private spread(from: Complexes, to: Complexes): void {
    this.moving.forEach((at, i) => {
      to.re[at] = from.re[i]!;
      to.im[at] = from.im[i]!;
    });
  }
}

function blockOf({ size, matrix }: Mode['motion'], places: readonly number[]): Vector {
  return places.flatMap((row) => places.map((column) => matrix[row * size + column]!));
}

function fullOf(size: number, row: { at: number[]; of: Vector }): Vector {
  const full = zeros(size);
  row.at.forEach((at, k) => (full[at] = row.of[k]!));
  return full;
}
