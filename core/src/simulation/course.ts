import { rowTimes, zeros, type Vector } from '../numbers/linear.ts';
import { DEGREE, DERIVATIVES, derivativesTo, PLACES, type Motion } from './motion.ts';
import { applyWide, rowOf, wide, WIDTH, type Row } from './rows.ts';

/*
 * A quantity's course over a piece of a linear motion as a Chebyshev series in time, whose coefficients are rows over the
 * state that the piece begins with: made once a mode, and then one small product a piece. What its size never exceeds,
 * whether it only rises, where it turns, its square's integral and its value anywhere are read off the coefficients.
 * Source: Mason and Handscomb, Chebyshev Polynomials, 2003, chapters 2 and 5; recalled from memory.
 */

/** Part of a state's whole effect that is left out. */
const LEFT_OUT = 1e-13;
/** Part of a course that counts as none; over more than a motion's longest piece, where large effects cancel. */
const ROUNDING = 1e-15;
const CANCELLED = 1e-13;
/** Places of a piece at which a course that both rises and falls is looked at. */
const LOOKS = 8;
const NEWTON = 12;

/** Coefficients of the Chebyshev polynomials of sᵏ on 0…1, for all k: `POWERS[k][j]`. */
const POWERS: readonly Vector[] = Array.from({ length: DERIVATIVES }, (_, k) => {
  // s = cos²(θ/2), whose power is a sum of cosines with binomial weights
  const row = zeros(k + 1);
  let weight = 1;
  for (let i = 1; i <= k; i += 1) weight *= (k + i) / (4 * i);
  for (let j = 0; j <= k; j += 1) {
    row[j] = j === 0 ? weight : 2 * weight;
    weight *= (k - j) / (k + j + 1);
  }
  return row;
});

/** Coefficients of the Chebyshev polynomials from values at the places that {@link PLACES} names: `COSINES[k][j]`. */
const COSINES: readonly Vector[] = PLACES.map((_, k) =>
  PLACES.map((__, j) => {
    const ends = (k === 0 || k === DEGREE ? 0.5 : 1) * (j === 0 || j === DEGREE ? 0.5 : 1);
    return (2 / DEGREE) * ends * Math.cos((Math.PI * j * k) / DEGREE);
  }),
);

/** The integrals over −1…1 of the products of two Chebyshev polynomials of the same parity; the others' are zero. */
const PRODUCTS: readonly Vector[] = PLACES.map((_, i) =>
  PLACES.map((__, j) => ((i + j) % 2 === 0 ? 1 / (1 - (i + j) ** 2) + 1 / (1 - (i - j) ** 2) : 0)),
);

/** Rows of a quantity's coefficients over one span: those of each degree over the states `at`. */
interface Table {
  span: number;
  at: number[];
  degree: number;
  /** part of a course that counts as none */
  rounding: number;
  rows: Vector[];
  /** the same one after another, where they are short enough */
  wide: Vector | undefined;
  /** the sizes of what each state has beyond a straight line */
  bent: Vector;
}

/** Beyond a straight line: the sum of the sizes of all degrees from the second on. */
const bentOf = (rows: readonly Vector[], places: number): Vector =>
  Array.from({ length: places }, (_, i) => rows.slice(2).reduce((sum, row) => sum + Math.abs(row[i]!), 0));

/** The course of one quantity over one piece; used again for the next. */
export class Course {
  /** s over which it is told; the piece ends within */
  span = 0;
  degree = 0;
  readonly coefficients: Vector = zeros(DERIVATIVES + 1);
  /** how far it is from its first coefficient at most */
  reach = 0;
  /** where {@link look} looked: value, and slope in halves of the span */
  value = 0;
  slope = 0;
  private readonly product: Vector = zeros(2 * DERIVATIVES + 3);
  private readonly gathered: Vector = zeros(WIDTH);

