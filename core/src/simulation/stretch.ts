import { propagate, transition, zeros, type Vector } from '../numbers/linear.ts';

/*
 * A linear flow followed from a state by its Taylor series, in pieces short enough that the series reaches rounding, and
 * the first moment at which one of several quantities rises through zero. Where the flow is stiff against the times that
 * matter, the pieces are carried by matrix exponentials instead, and crossings are found by halving.
 */

export interface Motion {
  size: number;
  matrix: Vector;
  /** norm of the matrix with states in their natural units, 1/s */
  norm: number;
  /** exponentials of the matrix over powers of two of a second, and their integrals; made as they are needed */
  maps?: Map<number, { phi: Vector; psi: Vector }>;
}

/** A quantity over a stretch: a row over the state, plus a polynomial in the time since the stretch began. */
export interface Watch {
  row: Vector;
  /** s⁰, s¹, s² coefficients */
  drift?: readonly [number, number, number];
  /** size below which it counts as zero where a stretch begins */
  tolerance: number;
}

const TERMS = 17;
/** Norm times length up to which so many terms reach rounding, and pieces in the stretch beyond which exponentials carry it. */
const REACH = 1;
const MOST_PIECES = 400;
const STIFF_PIECES = 128;
const SAMPLES = 6;

/** Room for the series of one piece: the state's derivatives over factorials, and one watched polynomial. */
export class Stretcher {
  readonly size: number;
  /** coefficients of the state: TERMS vectors */
  readonly series: Vector[];
  private readonly polynomial: Vector = zeros(TERMS);

  constructor(size: number) {
    this.size = size;
    this.series = Array.from({ length: TERMS }, () => zeros(size));
  }

  /**
   * Follows the motion for at most `length`, telling each piece, until a watched quantity rises through zero.
   * @param state moved along in place
   * @param piece told each piece's length, and the terms of `series` that hold it (0 in stiff ones: their ends alone)
   * @returns which quantity rose and after which time; `which` is −1 where none did
   */
  follow(
    motion: Motion,
    state: Vector,
    length: number,
    watches: readonly Watch[],
    piece: (begin: number, length: number, terms: number, end: Vector, integral?: Vector) => void,
  ): { which: number; after: number } {
    const pieces = Math.ceil((motion.norm * length) / REACH);
    if (pieces > MOST_PIECES) return this.followStiff(motion, state, length, watches, piece);
    const step = length / Math.max(1, pieces);
    let begin = 0;
    for (let at = 0; at < Math.max(1, pieces); at += 1) {
      this.expand(motion, state, step);
      let first = step;
      let which = -1;
      for (let w = 0; w < watches.length; w += 1) {
        const root = this.rise(watches[w]!, begin, first, at === 0);
        if (root !== undefined && (root < first || which < 0)) {
          first = root;
          which = w;
        }
      }
      this.valueInto(first, state);
      piece(begin, first, this.used, state);
      begin += first;
      if (which >= 0) return { which, after: begin };
    }
    return { which: -1, after: length };
  }

  private used = TERMS;

  /** The series of the state, as many terms as its own piece needs. */
  private expand({ size, matrix }: Motion, state: Vector, step: number): void {
    const { series } = this;
    const [start] = series as [Vector];
    for (let i = 0; i < size; i += 1) start[i] = state[i]!;
    let k = 1;
    for (; k < TERMS; k += 1) {
      const before = series[k - 1]!;
      const next = series[k]!;
      let small = true;
      const scale = step ** k;
      for (let i = 0; i < size; i += 1) {
        let sum = 0;
        const row = i * size;
        for (let j = 0; j < size; j += 1) sum += matrix[row + j]! * before[j]!;
        next[i] = sum / k;
        if (small && Math.abs(next[i]! * scale) > 1e-18 * (1e-6 + Math.abs(state[i]!))) small = false;
      }
      if (small) {
        k += 1;
        break;
      }
    }
    this.used = k;
    for (; k < TERMS; k += 1) {
      const rest = series[k]!;
      for (let i = 0; i < size; i += 1) rest[i] = 0;
    }
  }

  /** The state after a time into the piece. */
  valueInto(time: number, out: Vector): void {
    const { series, size, used } = this;
    for (let i = 0; i < size; i += 1) {
      let value = series[used - 1]![i]!;
      for (let k = used - 2; k >= 0; k -= 1) value = value * time + series[k]![i]!;
      out[i] = value;
    }
  }

