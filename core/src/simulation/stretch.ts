import { spend, zeros, type Vector } from '../numbers/linear.ts';
import { Course, type Quantity } from './course.ts';
import { PARTS, REACH, type Motion } from './motion.ts';
import { alive, along, applyRows, applyWide, WIDTH, type Row, type Sparse } from './rows.ts';

/*
 * A linear flow followed from a state to the first moment at which one of several quantities rises through zero. Over a
 * piece each quantity’s course is a short series: where its bound stays below zero nothing happens, and where it rises
 * through it the moment is its root. There, and to the end, the state is carried at once by a matrix exponential over a
 * part of the longest piece and by a few terms of its own Taylor series from there. Where the flow is stiff, what is fast
 * is over soon after a stretch begins, and pieces may double with the time since. A mode that has not come up often is
 * carried by exponentials over powers of two of a length instead, and its crossings are found by halving.
 */

/** What is above zero once something has happened: a quantity or its opposite, and a constant. */
export interface Crossing {
  /** of all of it, and of its slope */
  row: Row;
  slope: Row;
  quantity: Quantity;
  factor: 1 | -1;
  offset: number;
  /** s into a piece at which it rose last, and the level of that */
  last: number;
  hint: number;
}

/** What is watched over a stretch, with a polynomial in the time since the stretch began added to it. */
export interface Watch {
  crossing: Crossing;
  /** s into the stretch before which it does not count */
  from: number;
  /** s⁰, s¹, s² coefficients */
  c0: number;
  c1: number;
  c2: number;
  /** size below which it counts as zero where a stretch begins */
  tolerance: number;
  /** where it stood where the stretch began, if it counted there */
  value: number;
  /** whether it was above zero as soon as it counted */
  late: boolean;
}

/** Told the pieces of a stretch. */
export interface Sink {
  /** From `begin` of the stretch, `length` long, from one state to another; where stiff, with the state's integral. */
  piece: (begin: number, length: number, start: Vector, end: Vector, integral?: Vector) => void;
}

/** Terms of a state's own series: 1/20! is 4·10⁻¹⁹. */
const TERMS = 20;
/** Part of a piece by which the state's own series may correct a crossing. */
const NEAR = 1e-6;
const NEWTON = 8;
/** Pieces that a stiff stretch is taken in at least, where they are all of one length. */
const STIFF_PIECES = 128;
/** Longest pieces in a stretch from which on doubling them is worth its tables. */
const LONG = 16;
/** Longest pieces in a stretch from which on its first pieces are doubled where they may be. */
const SEVERAL = 2;
/** Pieces of a mode from which on finding that out is worth its while. */
const MANY = 300;

/** Norm times time up to which so many terms leave no more than rounding. */
const REACHES: readonly number[] = Array.from({ length: TERMS + 1 }, (_, count) => {
  let factorial = 1;
  for (let k = 2; k <= count; k += 1) factorial *= k;
  return (1e-17 * factorial) ** (1 / Math.max(1, count));
});

function termsTo(size: number): number {
  let count = 3;
  while (count < TERMS && REACHES[count]! < size) count += 1;
  return count;
}

export class Stretcher {
  readonly size: number;
  /** s into the stretch at which the watched quantity rose, or its whole length */
  after = 0;
  private readonly series: Vector[];
  private readonly polynomial: Vector = zeros(TERMS);
  private readonly course = new Course();
  private readonly integral: Vector;
  private readonly sum: Vector;
  private readonly start: Vector;
  /** places of the series in use */
  private count = 0;
  private terms = TERMS;
  /** s into a piece about which the series is */
  private origin = 0;
  private here: Vector;
  private there: Vector;

  constructor(size: number) {
    this.size = size;
    this.series = Array.from({ length: TERMS }, () => zeros(Math.max(size, WIDTH)));
    this.start = zeros(size);
    this.integral = zeros(size);
    this.sum = zeros(size);
    this.here = zeros(size);
    this.there = zeros(size);
  }

