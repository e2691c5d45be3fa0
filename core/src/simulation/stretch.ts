import { propagate, rowTimes, zeros, type Vector } from '../numbers/linear.ts';
import { along, applyRows, applyRowsTo, rowOf, sparseOf, type Row, type Sparse } from './rows.ts';

/*
 * A linear flow followed from a state to the first moment at which one of several quantities rises through zero. It goes
 * from node to node by one matrix exponential, and from the last node to the crossing by a short Taylor series. At the
 * nodes every quantity and its slope are known: a change of sign, or of the slope below zero, tells the piece in which the
 * quantity's own series is then solved. Where the flow is stiff against the times that matter, exponentials over powers
 * of two of a length carry it, and crossings are found by halving.
 */

/** The flow of one linear mode. */
export class Motion {
  readonly size: number;
  readonly matrix: Vector;
  /** norm of the matrix with states in their natural units, 1/s */
  readonly norm: number;
  /** s between nodes: a length that the series reaches easily */
  readonly pace: number;
  /** states that move, and those that stand still */
  readonly moving: number[] = [];
  readonly still: number[] = [];
  readonly stillKey: string;
  /** slopes of the moving states, and what they have of moving states alone */
  readonly slopes: Sparse;
  readonly inner: Sparse;
  /** stretches followed so far */
  visits = 0;
  private nodes: { length: number; phi: Sparse; standing: Sparse; psi: Vector } | undefined;
  private readonly parts: ({ phi: Sparse; standing: Sparse; psi: Vector } | undefined)[] = [];
  /** exponentials of the matrix over powers of two of a second, and their integrals; made as they are needed */
  private readonly maps = new Map<number, { phi: Sparse; psi: Sparse }>();

  /** @param longest s between two nodes at most */
  constructor(size: number, matrix: Vector, norm: number, longest: number) {
    this.size = size;
    this.matrix = matrix;
    this.norm = norm;
    this.pace = Math.min(longest, norm > 0 ? REACH / norm : longest);
    for (let row = 0; row < size; row += 1) {
      let moves = false;
      for (let k = 0; k < size && !moves; k += 1) moves = matrix[row * size + k] !== 0;
      (moves ? this.moving : this.still).push(row);
    }
    this.stillKey = this.still.join();
    this.slopes = sparseOf(size, matrix, this.moving);
    this.inner = sparseOf(size, matrix, this.moving, (at) => this.moving.includes(at));
  }

  /** s up to which a stretch is followed from node to node. */
  get farthest(): number {
    return (MOST_PIECES * REACH) / this.norm;
  }

  /** The map from node to node, of what moves and of what stands, and its integral. */
  get step(): { length: number; phi: Sparse; standing: Sparse; psi: Vector } {
    if (!this.nodes) {
      const { size, matrix, norm, pace, moving } = this;
      const { phi, psi } = propagate(size, matrix, pace, norm);
      this.nodes = {
        length: pace,
        phi: sparseOf(size, phi, moving, (at) => moving.includes(at)),
        standing: sparseOf(size, phi, moving, (at) => !moving.includes(at)),
        psi,
      };
    }
    return this.nodes;
  }

  /** The map over so many parts of the way between nodes. */
  part(number: number): { phi: Sparse; standing: Sparse; psi: Vector } {
    let part = this.parts[number];
    if (!part) {
      const { size, matrix, norm, pace, moving } = this;
      const { phi, psi } = propagate(size, matrix, (pace * number) / PARTS, norm);
      part = {
        phi: sparseOf(size, phi, moving, (at) => moving.includes(at)),
        standing: sparseOf(size, phi, moving, (at) => !moving.includes(at)),
        psi,
      };
      this.parts[number] = part;
    }
    return part;
  }

  /** Over 2^exponent s. */
  map(exponent: number): { phi: Sparse; psi: Sparse } {
    let map = this.maps.get(exponent);
    if (!map) {
      const { size, moving } = this;
      const { phi, psi } = propagate(size, this.matrix, 2 ** exponent, this.norm);
      const every = Array.from({ length: size }, (_, row) => row);
      map = { phi: sparseOf(size, phi, moving), psi: sparseOf(size, psi, every) };
      this.maps.set(exponent, map);
    }
    return map;
  }
}