  /** Takes the course that begins at a state. */
  take({ at, rows, wide: written, degree, span, rounding }: Table, state: Vector): void {
    const { coefficients, gathered } = this;
    for (let i = 0; i < at.length; i += 1) gathered[i] = state[at[i]!]!;
    if (written) applyWide(written, degree + 1, gathered, 1, coefficients);
    else
      for (let k = 0; k <= degree; k += 1) {
        const row = rows[k]!;
        let sum = 0;
        for (let i = 0; i < at.length; i += 1) sum += row[i]! * gathered[i]!;
        coefficients[k] = sum;
      }
    this.span = span;
    this.measure(degree, rounding);
  }

  /** Takes the course of a row from the state's derivatives over factorials, in spans of the motion's longest piece. */
  takeSeries({ at, of }: Row, series: readonly Vector[], size: number, span: number, level: number): void {
    const { coefficients: c } = this;
    const count = derivativesTo(size * 0.5 ** level);
    for (let k = 0; k < count; k += 1) c[k] = 0;
    for (let k = 0, part = 1; k < count; k += 1, part *= 0.5 ** level) {
      const state = series[k]!;
      let sum = 0;
      for (let i = 0; i < at.length; i += 1) sum += of[i]! * state[at[i]!]!;
      if (sum === 0) continue;
      sum *= part;
      const powers = POWERS[k]!;
      for (let j = 0; j <= k; j += 1) c[j]! += powers[j]! * sum;
    }
    this.span = span / 2 ** level;
    this.measure(count - 1, ROUNDING);
  }

  /** Its reach, and the degree that counts. */
  private measure(degree: number, rounding: number): void {
    const { coefficients: c } = this;
    let reach = 0;
    for (let k = 1; k <= degree; k += 1) reach += Math.abs(c[k]!);
    this.reach = reach;
    // what this state stirs is mostly slower than what another might
    const nothing = rounding * (Math.abs(c[0]!) + reach);
    this.degree = degree;
    while (this.degree > 1 && Math.abs(c[this.degree]!) <= nothing) this.degree -= 1;
  }

  /** Takes a factor of another, and c₀ + c₁ t + c₂ t² with t in s from the piece's begin on. */
  of({ coefficients: other, degree, span }: Course, factor: number, c0: number, c1: number, c2: number): void {
    const { coefficients: c } = this;
    for (let k = 0; k <= degree; k += 1) c[k] = factor * other[k]!;
    this.span = span;
    this.degree = Math.max(degree, c2 !== 0 ? 2 : c1 !== 0 ? 1 : 0);
    for (let k = degree + 1; k <= this.degree; k += 1) c[k] = 0;
    const half = (c1 * span) / 2;
    const quarter = (c2 * span * span) / 4;
    c[0]! += c0 + half + 1.5 * quarter;
    if (this.degree > 0) c[1]! += half + 2 * quarter;
    if (this.degree > 1) c[2]! += quarter / 2;
    let reach = 0;
    for (let k = 1; k <= this.degree; k += 1) reach += Math.abs(c[k]!);
    this.reach = reach;
  }

  /** Whether its slope only rises (1) or only falls (−1) over its span; 0 where that is not told. */
  private get bend(): number {
    const { coefficients: c, degree } = this;
    if (degree < 2) return 0;
    let rest = 0;
    // of a Chebyshev polynomial's second derivative the end's is the largest
    for (let k = 3; k <= degree; k += 1) rest += ((k * k * (k * k - 1)) / 3) * Math.abs(c[k]!);
    const second = 4 * c[2]!;
    return Math.abs(second) <= rest ? 0 : second > 0 ? 1 : -1;
  }

  /** Whether it only rises (1) or only falls (−1) over its span; 0 where that is not told. */
  get trend(): number {
    const { coefficients: c, degree } = this;
    if (degree === 0) return 0;
    let rest = 0;
    // a Chebyshev polynomial's slope is at most its degree squared
    for (let k = 2; k <= degree; k += 1) rest += k * k * Math.abs(c[k]!);
    const first = c[1]!;
    return Math.abs(first) <= rest ? 0 : first > 0 ? 1 : -1;
  }

  /** @param time s into the piece */
  at(time: number): number {
    const { coefficients: c, degree, span } = this;
    const twice = (4 * time) / span - 2;
    let one = 0;
    let two = 0;
    for (let k = degree; k >= 1; k -= 1) {
      const next = twice * one - two + c[k]!;
      two = one;
      one = next;
    }
    return (twice / 2) * one - two + c[0]!;
  }