  /**
   * Follows the motion for at most `length` until a watched quantity rises through zero.
   * @param state moved along in place
   * @param count of the watches that count
   * @param calm s before it in which nothing happened but that a bent inductance took its next step, which stirs nothing fast
   * @returns which quantity rose, −1 where none did; when is {@link after}
   */
  follow(
    motion: Motion,
    state: Vector,
    length: number,
    watches: Watch[],
    count: number,
    sink?: Sink,
    calm = 0,
  ): number {
    const { size } = this;
    this.after = 0;
    const stiff = length > motion.farthest;
    for (let w = 0; w < count; w += 1) {
      const watch = watches[w]!;
      watch.late = false;
      watch.value = watch.from > 0 ? Number.NaN : along(watch.crossing.row, state) + watch.c0;
      if (
        watch.value > watch.tolerance ||
        (!stiff && watch.value >= 0 && (along(watch.crossing.slope, state) + watch.c1) * motion.span > watch.tolerance)
      )
        return w;
    }
    motion.visit(length);
    let { here, there } = this;
    for (let i = 0; i < size; i += 1) here[i] = there[i] = state[i]!;
    let begin = 0;
    let which = -1;
    // lengths are powers of two, so that stretches of every length share their maps
    let exponent = stiff && !motion.tabled ? Math.floor(Math.log2(length / STIFF_PIECES)) : -Infinity;
    const doubles = motion.tabled && calm + length > LONG * motion.span;
    const usual =
      motion.tabled && motion.pieces > MANY && length > SEVERAL * motion.span
        ? motion.span * 2 ** motion.firstDoublings
        : motion.span;
    while (begin < length && which < 0) {
      // a stride where nothing stands above at its end; else by halves, towards the first that does, or to the end
      const stride = 2 ** exponent;
      if (stride > motion.span) {
        if (begin + stride > length || !this.strides(motion, exponent, here, there, watches, count, begin + stride)) {
          exponent -= 1;
          continue;
        }
        if (sink) {
          for (let i = 0; i < size; i += 1) this.integral[i] = 0;
          applyRows(motion.map(exponent).psi, here, this.integral);
          sink.piece(begin, stride, here, there, this.integral);
        }
        begin += stride;
        const held = here;
        here = there;
        there = held;
        continue;
      }
      const whole = doubles ? Math.max(usual, this.pieceFrom(motion, calm + begin)) : usual;
      const last = begin + whole >= length;
      let step = last ? length - begin : whole;
      motion.pieces += 1;
      spend(size * size * this.terms);
      for (let w = 0; w < count; w += 1) {
        const root = this.rise(watches[w]!, motion, here, begin, step);
        if (root !== undefined && (root < step || which < 0)) {
          step = root;
          which = w;
        }
      }
      if (which < 0 && motion.tabled && step === whole)
        applyRows(step > motion.span ? motion.wholeOf(step) : motion.part(PARTS), here, there);
      else if (which < 0 && !motion.tabled && step === motion.span) motion.endInto(here, there);
      else {
        this.expand(motion, here, step);
        if (which >= 0) step = this.refined(watches[which]!, motion, begin, step, length - begin);
        this.valueInto(motion, step, there);
      }
      if (step > 0) sink?.piece(begin, step, here, there);
      begin = last && which < 0 ? length : begin + step;
      const held = here;
      here = there;
      there = held;
    }
    this.after = begin;
    for (let i = 0; i < size; i += 1) state[i] = alive(here[i]!);
    this.here = here;
    this.there = there;
    return which;
  }

  /** Carries a state over so many powers of two of a second. @returns whether no watched quantity is above zero then */
  private strides(
    motion: Motion,
    exponent: number,
    from: Vector,
    to: Vector,
    watches: Watch[],
    count: number,
    time: number,
  ): boolean {
    spend(this.size * this.size);
    applyRows(motion.map(exponent).phi, from, to);
    for (const i of motion.moving) to[i] = alive(to[i]!);
    for (let w = 0; w < count; w += 1) {
      const { crossing, c0, c1, c2, from: counts } = watches[w]!;
      if (time >= counts && along(crossing.row, to) + c0 + time * (c1 + time * c2) > 0) return false;
    }
    return true;
  }

  /** s of a piece at most that begins so long after its stretch: doubled where that is longer, and each but the last a whole one. */
  private pieceFrom(motion: Motion, begin: number): number {
    const { span } = motion;
    if (begin < 2 * span) return span;
    return span * 2 ** Math.min(motion.doublings, Math.floor(Math.log2((begin / span) * (1 + 1e-9))));
  }

  /** When a watched quantity first rises through zero in a piece of so many seconds. */
  private rise(watch: Watch, motion: Motion, node: Vector, begin: number, length: number): number | undefined {
    const { course } = this;
    const { crossing, c0, c1, c2, value, tolerance } = watch;
    const { quantity, factor, offset, hint, last } = crossing;
    const start = Math.max(0, watch.from - begin);
    if (start >= length) return undefined;
    // what begins at zero as near as rounding has to leave it
    const shift = begin === 0 && value > -tolerance ? tolerance : 0;
    const here = offset + c0 + begin * (c1 + begin * c2) - shift;
    const slope = c1 + 2 * begin * c2;
    // most of what is watched is far from where it would act
    const most = quantity.below(node, length, factor);
    if (most !== undefined && most + here + Math.max(0, slope * length) + Math.max(0, c2 * length * length) <= 0)
      return undefined;
    // near where it rose last it may rise again, and be known to rise there only
    const near = motion.span / 2 ** hint;
    if (hint > 0 && near < length && near > start) {
      course.of(quantity.over(node, near), factor, here, slope, c2);
      if (course.trend > 0 && course.at(near) > 0) {
        watch.late = start > 0 && course.at(start) > 0;
        return watch.late ? start : (crossing.last = course.crossing(start, near, 1, last));
      }
    }
    const own = quantity.over(node, length);
    if (c1 === 0 && c2 === 0 && factor * own.coefficients[0]! + here + own.reach <= 0) return undefined;
    course.of(own, factor, here, slope, c2);
    const root = course.rise(start, length);
    if (root === undefined) return undefined;
    crossing.last = root;
    crossing.hint = motion.levelOf(root);
    watch.late = start > 0 && root === start;
    return root;
  }