/** A quantity of one mode: its row, its slope's, its curvature's, and those of all derivatives over their factorials. */
export class Quantity {
  readonly row: Row;
  readonly slope: Row;
  readonly curve: Row;
  private readonly full: Vector;
  private readonly motion: Motion;
  private known: Row[] | undefined;

  constructor(motion: Motion, full: Vector) {
    this.motion = motion;
    this.full = full;
    this.row = rowOf(full);
    const slope = rowTimes(motion.size, full, motion.matrix);
    this.slope = rowOf(slope);
    this.curve = rowOf(rowTimes(motion.size, slope, motion.matrix));
  }

  get derivatives(): Row[] {
    if (!this.known) {
      const { size, matrix } = this.motion;
      let row = this.full;
      this.known = [this.row];
      for (let k = 1; k < TERMS; k += 1) {
        row = rowTimes(size, row, matrix).map((value) => value / k);
        this.known.push(rowOf(row));
      }
    }
    return this.known;
  }

  /** The coefficients of its series from a state on. */
  seriesInto(state: Vector, out: Vector): void {
    const { derivatives } = this;
    for (let k = 0; k < TERMS; k += 1) out[k] = along(derivatives[k]!, state);
  }
}

/** A quantity watched over a stretch, with a polynomial in the time since the stretch began added to it. */
export interface Watch {
  quantity: Quantity;
  /** s⁰, s¹, s² coefficients */
  c0: number;
  c1: number;
  c2: number;
  /** size below which it counts as zero where a stretch begins */
  tolerance: number;
  /** where it stands at the node that was reached last */
  value: number;
  slope: number;
}

/** Told the pieces of a stretch. */
export interface Sink {
  /** From `begin` of the stretch, `length` long, from one state to another. */
  piece: (begin: number, length: number, start: Vector, end: Vector, stiff: boolean) => void;
}