  /** Puts its values at so many places between the piece's ends, evenly apart, to a list. */
  tell(length: number, between: number, list: number[]): void {
    for (let place = 1; place <= between; place += 1) list.push(this.at((length * place) / (between + 1)));
  }

  /** Value and slope at a time, into {@link value} and {@link slope}. */
  private look(time: number): void {
    const { coefficients: c, degree, span } = this;
    const at = (2 * time) / span - 1;
    const twice = 2 * at;
    let [one, two, rateOne, rateTwo] = [0, 0, 0, 0];
    for (let k = degree; k >= 1; k -= 1) {
      const rate = 2 * one + twice * rateOne - rateTwo;
      rateTwo = rateOne;
      rateOne = rate;
      const next = twice * one - two + c[k]!;
      two = one;
      one = next;
    }
    this.value = at * one - two + c[0]!;
    this.slope = one + at * rateOne - rateTwo;
  }

  /** Its integral over the piece. */
  integral(length: number): number {
    return this.summed(this.coefficients, this.degree, length);
  }

  /** The integral of its square over the piece. */
  squared(length: number): number {
    const { coefficients: c, degree, product: p } = this;
    if (length === this.span && degree <= DEGREE) {
      let sum = 0;
      for (let i = 0; i <= degree; i += 1) {
        const row = PRODUCTS[i]!;
        let own = (row[i]! * c[i]!) / 2;
        for (let j = i - 2; j >= 0; j -= 2) own += row[j]! * c[j]!;
        sum += own * c[i]!;
      }
      return sum * length;
    }
    for (let k = 0; k <= 2 * degree; k += 1) p[k] = 0;
    for (let i = 0; i <= degree; i += 1) {
      const own = c[i]!;
      p[0]! += (own * own) / 2;
      p[2 * i]! += (own * own) / 2;
      for (let j = 0; j < i; j += 1) {
        const both = own * c[j]!;
        p[i + j]! += both;
        p[i - j]! += both;
      }
    }
    return this.summed(p, 2 * degree, length);
  }

  /** The integral of a series over the piece: each polynomial's from −1 on, by those beside it. */
  private summed(p: Vector, degree: number, length: number): number {
    const { span } = this;
    const at = (2 * length) / span - 1;
    let sum = p[0]! * (at + 1) + (degree > 0 ? (p[1]! * (at * at - 1)) / 2 : 0);
    let before = at;
    let here = 2 * at * at - 1;
    for (let k = 2; k <= degree; k += 1) {
      const next = 2 * at * here - before;
      const sign = k % 2 === 0 ? 1 : -1;
      sum += p[k]! * ((next / (k + 1) - before / (k - 1)) / 2 - sign / (k * k - 1));
      before = here;
      here = next;
    }
    return (sum * span) / 2;
  }

  /**
   * When it first rises through zero, s into the piece; undefined where it does not.
   * @param start from where it counts, which it may begin above zero
   * @param length s that are looked at
   */
  rise(start: number, length: number): number | undefined {
    const { coefficients: c } = this;
    if (c[0]! + this.reach <= 0) return undefined;
    if (start > 0 && this.at(start) > 0) return start;
    const { trend } = this;
    if (trend < 0) return undefined;
    if (trend > 0) return this.at(length) > 0 ? this.crossing(start, length, 1) : undefined;
    let from = start;
    this.look(from);
    let { slope } = this;
    const looks = this.bend === 0 ? LOOKS : 1;
    for (let k = 1; k <= looks; k += 1) {
      const to = start + ((length - start) * k) / looks;
      this.look(to);
      if (this.value > 0) return this.crossing(from, to, 1);
      const after = this.slope;
      if (slope > 0 && after < 0) {
        const top = this.turning(from, to, 1);
        if (this.at(top) > 0) return this.crossing(from, top, 1);
      }
      slope = after;
      from = to;
    }
    return undefined;
  }