  /**
   * The moving states' derivatives over factorials about a place of the way from a node, as many as a time near it needs.
   */
  private expand(motion: Motion, node: Vector, time: number): void {
    const { norm, span, tabled } = motion;
    const { size, start } = this;
    for (let i = 0; i < size; i += 1) start[i] = node[i]!;
    this.origin = 0;
    if (tabled) {
      const number = Math.round((time * PARTS) / span);
      this.origin = (span * number) / PARTS;
      if (number > PARTS) this.doubled(motion, number);
      else if (number > 0) applyRows(motion.part(number), node, start);
      return this.derive(motion, Math.abs(time - this.origin));
    }
    const stride = 1 / norm;
    while (time - this.origin > stride) {
      this.derive(motion, stride);
      const before = this.origin;
      this.origin = 0;
      this.valueInto(motion, stride, start);
      this.origin = before + stride;
    }
    this.derive(motion, time - this.origin);
  }

  /** Carries the series' start over more parts than the longest piece has, whole pieces first. */
  private doubled(motion: Motion, parts: number): void {
    const { start, sum } = this;
    const by = (map: Sparse): void => {
      applyRows(map, start, sum);
      for (const i of motion.moving) start[i] = sum[i]!;
    };
    let left = parts;
    for (let k = motion.doublings; k >= 0; k -= 1) {
      const whole = PARTS * 2 ** k;
      if (left < whole) continue;
      left -= whole;
      by(motion.whole(k));
    }
    if (left > 0) by(motion.part(left));
  }

  /** The derivatives at the series' start, for times up to one. */
  private derive({ dense, sparse, slopes, moving, norm }: Motion, time: number): void {
    const { series, start } = this;
    const terms = termsTo(norm * time + REACH * NEAR);
    this.terms = terms;
    const count = moving.length;
    if (count !== this.count) {
      // nothing of another mode's is left beyond them, which zeros would not take away where it is infinite
      this.count = count;
      for (const row of series) row.fill(0);
    }
    const zeroth = series[0]!;
    for (let r = 0; r < count; r += 1) zeroth[r] = start[moving[r]!]!;
    const first = series[1]!;
    const { starts, at, of } = slopes;
    for (let r = 0, entry = 0; r < count; r += 1) {
      const stop = starts[r + 1]!;
      let sum = 0;
      for (; entry < stop; entry += 1) sum += of[entry]! * start[at[entry]!]!;
      first[r] = sum;
    }
    for (let k = 2; k < terms; k += 1) {
      const before = series[k - 1]!;
      const next = series[k]!;
      const over = 1 / k;
      if (dense) applyWide(dense, count, before, over, next);
      else
        for (let r = 0, entry = 0; r < count; r += 1) {
          const stop = sparse.starts[r + 1]!;
          let sum = 0;
          for (; entry < stop; entry += 1) sum += sparse.of[entry]! * before[sparse.at[entry]!]!;
          next[r] = sum * over;
        }
    }
  }

  private valueInto({ moving }: Motion, at: number, out: Vector): void {
    const { series, terms, origin } = this;
    const time = at - origin;
    for (let r = 0; r < moving.length; r += 1) {
      let value = series[terms - 1]![r]!;
      for (let k = terms - 2; k >= 0; k -= 1) value = value * time + series[k]![r]!;
      out[moving[r]!] = value;
    }
  }

  /** A crossing by the state's own series, near where the quantity's course has it. */
  private refined(
    { crossing, c0, c1, c2, value, tolerance, late }: Watch,
    { place }: Motion,
    begin: number,
    guess: number,
    step: number,
  ): number {
    // one that began at zero rises beyond what rounding leaves
    if (late || (begin === 0 && value > -tolerance)) return guess;
    const { polynomial: p, series, terms, origin } = this;
    const { at: states, of } = crossing.row;
    p[0] = along(crossing.row, this.start);
    for (let k = 1; k < terms; k += 1) p[k] = 0;
    for (let i = 0; i < states.length; i += 1) {
      const r = place[states[i]!]!;
      if (r >= 0) for (let k = 1; k < terms; k += 1) p[k]! += of[i]! * series[k]![r]!;
    }
    const from = begin + origin;
    p[0] += c0 + from * (c1 + from * c2);
    p[1]! += c1 + 2 * from * c2;
    if (terms > 2) p[2]! += c2;
    let time = guess - origin;
    let settled = false;
    let past = 2e-16 * step;
    for (let round = 0; round < NEWTON; round += 1) {
      let at = p[terms - 1]!;
      let rate = 0;
      for (let k = terms - 2; k >= 0; k -= 1) {
        rate = rate * time + at;
        at = at * time + p[k]!;
      }
      if (settled) {
        // at the crossing or just past it: what it changes must not see it as still to come
        if (at >= 0) break;
        time += past;
        past *= 2;
        continue;
      }
      const by = at / rate;
      time -= by;
      const root = time + origin;
      if (!(root >= 0 && root <= step) || Math.abs(root - guess) > NEAR * step) return guess;
      settled = Math.abs(by) <= 1e-15 * step;
    }
    return settled ? time + origin : guess;
  }
}