/** Norm times length between nodes, and the terms that reach rounding over it: 1/20! is 4·10⁻¹⁹. */
const REACH = 1;
export const TERMS = 20;
/** Parts of the way between two nodes whose exponentials a mode keeps once it has come up so often: from them a few terms reach. */
const PARTS = 16;
const OFTEN = 4;
/** Parts about a guess within which a crossing is told by the series there. */
const NEAR = 0.25;
const NEWTON = 8;
/** Pieces of a stretch beyond which it counts as stiff, and those that it is then taken in at least. */
const MOST_PIECES = 1000;
const STIFF_PIECES = 128;
const HALVINGS = 52;

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
  /** the state's integral over the stretch, where a sink was told of it */
  readonly integral: Vector;
  private readonly series: Vector[];
  private readonly polynomial: Vector = zeros(TERMS);
  private readonly sum: Vector;
  private readonly base: Vector;
  private readonly near: Vector;
  private stillOf = '';
  private terms = TERMS;
  /** the part of the way from a node that the series begins at: its number, and s */
  private number = 0;
  private origin = 0;
  /** s into a piece at which a crossing was solved by the series that stands */
  private solved = -1;
  private here: Vector;
  private there: Vector;

  constructor(size: number) {
    this.size = size;
    this.series = Array.from({ length: TERMS }, () => zeros(size));
    this.integral = zeros(size);
    this.sum = zeros(size);
    this.base = zeros(size);
    this.near = zeros(size);
    this.here = zeros(size);
    this.there = zeros(size);
  }

  /**
   * Follows the motion for at most `length` until a watched quantity rises through zero.
   * @param state moved along in place
   * @param count of the watches that count
   * @returns which quantity rose, −1 where none did; when is {@link after}
   */
  follow(motion: Motion, state: Vector, length: number, watches: Watch[], count: number, sink?: Sink): number {
    const { size, integral, sum } = this;
    this.after = 0;
    const stiff = length > motion.farthest;
    for (let w = 0; w < count; w += 1) {
      const watch = watches[w]!;
      watch.value = along(watch.quantity.row, state) + watch.c0;
      watch.slope = along(watch.quantity.slope, state) + watch.c1;
      if (
        watch.value > watch.tolerance ||
        (!stiff && watch.value >= 0 && watch.slope * motion.pace > watch.tolerance)
      ) {
        if (sink) for (let i = 0; i < size; i += 1) integral[i] = 0;
        return w;
      }
    }
    motion.visits += 1;
    if (stiff) return this.followStiff(motion, state, length, watches, count, sink);
    const whole = length > motion.pace ? motion.step : undefined;
    const pace = whole ? whole.length : length;
    let begin = 0;
    let which = -1;
    if (sink) for (let i = 0; i < size; i += 1) sum[i] = integral[i] = 0;
    let { here, there } = this;
    for (let i = 0; i < size; i += 1) here[i] = there[i] = state[i]!;
    const { base } = this;
    if (whole) applyRows(whole.standing, state, base);
    while (begin < length) {
      const full = whole !== undefined && begin + pace < length;
      const step = full ? pace : length - begin;
      if (full) applyRowsTo(whole.phi, base, here, there);
      else {
        this.expand(motion, here, step);
        this.valueInto(motion, step, there);
      }
      const end = begin + step;
      let first = step;
      let solved = -1;
      for (let w = 0; w < count; w += 1) {
        const watch = watches[w]!;
        const value = along(watch.quantity.row, there) + watch.c0 + end * (watch.c1 + end * watch.c2);
        const slope = along(watch.quantity.slope, there) + watch.c1 + 2 * end * watch.c2;
        if (value > 0 || (watch.slope > 0 && slope < 0 && watch.value + watch.slope * step > 0)) {
          const root =
            (value > 0 && watch.value < 0
              ? this.crossing(watch, motion, here, begin, step, value, slope)
              : undefined) ?? this.rise(watch, here, begin, first);
          if (root !== undefined && (root < first || which < 0)) {
            first = root;
            which = w;
          }
          solved = w;
        }
        watch.value = value;
        watch.slope = slope;
      }
      if (which >= 0 || !full) {
        // the last piece ends between two nodes
        if (which >= 0) {
          if (solved !== which || first !== this.solved) this.expand(motion, here, first);
          this.valueInto(motion, first, there);
        }
        if (sink) {
          this.integrateInto(motion, first, here, integral);
          if (first > 0) sink.piece(begin, first, here, there, false);
        }
        begin = which >= 0 ? begin + first : length;
        break;
      }
      if (sink) {
        for (let i = 0; i < size; i += 1) sum[i]! += here[i]!;
        sink.piece(begin, step, here, there, false);
      }
      begin = end;
      const held = here;
      here = there;
      there = held;
    }
    this.after = begin;
    for (let i = 0; i < size; i += 1) state[i] = there[i]!;
    this.here = here;
    this.there = there;
    if (sink && whole)
      for (let i = 0; i < size; i += 1) {
        let add = 0;
        for (let k = 0; k < size; k += 1) add += whole.psi[i * size + k]! * sum[k]!;
        integral[i]! += add;
      }
    return which;
  }

  /** Makes ready to tell states within a piece, from the node that it begins at. */
  open(motion: Motion, node: Vector, length: number): void {
    // about the node itself, for all of the piece
    const { visits } = motion;
    motion.visits = 0;
    this.expand(motion, node, length);
    motion.visits = visits;
    for (let i = 0; i < this.size; i += 1) this.near[i] = node[i]!;
  }

  /** The state some time into the piece that is open. */
  stateAt(motion: Motion, time: number): Vector {
    this.valueInto(motion, time, this.near);
    return this.near;
  }

  /**
   * The state's derivatives over factorials at a node, or at the part of the way from it that lies nearest, as many as a
   * time near it needs.
   */
  private expand(motion: Motion, node: Vector, time: number): void {
    const { inner, slopes, moving, norm, pace, visits } = motion;
    const { series, size } = this;
    const start = series[0]!;
    for (let i = 0; i < size; i += 1) start[i] = node[i]!;
    const number = visits > OFTEN ? Math.min(PARTS - 1, Math.round((time * PARTS) / pace)) : 0;
    this.number = number;
    this.origin = (pace * number) / PARTS;
    if (number > 0) {
      const { phi, standing } = motion.part(number);
      const { near } = this;
      applyRows(standing, node, near);
      applyRowsTo(phi, near, node, start);
    }
    if (this.stillOf !== motion.stillKey) {
      // what moved in another mode and stands in this one has no slopes
      this.stillOf = motion.stillKey;
      for (let k = 1; k < TERMS; k += 1) for (const i of motion.still) series[k]![i] = 0;
    }
    const terms = termsTo(norm * (Math.abs(time - this.origin) + (pace * NEAR) / PARTS));
    this.terms = terms;
    applyRows(slopes, start, series[1]!);
    const { starts, at, of } = inner;
    for (let k = 2; k < terms; k += 1) {
      const before = series[k - 1]!;
      const next = series[k]!;
      const over = 1 / k;
      let entry = 0;
      for (let i = 0; i < moving.length; i += 1) {
        const stop = starts[i + 1]!;
        let sum = 0;
        for (; entry < stop; entry += 1) sum += of[entry]! * before[at[entry]!]!;
        next[moving[i]!] = sum * over;
      }
    }
  }

  private valueInto({ moving }: Motion, at: number, out: Vector): void {
    const { series, terms, origin } = this;
    const time = at - origin;
    for (let r = 0; r < moving.length; r += 1) {
      const i = moving[r]!;
      let value = series[terms - 1]![i]!;
      for (let k = terms - 2; k >= 0; k -= 1) value = value * time + series[k]![i]!;
      out[i] = value;
    }
  }

  private integrateInto(motion: Motion, until: number, node: Vector, out: Vector): void {
    const { series, size, terms, origin, number } = this;
    const { moving } = motion;
    const time = until - origin;
    for (let i = 0; i < size; i += 1) out[i] = node[i]! * until;
    const psi = number > 0 ? motion.part(number).psi : undefined;
    for (let r = 0; r < moving.length; r += 1) {
      const i = moving[r]!;
      let value = series[terms - 1]![i]! / terms;
      for (let k = terms - 2; k >= 0; k -= 1) value = value * time + series[k]![i]! / (k + 1);
      let sum = value * time;
      if (psi) for (let k = 0; k < size; k += 1) sum += psi[i * size + k]! * node[k]!;
      out[i] = sum;
    }
  }

  /** Where a watched quantity crosses zero in a piece that it begins below and ends above, by its series near a cubic's root. */
  private crossing(
    { quantity, c1, c2, c0, value, slope }: Watch,
    motion: Motion,
    node: Vector,
    begin: number,
    step: number,
    endValue: number,
    endSlope: number,
  ): number | undefined {
    // a cubic through values and slopes at both ends, in parts of the piece
    const [a, b] = [slope * step, endSlope * step];
    const rise = endValue - value;
    const square = 3 * rise - 2 * a - b;
    const cube = a + b - 2 * rise;
    let low = 0;
    let high = 1;
    let part = -value / rise;
    for (let round = 0; round < NEWTON; round += 1) {
      const at = value + part * (a + part * (square + part * cube));
      if (at > 0) high = part;
      else low = part;
      let next = part - at / (a + part * (2 * square + 3 * part * cube));
      if (!(next > low && next < high)) next = (low + high) / 2;
      const moved = Math.abs(next - part);
      part = next;
      if (moved < 1e-4) break;
    }
    const guess = part * step;
    this.expand(motion, node, guess);
    const { polynomial: p, series, terms, origin } = this;
    for (let k = 0; k < terms; k += 1) p[k] = along(quantity.row, series[k]!);
    const from = begin + origin;
    p[0]! += c0 + from * (c1 + from * c2);
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
      if (!(root >= 0 && root <= step) || Math.abs(root - guess) > (motion.pace * NEAR) / PARTS) return undefined;
      settled = Math.abs(by) <= 1e-15 * step;
    }
    if (!settled) return undefined;
    this.solved = time + origin;
    return this.solved;
  }

  /** When a watched quantity first rises through zero in a piece. */
  private rise(
    { quantity, c1, c2, value, slope, tolerance }: Watch,
    node: Vector,
    begin: number,
    length: number,
  ): number | undefined {
    const { polynomial: p } = this;
    this.solved = -1;
    quantity.seriesInto(node, p);
    // what begins at zero as near as rounding has to leave it
    p[0] = value > -tolerance ? value - tolerance : value;
    p[1]! += c1 + 2 * begin * c2;
    p[2]! += c2;
    const at = (time: number): number => {
      let sum = p[TERMS - 1]!;
      for (let k = TERMS - 2; k >= 0; k -= 1) sum = sum * time + p[k]!;
      return sum;
    };
    const slopeAt = (time: number): number => {
      let sum = (TERMS - 1) * p[TERMS - 1]!;
      for (let k = TERMS - 2; k >= 1; k -= 1) sum = sum * time + k * p[k]!;
      return sum;
    };
    let high = length;
    if (slope > 0 && slopeAt(high) < 0) {
      // its top may be above zero, at the end or not
      const top = halved(slopeAt, 0, high, -1);
      if (at(top) > 0) high = top;
    }
    return at(high) > 0 ? halved(at, 0, high, 1, slopeAt) : undefined;
  }

  private followStiff(
    motion: Motion,
    state: Vector,
    length: number,
    watches: Watch[],
    count: number,
    sink?: Sink,
  ): number {
    const { size, integral } = this;
    // lengths are powers of two, so that stretches of every length share their maps
    const exponent = Math.floor(Math.log2(length / STIFF_PIECES));
    const ideal = 2 ** exponent;
    const { here: next, there: start, sum } = this;
    if (sink) for (let i = 0; i < size; i += 1) integral[i] = 0;
    for (let i = 0; i < size; i += 1) next[i] = state[i]!;
    // what stands still is the same in both
    const take = (psi: Sparse): void => {
      if (sink) {
        applyRows(psi, state, sum);
        for (let i = 0; i < size; i += 1) integral[i]! += sum[i]!;
      }
      for (const i of motion.moving) state[i] = next[i]!;
    };
    const valueOf = ({ quantity, c0, c1, c2 }: Watch, at: Vector, time: number): number =>
      along(quantity.row, at) + c0 + time * (c1 + time * c2);
    let begin = 0;
    while (begin < length) {
      const step = Math.min(ideal, length - begin);
      if (step < 1e-15 * length) break;
      for (let i = 0; i < size; i += 1) start[i] = state[i]!;
      const whole = step >= ideal * (1 - 1e-12);
      let done = 0;
      let which = -1;
      // a whole step where nothing rises in it; else by halves, towards the first that does, or to the end
      for (let k = 0; k <= HALVINGS; k += 1) {
        const part = ideal / 2 ** k;
        if (done + part > step * (1 + 1e-15) || (k === 0 && !whole)) continue;
        const { phi, psi } = motion.map(exponent - k);
        applyRows(phi, state, next);
        let found = -1;
        for (let w = 0; w < count && found < 0; w += 1)
          if (valueOf(watches[w]!, next, begin + done + part) > 0) found = w;
        if (found >= 0) {
          which = found;
          continue;
        }
        take(psi);
        done += part;
        if (k === 0) break;
      }
      if (done > 0) sink?.piece(begin, done, start, state, true);
      begin += which >= 0 || whole ? done : step;
      if (which >= 0) {
        this.after = begin;
        return which;
      }
    }
    this.after = length;
    return -1;
  }
}

/** Where a function changes to the sign named, in a bracket: Newton's method where a slope is given, halving beside it. */
export function halved(
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
    if (Math.abs(next - at) <= 1e-16 * to) return next;
    at = next;
  }
  return high;
}