  /**
   * Where it passes zero in the direction of the sign, in a bracket.
   * @param guess s; where its straight part has it else
   */
  crossing(
    from: number,
    to: number,
    sign: 1 | -1,
    guess = (this.span / 2) * (1 - this.coefficients[0]! / this.coefficients[1]!),
  ): number {
    let [low, high] = [from, to];
    let time = guess;
    if (!(time > low && time < high)) time = (low + high) / 2;
    for (let round = 0; round < 60; round += 1) {
      this.look(time);
      if (sign * this.value > 0) high = time;
      else low = time;
      const by = (this.value * this.span) / 2 / this.slope;
      // a step of Newton's so short leaves its square
      if (Math.abs(by) <= 1e-8 * to) return Math.min(to, Math.max(from, time - by));
      if (high - low <= 1e-15 * to) return high;
      const next = time - by;
      time = round < NEWTON && next > low && next < high ? next : (low + high) / 2;
    }
    return time;
  }

  /** Where its slope passes zero, from the sign named to the other, in a bracket. */
  private turning(from: number, to: number, sign: number): number {
    let [low, high] = [from, to];
    this.look(low);
    let slopeLow = this.slope;
    this.look(high);
    let slopeHigh = this.slope;
    const most = Math.abs(slopeLow - slopeHigh);
    let time = low;
    // what is left of the time counts by its square
    for (let round = 0; round < 60 && high - low > 1e-8 * to; round += 1) {
      // by the straight line through the ends' slopes, or the middle where that hardly moves an end
      const line = low + ((high - low) * slopeLow) / (slopeLow - slopeHigh);
      time = round % 3 === 2 || !(line > low && line < high) ? (low + high) / 2 : line;
      this.look(time);
      if (Math.abs(this.slope) <= 1e-8 * most) return time;
      if (sign * this.slope > 0) {
        low = time;
        slopeLow = this.slope;
      } else {
        high = time;
        slopeHigh = this.slope;
      }
    }
    return time;
  }

  /**
   * Tells the places within the piece at which it turns.
   * @param matters whether a turn between two values with at most so much more between them is wanted
   */
  turns(
    length: number,
    matters: (from: number, to: number, more: number) => boolean,
    tell: (time: number) => void,
  ): void {
    if (this.trend !== 0) return;
    this.look(0);
    let { value, slope } = this;
    const looks = this.bend === 0 ? LOOKS : 1;
    for (let k = 1; k <= looks; k += 1) {
      const to = (length * k) / looks;
      this.look(to);
      const [before, rate] = [value, slope];
      ({ value, slope } = this);
      if (rate * slope >= 0) continue;
      const most = (Math.max(Math.abs(rate), Math.abs(slope)) * 2 * (length / looks)) / this.span;
      if (matters(before, value, most)) tell(this.turning((length * (k - 1)) / looks, to, Math.sign(rate)));
    }
  }
}

/** A quantity of one mode: its row, its slope's, and its course over the piece that the motion is in. */
export class Quantity {
  readonly row: Row;
  readonly slope: Row;
  private readonly full: Vector;
  private readonly course = new Course();
  private piece = -1;
  private roughPiece = -1;
  private roughLength = 0;
  private middle = 0;
  private around = 0;
  private readonly motion: Motion;
  private readonly tables: (Table | undefined)[] = [];
  private readonly longer: (Table | undefined)[] = [];
  private known: Vector[] | undefined;

  constructor(motion: Motion, full: Vector) {
    this.motion = motion;
    this.full = full;
    this.row = rowOf(full);
    this.slope = rowOf(rowTimes(motion.size, full, motion.matrix));
  }

  /**
   * Its course over the motion's present piece, for so many seconds at least.
   * @param state that the piece begins with
   */
  over(state: Vector, length: number): Course {
    const { course, motion } = this;
    if (this.piece !== motion.pieces || course.span < length) {
      this.piece = motion.pieces;
      const level = motion.levelOf(length);
      if (motion.tabled) course.take(this.table(level), state);
      else course.takeSeries(this.row, motion.seriesAt(state), motion.norm * motion.span, motion.span, level);
    }
    return course;
  }

