import { propagate, solveLinear, zeros, type Vector } from '../numbers/linear.ts';
import type { Simulator } from './engine.ts';
import { DigitalMemory } from './law.ts';
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
  private readonly maps: Vector[] = [];
  private readonly spare: Vector;

  constructor(simulator: Simulator, steps: readonly OrbitStep[]) {
    const { setup, places, timers } = simulator;
    this.simulator = simulator;
    this.steps = steps;
    this.size = places.size;
    this.memory = simulator.memory.length;
    this.timers = timers.count;
    this.count = this.size + this.memory + this.timers;
    this.spare = zeros(this.size);
    const { law } = setup;
    this.digital = law.digital && new DigitalMemory(law.digital, setup.target, law.maximumDuty);
    steps.forEach((step, at) => {
      if (step.kind !== 'carry') return;
      const { motion } = step.mode;
      this.maps[at] = propagate(motion.size, motion.matrix, step.length, motion.norm).phi;
    });
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
        const { row, rate, timer, rampRate, source } = timing;
        const risen =
          along(row, change) +
          source * change[this.simulator.places.source]! -
          (rampRate === 0 ? 0 : rampRate * change[first + timer]!);
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
        const phi = this.maps[at]!;
        const { spare } = this;
        for (let i = 0; i < size; i += 1) {
          let sum = 0;
          for (let k = 0; k < size; k += 1) sum += phi[i * size + k]! * change[k]!;
          spare[i] = sum;
        }
        for (let i = 0; i < size; i += 1) change[i] = spare[i]!;
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
   * What a small sine on one of the drives does on this run, which closes on itself.
   * @param drive the state that swings, by 1·e^jωt
   * @param period s, of the run
   * @param start s at which it begins
   * @returns the component at the same frequency of the output, in V, and of the current out of the input node, in A
   */
  response(drive: number, frequency: number, period: number, start: number): Response | undefined {
    const speed = 2 * Math.PI * frequency;
    const { count } = this;
    const forced = new Forced(this, drive, speed);
    // over a period from rest, and what the map makes of a start: what repeats up to its phase
    const [re, im] = [zeros(count), zeros(count)];
    this.drivenThrough(forced, re, im, start);
    const map = this.periodMap();
    const turn = speed * period;
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    const free = this.free;
    const n = free.length;
    // (e^jωT − M) x = F, as a real system of twice the size
    const left = zeros(4 * n * n);
    const right = zeros(2 * n);
    for (let i = 0; i < n; i += 1) {
      for (let k = 0; k < n; k += 1) {
        const m = map[free[i]! * count + free[k]!]!;
        const own = i === k ? 1 : 0;
        left[i * 2 * n + k] = c * own - m;
        left[i * 2 * n + n + k] = -s * own;
        left[(n + i) * 2 * n + k] = s * own;
        left[(n + i) * 2 * n + n + k] = c * own - m;
      }
      right[i] = re[free[i]!]!;
      right[n + i] = im[free[i]!]!;
    }
    const x = solveLinear(2 * n, left, right);
    if (!x) return undefined;
    const [a, b] = [zeros(count), zeros(count)];
    for (let i = 0; i < n; i += 1) {
      a[free[i]!] = x[i]!;
      b[free[i]!] = x[n + i]!;
    }
    const sums = this.drivenThrough(forced, a, b, start);
    for (let k = 0; k < 4; k += 1) sums[k]! /= period;
    return { output: [sums[0]!, sums[1]!], input: [sums[2]!, sums[3]!] };
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

  /** Places of a change that are free: not the drives' and not the constant's. */
  get free(): number[] {
    const { states, firstOwn, one, quadrature } = this.simulator.places;
    return Array.from({ length: this.count }, (_, k) => k).filter(
      (k) => (k < states || k >= firstOwn) && k !== one && k !== quadrature,
    );
  }

  /** Carries a complex change through the run while a drive swings; in place. @returns four sums over the run */
  private drivenThrough(forced: Forced, re: Vector, im: Vector, start: number): Vector {
    const sums = zeros(4);
    const { steps } = this;
    const { drive, speed } = forced;
    let now = start;
    const swing = (): void => {
      re[drive] = Math.cos(speed * now);
      im[drive] = Math.sin(speed * now);
    };
    swing();
    for (let at = 0; at < steps.length; at += 1) {
      const step = steps[at]!;
      if (step.kind === 'carry') {
        forced.carry(this.maps[at]!, step.mode, now, step.length, re, im, sums);
        now += step.length;
        swing();
        continue;
      }
      const lateRe = this.through(at, re);
      const lateIm = this.through(at, im);
      swing();
      if (step.kind === 'edge' && (lateRe !== 0 || lateIm !== 0)) {
        // for so long the quantity still stands where it stood before the edge
        const [c, s] = [Math.cos(speed * now), -Math.sin(speed * now)];
        const wideRe = lateRe * c - lateIm * s;
        const wideIm = lateRe * s + lateIm * c;
        sums[0]! += step.outputDrop * wideRe;
        sums[1]! += step.outputDrop * wideIm;
        sums[2]! += step.inputDrop * wideRe;
        sums[3]! += step.inputDrop * wideIm;
      }
    }
    return sums;
  }
}

/** Components at the frequency, real and imaginary part. */
export interface Response {
  output: [number, number];
  input: [number, number];
}

type Mode = Extract<OrbitStep, { kind: 'carry' }>['mode'];

/** The flow of each mode under a drive e^jωt: its particular solution, and rows that integrate what rings beside it. */
class Forced {
  readonly drive: number;
  readonly speed: number;
  private readonly size: number;
  private readonly known = new Map<
    Mode,
    { re: Vector; im: Vector; rows: [Vector, Vector][]; quantities: [Vector, Vector] }
  >();

  constructor({ size }: Linearized, drive: number, speed: number) {
    this.size = size;
    this.drive = drive;
    this.speed = speed;
  }

  /** jω − A of the states that move, as it is or transposed, solved for a real right side. */
  private solve({ motion }: Mode, right: Vector, transposed: boolean): { re: Vector; im: Vector } {
    const { size, speed, drive } = this;
    const { matrix } = motion;
    // the drive moves by itself: its column is what forces
    const moving = motion.moving.filter((at) => at !== drive);
    const n = moving.length;
    const left = zeros(4 * n * n);
    const b = zeros(2 * n);
    for (let i = 0; i < n; i += 1) {
      for (let k = 0; k < n; k += 1) {
        const a = transposed ? matrix[moving[k]! * size + moving[i]!]! : matrix[moving[i]! * size + moving[k]!]!;
        left[i * 2 * n + k] = -a;
        left[(n + i) * 2 * n + n + k] = -a;
      }
      left[i * 2 * n + n + i]! -= speed;
      left[(n + i) * 2 * n + i]! += speed;
      b[i] = right[moving[i]!]!;
    }
    const x = solveLinear(2 * n, left, b);
    const re = zeros(size);
    const im = zeros(size);
    for (let i = 0; i < n; i += 1) {
      re[moving[i]!] = x ? x[i]! : Number.NaN;
      im[moving[i]!] = x ? x[n + i]! : Number.NaN;
    }
    return { re, im };
  }

  private of(mode: Mode): { re: Vector; im: Vector; rows: [Vector, Vector][]; quantities: [Vector, Vector] } {
    let made = this.known.get(mode);
    if (!made) {
      const { size: n, drive } = this;
      const { matrix } = mode.motion;
      const column = zeros(n);
      for (let i = 0; i < n; i += 1) column[i] = i === drive ? 0 : matrix[i * n + drive]!;
      const { re, im } = this.solve(mode, column, false);
      re[drive] = 1;
      im[drive] = 0;
      const quantities: [Vector, Vector] = [fullOf(n, mode.output.row), fullOf(n, mode.input.row)];
      const rows = quantities.map((row): [Vector, Vector] => {
        const solved = this.solve(mode, row, true);
        return [solved.re, solved.im];
      });
      made = { re, im, rows, quantities };
      this.known.set(mode, made);
    }
    return made;
  }

  /** Over a stretch; adds the components of output and input current to the sums. */
  carry(phi: Vector, mode: Mode, from: number, length: number, re: Vector, im: Vector, sums: Vector): void {
    const { size: n, speed, drive } = this;
    const { re: pr, im: pi, rows, quantities } = this.of(mode);
    const [c0, s0] = [Math.cos(speed * from), Math.sin(speed * from)];
    const [c1, s1] = [Math.cos(speed * (from + length)), Math.sin(speed * (from + length))];
    // what is left of the change beside the particular solution rings freely
    const zr = zeros(n);
    const zi = zeros(n);
    for (let i = 0; i < n; i += 1) {
      if (i === drive) continue;
      zr[i] = re[i]! - (pr[i]! * c0 - pi[i]! * s0);
      zi[i] = im[i]! - (pr[i]! * s0 + pi[i]! * c0);
    }
    const er = zeros(n);
    const ei = zeros(n);
    for (let i = 0; i < n; i += 1) {
      let [sumRe, sumIm] = [0, 0];
      for (let k = 0; k < n; k += 1) {
        const factor = phi[i * n + k]!;
        sumRe += factor * zr[k]!;
        sumIm += factor * zi[k]!;
      }
      er[i] = i === drive ? 0 : sumRe;
      ei[i] = i === drive ? 0 : sumIm;
    }
    // ∫ row·(e^At z) e^−jωt dt = row (jω − A)⁻¹ (z e^−jω·from − e^A·length z e^−jω·to), and the particular part stands still
    quantities.forEach((row, q) => {
      const [rr, ri] = rows[q]!;
      let [sumRe, sumIm] = [0, 0];
      for (let i = 0; i < n; i += 1) {
        const dr = zr[i]! * c0 + zi[i]! * s0 - (er[i]! * c1 + ei[i]! * s1);
        const di = zi[i]! * c0 - zr[i]! * s0 - (ei[i]! * c1 - er[i]! * s1);
        sumRe += rr[i]! * dr - ri[i]! * di;
        sumIm += rr[i]! * di + ri[i]! * dr;
      }
      let [stillRe, stillIm] = [0, 0];
      for (let i = 0; i < n; i += 1) {
        stillRe += row[i]! * pr[i]!;
        stillIm += row[i]! * pi[i]!;
      }
      sums[2 * q]! += sumRe + length * stillRe;
      sums[2 * q + 1]! += sumIm + length * stillIm;
    });
    for (let i = 0; i < n; i += 1) {
      if (i === drive) continue;
      re[i] = er[i]! + pr[i]! * c1 - pi[i]! * s1;
      im[i] = ei[i]! + pr[i]! * s1 + pi[i]! * c1;
    }
  }
}

function fullOf(size: number, row: { at: number[]; of: Vector }): Vector {
  const full = zeros(size);
  row.at.forEach((at, k) => (full[at] = row.of[k]!));
  return full;
}