  /** When a watched quantity first rises through zero in a piece. */
  private rise({ row, drift, tolerance }: Watch, begin: number, length: number, starts: boolean): number | undefined {
    const { polynomial: p, series, used, size } = this;
    for (let k = 0; k < used; k += 1) {
      const term = series[k]!;
      let sum = 0;
      for (let i = 0; i < size; i += 1) sum += row[i]! * term[i]!;
      p[k] = sum;
    }
    const count = Math.max(used, 3);
    for (let k = used; k < count; k += 1) p[k] = 0;
    if (drift) {
      const [c0, c1, c2] = drift;
      p[0]! += c0 + begin * (c1 + begin * c2);
      p[1]! += c1 + 2 * begin * c2;
      p[2]! += c2;
    }
    if (starts) {
      if (p[0]! > tolerance) return 0;
      if (p[0]! >= 0 && p[1]! > 0) return 0;
    }
    const at = (time: number): number => {
      let value = p[count - 1]!;
      for (let k = count - 2; k >= 0; k -= 1) value = value * time + p[k]!;
      return value;
    };
    const slopeAt = (time: number): number => {
      let value = (count - 1) * p[count - 1]!;
      for (let k = count - 2; k >= 1; k -= 1) value = value * time + k * p[k]!;
      return value;
    };
    let low = 0;
    let slope = p[1]!;
    for (let i = 1; i <= SAMPLES; i += 1) {
      let high = (length * i) / SAMPLES;
      let value = at(high);
      const next = slopeAt(high);
      if (value <= 0 && slope > 0 && next < 0) {
        // a hump between two places below zero: its top may still be above
        const top = halved(slopeAt, low, high, -1);
        const there = at(top);
        if (there > 0) [high, value] = [top, there];
      }
      if (value > 0) return halved(at, low, high, 1, slopeAt);
      low = high;
      slope = next;
    }
    return undefined;
  }

  private followStiff(
    motion: Motion,
    state: Vector,
    length: number,
    watches: readonly Watch[],
    piece: (begin: number, length: number, terms: number, end: Vector, integral?: Vector) => void,
  ): { which: number; after: number } {
    const { size } = this;
    const span = length / STIFF_PIECES;
    // lengths are powers of two, so that stretches of every length share their maps
    const exponent = Math.floor(Math.log2(span));
    const ideal = 2 ** exponent;
    const maps = (motion.maps ??= new Map());
    const mapOf = (k: number): { phi: Vector; psi: Vector } => {
      let map = maps.get(exponent - k);
      if (!map) {
        map = propagate(size, motion.matrix, ideal / 2 ** k, motion.norm);
        maps.set(exponent - k, map);
      }
      return map;
    };
    const sum = zeros(size);
    const next = zeros(size);
    const valueOf = ({ row, drift }: Watch, at: Vector, time: number): number => {
      let sum = drift ? drift[0] + time * (drift[1] + time * drift[2]) : 0;
      for (let i = 0; i < size; i += 1) sum += row[i]! * at[i]!;
      return sum;
    };
    const apply = (map: Vector, from: Vector, to: Vector): void => {
      for (let i = 0; i < size; i += 1) {
        let sum = 0;
        for (let j = 0; j < size; j += 1) sum += map[i * size + j]! * from[j]!;
        to[i] = sum;
      }
    };
    for (let w = 0; w < watches.length; w += 1)
      if (valueOf(watches[w]!, state, 0) > watches[w]!.tolerance) return { which: w, after: 0 };
    let begin = 0;
    while (begin < length) {
      const step = Math.min(ideal, length - begin);
      if (step < 1e-15 * length) break;
      const whole = step >= ideal * (1 - 1e-12);
      apply(whole ? mapOf(0).phi : transition(size, motion.matrix, step, motion.norm), state, next);
      const crossed = watches.findIndex(
        (watch) => valueOf(watch, next, begin + step) > 0 && valueOf(watch, state, begin) <= watch.tolerance,
      );
      if (crossed < 0) {
        if (whole) apply(mapOf(0).psi, state, sum);
        for (let i = 0; i < size; i += 1) state[i] = next[i]!;
        piece(begin, step, 0, state, whole ? sum : undefined);
        begin += step;
        continue;
      }
      // halving towards the first of all that crossed
      let done = 0;
      let which = crossed;
      for (let k = 1; k < 52; k += 1) {
        const half = ideal / 2 ** k;
        if (done + half > step) continue;
        apply(mapOf(k).phi, state, next);
        const found = watches.findIndex((watch) => valueOf(watch, next, begin + done + half) > 0);
        if (found >= 0) {
          which = found;
          continue;
        }
        for (let i = 0; i < size; i += 1) state[i] = next[i]!;
        done += half;
      }
      piece(begin, done, 0, state);
      return { which, after: begin + done };
    }
    return { which: -1, after: length };
  }
}

/** Where a function changes to the sign named, in a bracket: Newton's method where a slope is given, halving beside it. */
function halved(
  of: (time: number) => number,
  from: number,
  to: number,
  sign: 1 | -1,
  slopeOf?: (time: number) => number,
): number {
  let [low, high] = [from, to];
  let at = (low + high) / 2;
  for (let round = 0; round < 80; round += 1) {
    const value = sign * of(at);
    if (value > 0) high = at;
    else low = at;
    if (high - low <= 1e-16 * to) break;
    const slope = slopeOf ? sign * slopeOf(at) : 0;
    let next = slope > 0 ? at - value / slope : Number.NaN;
    if (!(next > low && next < high)) next = (low + high) / 2;
    if (Math.abs(next - at) <= 1e-16 * to) return high;
    at = next;
  }
  return high;
}