  /**
   * What it stays below over the motion's present piece, for so many seconds, by its straight part and the sizes of the
   * rest: a few products where the course itself takes many. Nothing where the course is had already.
   */
  below(state: Vector, length: number, factor: number): number | undefined {
    const { motion } = this;
    if (!motion.tabled || (this.piece === motion.pieces && this.course.span >= length)) return undefined;
    if (this.roughPiece !== motion.pieces || this.roughLength !== length) {
      this.roughPiece = motion.pieces;
      this.roughLength = length;
      const { at, rows, bent } = this.table(motion.levelOf(length));
      const [level, line] = rows;
      let middle = 0;
      let straight = 0;
      let rest = 0;
      for (let i = 0; i < at.length; i += 1) {
        const value = state[at[i]!]!;
        middle += level![i]! * value;
        if (line) straight += line[i]! * value;
        rest += bent[i]! * Math.abs(value);
      }
      this.middle = middle;
      this.around = Math.abs(straight) + rest;
    }
    return factor * this.middle + this.around;
  }

  /** Derivatives over factorials, in spans of the motion's longest piece. */
  private get derivatives(): Vector[] {
    if (!this.known) {
      const { size, matrix, span, norm } = this.motion;
      let row = this.full;
      this.known = [row];
      for (let k = 1; k < derivativesTo(norm * span); k += 1) {
        row = rowTimes(size, row, matrix);
        for (let i = 0; i < size; i += 1) row[i]! *= span / k;
        this.known.push(row);
      }
    }
    return this.known;
  }

  /** @param level halvings of the motion's longest piece; below zero, doublings */
  private table(level: number): Table {
    if (level < 0) return (this.longer[-level] ??= this.tableBeyond(-level));
    return (this.tables[level] ??= this.tableOf(level));
  }

  /** From the values that each state leads to at places of the piece. */
  private tableBeyond(doublings: number): Table {
    const { size, span } = this.motion;
    const nodes = this.motion.nodesAt(doublings);
    const values = PLACES.map((_, j) => rowTimes(size, this.full, nodes[j]!));
    const at: number[] = [];
    for (let i = 0; i < size; i += 1) if (values.some((row) => row[i] !== 0)) at.push(i);
    const rows = COSINES.map((weights) =>
      at.map((place) => weights.reduce((sum, weight, j) => sum + weight * values[j]![place]!, 0)),
    );
    const length = span * 2 ** doublings;
    return {
      span: length,
      at,
      degree: DEGREE,
      rounding: CANCELLED,
      rows,
      wide: wide(rows, at.length),
      bent: bentOf(rows, at.length),
    };
  }

  private tableOf(level: number): Table {
    const { derivatives } = this;
    const { size, span } = this.motion;
    const at: number[] = [];
    for (let i = 0; i < size; i += 1) if (derivatives.some((row) => row[i] !== 0)) at.push(i);
    const count = derivativesTo(this.motion.norm * span * 0.5 ** level);
    const rows = derivatives.slice(0, count).map(() => zeros(at.length));
    for (let k = 0, part = 1; k < count; k += 1, part *= 0.5 ** level) {
      const row = derivatives[k]!;
      const powers = POWERS[k]!;
      for (let i = 0; i < at.length; i += 1) {
        const value = part * row[at[i]!]!;
        if (value !== 0) for (let j = 0; j <= k; j += 1) rows[j]![i]! += powers[j]! * value;
      }
    }
    // degrees that no state's effect needs are left out
    const whole = at.map((_, i) => rows.reduce((sum, row) => sum + Math.abs(row[i]!), 0));
    const tail = zeros(at.length);
    let degree = count - 1;
    for (; degree > 0; degree -= 1) {
      const row = rows[degree]!;
      for (let i = 0; i < at.length; i += 1) tail[i]! += Math.abs(row[i]!);
      if (tail.some((value, i) => value > LEFT_OUT * whole[i]!)) break;
    }
    const kept = rows.slice(0, degree + 1);
    return {
      span: span / 2 ** level,
      at,
      degree,
      rounding: ROUNDING,
      rows: kept,
      wide: wide(kept, at.length),
      bent: bentOf(kept, at.length),
    };
  }
}
