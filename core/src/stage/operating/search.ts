import { solveLinear } from '../../numbers/linear.ts';
import type { Network } from '../../network/network.ts';
import { Orbit, type Periodic } from '../../network/periodic.ts';
import type { Pattern } from './patterns.ts';

/** Residual at which the search ends: the output within a hundred-millionth, for there the next step would change no figure shown. */
const TOLERANCE = 1e-8;
/** Residual (relative to the output, or to the current's scale) that still counts as found where rounding allows no less. */
const SMALL = 1e-7;
const MOST_ITERATIONS = 40;

/**
 * Finds a pattern's open lengths by Newton's method with a Jacobian by differences, kept up by Broyden's update; at
 * most three unknowns. Everything it works in is made once.
 * @param nominal s, the period of a pattern that leaves it as it is
 * @param target V, of the average output
 */
export function solvePattern(
  network: Network,
  pattern: Pattern,
  nominal: number,
  target: number,
): { periodic: Periodic; duty: number } | undefined {
  return new Search(network, pattern, nominal, target).run();
}

class Search {
  private readonly pattern: Pattern;
  private readonly nominal: number;
  private readonly target: number;
  private readonly orbit: Orbit;
  private readonly count: number;
  /** A, against which a current's miss is judged */
  private readonly currentScale: number;
  private unknowns: number[];
  private residuals: number[];
  private nextUnknowns: number[];
  private nextResiduals: number[];
  private readonly best: number[];
  /** the unknowns whose state the orbit holds */
  private readonly held: number[];
  private readonly jacobian: number[];
  private jacobianStands: boolean;
  private readonly left: number[];
  private readonly step: number[];

  constructor(network: Network, pattern: Pattern, nominal: number, target: number) {
    const count = pattern.start.length;
    const row = (): number[] => new Array<number>(count).fill(0);
    this.pattern = pattern;
    this.nominal = nominal;
    this.target = target;
    this.count = count;
    this.orbit = new Orbit(network);
    this.currentScale = Math.max(1e-9, (target * nominal) / network.circuit.inductance);
    this.unknowns = pattern.start.slice();
    this.residuals = row();
    this.nextUnknowns = row();
    this.nextResiduals = row();
    this.best = row();
    this.held = row();
    this.jacobian = new Array<number>(count * count).fill(pattern.slope ?? 0);
    this.jacobianStands = pattern.slope !== undefined;
    this.left = new Array<number>(count * count).fill(0);
    this.step = row();
  }

  run(): { periodic: Periodic; duty: number } | undefined {
    // a stiff or hardly damped network leaves a floor of rounding above the tolerance: then the best found counts
    let least = Infinity;
    let sinceBest = 0;
    let stands = this.evaluate(this.unknowns, this.residuals);
    for (let iteration = 0; stands && iteration < MOST_ITERATIONS; iteration += 1) {
      const size = largest(this.residuals);
      sinceBest += 1;
      if (size < least) {
        least = size;
        sinceBest = 0;
        copy(this.unknowns, this.best);
      }
      if (size < TOLERANCE || (sinceBest >= 2 && least < SMALL)) return this.found();
      if (sinceBest >= 3) this.jacobianStands = false; // the update has lost its way
      if (!this.jacobianStands && !this.takeDifferences()) break;
      copy(this.jacobian, this.left);
      for (let i = 0; i < this.count; i += 1) this.step[i] = -this.residuals[i]!;
      if (!solveLinear(this.count, this.left, this.step)) break;
      const shrink = this.advance();
      if (shrink === 0) break;
      if (shrink === 1) this.broyden();
      else this.jacobianStands = false;
      stands = this.moved();
      [this.unknowns, this.nextUnknowns] = [this.nextUnknowns, this.unknowns];
      [this.residuals, this.nextResiduals] = [this.nextResiduals, this.residuals];
    }
    return least < SMALL ? this.found() : undefined;
  }

  private found(): { periodic: Periodic; duty: number } | undefined {
    const { best, held, orbit, pattern } = this;
    if (!same(best, held) && !this.evaluate(best, this.nextResiduals)) return undefined;
    return { periodic: orbit.periodic(), duty: pattern.duty ? pattern.duty(best) : best[0]! };
  }

  /** Writes the residuals at some unknowns, whose state the orbit then holds. @returns false where there is none */
  private evaluate(at: readonly number[], into: number[]): boolean {
    const { pattern, orbit } = this;
    copy(at, this.held);
    const period = pattern.period ? pattern.period(at) : this.nominal;
    if (!(period > 0)) return false;
    pattern.lay(at);
    for (const { duration } of pattern.steps) if (!(duration >= 0) || duration > period * (1 + 1e-9)) return false;
    if (!orbit.find(pattern.steps, period)) return false;
    into[0] = orbit.averageOutput / this.target - 1;
    for (let i = 0; i < pattern.events.length; i += 1) {
      const { step, level } = pattern.events[i]!;
      into[i + 1] = (orbit.currentAtStepEnd(step) - level) / this.currentScale;
    }
    for (const residual of into) if (!Number.isFinite(residual)) return false;
    return true;
  }

  /** The Jacobian by differences, forward or else backward. */
  private takeDifferences(): boolean {
    const { count, nextUnknowns, nextResiduals, unknowns, residuals } = this;
    copy(unknowns, nextUnknowns);
    for (let j = 0; j < count; j += 1) {
      let change = Math.max(1e-9, Math.abs(unknowns[j]!) * 1e-6);
      nextUnknowns[j] = unknowns[j]! + change;
      if (!this.evaluate(nextUnknowns, nextResiduals)) {
        change = -change;
        nextUnknowns[j] = unknowns[j]! + change;
        if (!this.evaluate(nextUnknowns, nextResiduals)) return false;
      }
      nextUnknowns[j] = unknowns[j]!;
      for (let i = 0; i < count; i += 1) this.jacobian[i * count + j] = (nextResiduals[i]! - residuals[i]!) / change;
    }
    this.jacobianStands = true;
    return true;
  }

  /** Takes the step, halved until there is a state. @returns the part of it that was taken, 0 where none could be */
  private advance(): number {
    for (let shrink = 1; shrink > 1e-3; shrink /= 2) {
      for (let i = 0; i < this.count; i += 1) this.nextUnknowns[i] = this.unknowns[i]! + shrink * this.step[i]!;
      if (this.evaluate(this.nextUnknowns, this.nextResiduals)) return shrink;
    }
    return 0;
  }

  private moved(): boolean {
    for (let i = 0; i < this.count; i += 1) {
      const next = this.nextUnknowns[i]!;
      if (Math.abs(next - this.unknowns[i]!) > 1e-15 * Math.max(1e-3, Math.abs(next))) return true;
    }
    return false;
  }

  private broyden(): void {
    const { count, step, jacobian } = this;
    let length = 0;
    for (let i = 0; i < count; i += 1) {
      step[i] = this.nextUnknowns[i]! - this.unknowns[i]!;
      length += step[i]! ** 2;
    }
    if (!(length > 0)) return;
    for (let i = 0; i < count; i += 1) {
      let error = this.nextResiduals[i]! - this.residuals[i]!;
      for (let k = 0; k < count; k += 1) error -= jacobian[i * count + k]! * step[k]!;
      for (let k = 0; k < count; k += 1) jacobian[i * count + k]! += (error * step[k]!) / length;
    }
  }
}

function copy(from: readonly number[], into: number[]): void {
  for (let i = 0; i < from.length; i += 1) into[i] = from[i]!;
}

function same(a: readonly number[], b: readonly number[]): boolean {
  for (let i = 0; i < a.length; i += 1) if (a[i] !== b[i]) return false;
  return true;
}

function largest(values: readonly number[]): number {
  let size = 0;
  for (const value of values) size = Math.max(size, Math.abs(value));
  return size;
}
