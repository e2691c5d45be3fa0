import {
  applyInto,
  dot,
  GAUSS_FEW,
  GAUSS_NODES,
  multiplyInto,
  termsFor,
  transitionChain,
  zeros,
  type Nodes,
  type Vector,
} from './linear.ts';

/** A linear flow ż = Mz, one state of it the constant 1. */
export interface Flow {
  size: number;
  matrix: Vector;
  /** 1/s, a size for the matrix after scaling; see {@link scaledNorm} */
  norm: number;
  /** whether inductances ring in it, so that its samples stand closer */
  rings: boolean;
  /** rad/s, fastest resonance that its samples have to follow over a long stretch; 0 without one */
  resonance: number;
  /** transitions over a duration (s) and its halves, the finest first: a stiff stretch is followed more than once */
  chains?: Map<number, Vector[]>;
}

export interface Range {
  min: number;
  max: number;
}

/** Samples of one stretch: times from its start (s) and the state at each, both ends included. */
export interface Samples {
  times: number[];
  states: Vector[];
}

/** Scaled length of a piece that a stretch is summed in by its own Taylor series, and most such pieces: eight nodes still sum the square to (2·1.6)¹⁶ · 2·10⁻²³ = 2·10⁻¹⁵. */
const PIECE = 1.6;
const MOST_PIECES = 4;
/** Scaled length up to which the rule of few nodes is exact to rounding: (2·0.1)⁸ · 6·10⁻¹⁰ = 1·10⁻¹⁵. */
const FEW = 0.1;
const MOST_TERMS = 32;
/** Places at which the slope's sign is read where a series' curvature may change its sign. */
const SLOPES = 8;

/** Most halvings of a stiff stretch down to its samples: for ramps and settling, and where inductances ring. */
const HALVINGS = 3;
const HALVINGS_RINGING = 5;
/** Radians of a resonance between two samples, so that no two turning points fall between them; and the most halvings for it. */
const RADIANS = 0.8;
const MOST_HALVINGS = 10;

/** A stretch too stiff for the series: samples along it, and its transitions, of which every halving between them is one. */
interface Stiff {
  flow: Flow;
  duration: number;
  chain: readonly Vector[];
  samples: Samples;
}

function halvingsOf({ rings, resonance }: Flow, duration: number): number {
  const usual = rings ? HALVINGS_RINGING : HALVINGS;
  const radians = resonance * duration;
  return radians > RADIANS * 2 ** usual ? Math.min(MOST_HALVINGS, Math.ceil(Math.log2(radians / RADIANS))) : usual;
}

function chainOf(flow: Flow, duration: number): readonly Vector[] {
  const chains = (flow.chains ??= new Map());
  let chain = chains.get(duration);
  if (!chain) {
    chain = transitionChain(flow.size, flow.matrix, duration, flow.norm, halvingsOf(flow, duration));
    chains.set(duration, chain);
  }
  return chain;
}

const TRACERS: Tracer[] = [];

/** The one tracer for flows of a size. What it holds is the last stretch followed: read it before the next. */
export function tracerFor(size: number): Tracer {
  return (TRACERS[size] ??= new Tracer(size));
}

/**
 * Follows a flow along one stretch and tells exactly what any quantity linear in its state gathers there (average,
 * square) and reaches (extremes). Short against the flow's own times the stretch is summed from the trajectory's Taylor
 * series, in a few pieces and in storage made once; where it is stiff, by a chain of matrix exponentials.
 */
export class Tracer {
  private readonly size: number;
  /** ∫ z zᵀ over the stretch, row-major */
  readonly moment: Vector;
  /** Taylor coefficients over each piece's length, term after term */
  private readonly series: Vector;
  private readonly coefficients: Vector = zeros(MOST_TERMS);
  private readonly state: Vector;
  private readonly values: Vector;
  private readonly product: Vector;
  private pieces = 0;
  private terms = 0;
  private stiff: Stiff | undefined;

  constructor(size: number) {
    this.size = size;
    this.moment = zeros(size * size);
    this.series = zeros(MOST_PIECES * MOST_TERMS * size);
    this.state = zeros(size);
    this.values = zeros(4 * size);
    this.product = zeros(size * size);
  }

  /** @param duration s, of the stretch that starts at `initial` */
  follow(flow: Flow, duration: number, initial: Vector): void {
    const scaled = flow.norm * duration;
    if (scaled <= MOST_PIECES * PIECE) {
      this.stiff = undefined;
      this.sum(flow.matrix, duration, scaled, initial);
      return;
    }
    const halvings = halvingsOf(flow, duration);
    const chain = chainOf(flow, duration);
    const finest = duration / 2 ** (chain.length - 1);
    this.sum(flow.matrix, finest, flow.norm * finest, initial);
    for (let d = 0; d + 1 < chain.length; d += 1) this.double(chain[d]!);
    this.stiff = { flow, duration, chain, samples: samplesBy(flow, duration, initial, chain, halvings) };
  }

  /** M(2h) = M(h) + Φ(h) M(h) Φ(h)ᵀ: a sum of positive semidefinite terms, so nothing cancels. */
  private double(phi: Vector): void {
    const { size: n, moment, product } = this;
    multiplyInto(n, phi, moment, product);
    for (let i = 0; i < n; i += 1)
      for (let k = 0; k <= i; k += 1) {
        let sum = 0;
        for (let j = 0; j < n; j += 1) sum += product[i * n + j]! * phi[k * n + j]!;
        moment[i * n + k]! += sum;
      }
    for (let i = 0; i < n; i += 1) for (let k = i + 1; k < n; k += 1) moment[i * n + k] = moment[k * n + i]!;
  }

  /** The state at the stretch's end alone. */
  carry(flow: Flow, duration: number, initial: Vector): Vector {
    const { size: n } = this;
    const scaled = flow.norm * duration;
    if (!(scaled <= MOST_PIECES * PIECE)) return applyInto(n, chainOf(flow, duration).at(-1)!, initial, zeros(n));
    this.cut(scaled);
    let state = initial;
    for (let piece = 0; piece < this.pieces; piece += 1) {
      this.expand(flow.matrix, 0, duration / this.pieces, state);
      const end = zeros(n);
      this.endOf(0, end, 0);
      state = end;
    }
    return state;
  }

  private cut(scaled: number): void {
    this.pieces = Math.max(1, Math.ceil(scaled / PIECE));
    this.terms = termsFor(scaled / this.pieces) + 2; // the source column adds a term, the start is one
  }

  /** Taylor coefficients of the trajectory over h, from a start: Tₖ = h·M·Tₖ₋₁/k. */
  private expand(matrix: Vector, at: number, h: number, start: Vector): void {
    const { size: n, series, terms } = this;
    for (let i = 0; i < n; i += 1) series[at + i] = start[i]!;
    for (let k = 1; k < terms; k += 1) {
      const from = at + (k - 1) * n;
      const scale = h / k;
      for (let i = 0; i < n; i += 1) {
        let sum = 0;
        for (let j = 0; j < n; j += 1) sum += matrix[i * n + j]! * series[from + j]!;
        series[from + n + i] = sum * scale;
      }
    }
  }

  private endOf(at: number, into: Vector, offset: number): void {
    const { size: n, series, terms } = this;
    for (let i = 0; i < n; i += 1) {
      let value = 0;
      for (let k = terms - 1; k >= 0; k -= 1) value += series[at + k * n + i]!;
      into[offset + i] = value;
    }
  }

  private sum(matrix: Vector, duration: number, scaled: number, initial: Vector): void {
    const { size: n, state, moment } = this;
    this.cut(scaled);
    const { pieces, terms } = this;
    const nodes = scaled / pieces <= FEW ? GAUSS_FEW : GAUSS_NODES;
    const h = duration / pieces;
    for (let i = 0; i < n * n; i += 1) moment[i] = 0;
    for (let i = 0; i < n; i += 1) state[i] = initial[i]!;
    for (let piece = 0; piece < pieces; piece += 1) {
      const at = piece * terms * n;
      this.expand(matrix, at, h, state);
      for (let first = 0; first < nodes.length; first += 4) this.gather(at, nodes, first, h);
      if (piece + 1 < pieces) this.endOf(at, state, 0);
    }
    for (let i = 0; i < n; i += 1) for (let k = i + 1; k < n; k += 1) moment[i * n + k] = moment[k * n + i]!;
  }

  /** Adds four nodes' share to the lower half of the second moment: four at a time, for their sums do not wait for each other. */
  private gather(at: number, nodes: Nodes, first: number, h: number): void {
    const { size: n, series, terms, values, moment } = this;
    const [p, q, r, s] = [nodes[first]!, nodes[first + 1]!, nodes[first + 2]!, nodes[first + 3]!];
    for (let i = 0; i < n; i += 1) {
      let [vp, vq, vr, vs] = [0, 0, 0, 0];
      for (let k = terms - 1; k >= 0; k -= 1) {
        const term = series[at + k * n + i]!;
        vp = vp * p.at + term;
        vq = vq * q.at + term;
        vr = vr * r.at + term;
        vs = vs * s.at + term;
      }
      values[4 * i] = vp;
      values[4 * i + 1] = vq;
      values[4 * i + 2] = vr;
      values[4 * i + 3] = vs;
      [vp, vq, vr, vs] = [vp * p.weight * h, vq * q.weight * h, vr * r.weight * h, vs * s.weight * h];
      for (let k = 0; k <= i; k += 1)
        moment[i * n + k]! +=
          vp * values[4 * k]! + vq * values[4 * k + 1]! + vr * values[4 * k + 2]! + vs * values[4 * k + 3]!;
    }
  }

  /** ∫ of one state, and of its square. @param one the constant's place */
  stateIntegral(at: number, one: number): number {
    return this.moment[at * this.size + one]!;
  }

  stateSquare(at: number): number {
    return this.moment[at * this.size + at]!;
  }

  /** ∫ of a row over the state (over its first states, where the row is shorter) */
  integral(row: Vector, one: number): number {
    const { size, moment } = this;
    let sum = 0;
    for (let k = 0; k < row.length; k += 1) sum += row[k]! * moment[k * size + one]!;
    return sum;
  }

  /** ∫ of its square */
  square(row: Vector): number {
    const { size, moment } = this;
    let sum = 0;
    for (let i = 0; i < row.length; i += 1) {
      const factor = row[i]!;
      if (factor === 0) continue;
      let inner = 0;
      for (let k = 0; k < row.length; k += 1) inner += row[k]! * moment[i * size + k]!;
      sum += factor * inner;
    }
    return sum;
  }

  /** Widens a range by what a row over the state reaches along the stretch, between its ends included. */
  reach(row: Vector, range: Range): void {
    const { terms, pieces, stiff } = this;
    if (stiff) {
      this.reachStiff(stiff, row, range);
      return;
    }
    for (let piece = 0; piece < pieces; piece += 1) {
      this.read(row, piece * terms);
      this.reachSeries(range);
    }
  }

  /** The same for one state. */
  reachState(at: number, range: Range): void {
    const { size, series, coefficients, terms, pieces, stiff } = this;
    if (stiff) {
      const row = zeros(size);
      row[at] = 1;
      this.reachStiff(stiff, row, range);
      return;
    }
    for (let piece = 0; piece < pieces; piece += 1) {
      for (let k = 0; k < terms; k += 1) coefficients[k] = series[(piece * terms + k) * size + at]!;
      this.reachSeries(range);
    }
  }

  /** A row's own series, from the term `first` of the state's. */
  private read(row: Vector, first: number): void {
    const { size, series, coefficients, terms } = this;
    for (let k = 0; k < terms; k += 1) {
      const at = (first + k) * size;
      let sum = 0;
      for (let i = 0; i < row.length; i += 1) sum += row[i]! * series[at + i]!;
      coefficients[k] = sum;
    }
  }

  /** Along samples: halved towards each turning point between two of them until the series sums what is left. */
  private reachStiff({ flow, duration, chain, samples }: Stiff, row: Vector, range: Range): void {
    const { size: n } = this;
    const { matrix, norm } = flow;
    const { times, states } = samples;
    const slopeRow = zeros(n);
    for (let k = 0; k < n; k += 1) {
      let sum = 0;
      for (let m = 0; m < row.length; m += 1) sum += row[m]! * matrix[m * n + k]!;
      slopeRow[k] = sum;
    }
    let before = dot(n, slopeRow, states[0]!);
    take(range, dot(row.length, row, states[0]!));
    for (let i = 1; i < states.length; i += 1) {
      const slope = dot(n, slopeRow, states[i]!);
      take(range, dot(row.length, row, states[i]!));
      if (before * slope < 0) {
        let left = states[i - 1]!;
        let h = times[i]! - times[i - 1]!;
        while (norm * h > PIECE) {
          h /= 2;
          const phi = chain[chain.length - 1 - Math.round(Math.log2(duration / h))];
          if (!phi) break;
          const middle = applyInto(n, phi, left, zeros(n));
          take(range, dot(row.length, row, middle));
          if (before * dot(n, slopeRow, middle) >= 0) left = middle;
        }
        // the chain may end before one series sums what is left: then a few do
        this.cut(norm * h);
        for (let piece = 0; piece < this.pieces; piece += 1) {
          this.expand(matrix, 0, h / this.pieces, left);
          this.read(row, 0);
          this.reachSeries(range);
          left = left.slice();
          this.endOf(0, left, 0);
        }
      }
      before = slope;
    }
  }

  private reachSeries(range: Range): void {
    const { coefficients: c, terms } = this;
    let end = c[0]!;
    let bend = 0;
    let turn = 0;
    for (let k = 1; k < terms; k += 1) {
      const value = c[k]!;
      end += value;
      if (k > 1) bend += k * Math.abs(value);
      if (k > 2) turn += k * (k - 1) * Math.abs(value);
    }
    take(range, c[0]!);
    take(range, end);
    if (bend <= Math.abs(c[1]!)) return; // the slope keeps its sign
    const parts = turn <= 2 * Math.abs(c[2]!) ? 1 : SLOPES;
    let before = c[1]!;
    for (let part = 1; part <= parts; part += 1) {
      const slope = slopeOf(c, terms, part / parts);
      if (before * slope <= 0 && before !== slope) this.turn((part - 1) / parts, part / parts, before, range);
      before = slope;
    }
  }

  /** The value where the slope vanishes, between two places with slopes of opposite sign: Newton's steps kept between them. */
  private turn(from: number, to: number, slopeFrom: number, range: Range): void {
    const { coefficients: c, terms } = this;
    let low = from;
    let high = to;
    let at = (from + to) / 2;
    for (let i = 0; i < 40; i += 1) {
      const slope = slopeOf(c, terms, at);
      if (slope === 0) break;
      if (slope > 0 === slopeFrom > 0) low = at;
      else high = at;
      let curvature = 0;
      for (let k = terms - 1; k >= 2; k -= 1) curvature = curvature * at + k * (k - 1) * c[k]!;
      let next = at - slope / curvature;
      if (!(next > low && next < high)) next = (low + high) / 2;
      const moved = Math.abs(next - at);
      at = next;
      if (moved < 1e-9) break; // the value is flat there: its error is the square of this
    }
    let value = 0;
    for (let k = terms - 1; k >= 0; k -= 1) value = value * at + c[k]!;
    take(range, value);
  }
}

function slopeOf(c: Vector, terms: number, at: number): number {
  let slope = 0;
  for (let k = terms - 1; k >= 1; k -= 1) slope = slope * at + k * c[k]!;
  return slope;
}

function take(range: Range, value: number): void {
  if (value < range.min) range.min = value;
  if (value > range.max) range.max = value;
}

/** @param halvings samples are taken 2^halvings to the duration */
export function sampleFlow(flow: Flow, duration: number, initial: Vector, halvings: number): Samples {
  const chain = transitionChain(flow.size, flow.matrix, duration, flow.norm, halvings);
  return samplesBy(flow, duration, initial, chain, halvings);
}

/**
 * States along a stretch at even steps. Where the flow is stiff (a series inductance of a nanohenry), the first step is
 * cut finer and finer towards the edge, so that a fast settling is not stepped over.
 */
function samplesBy(
  { size: n, norm }: Flow,
  duration: number,
  initial: Vector,
  chain: readonly Vector[],
  halvings: number,
): Samples {
  const count = 2 ** halvings;
  const step = duration / count;
  const times = [0];
  const states = [initial];
  const even = chain.length - 1 - halvings;
  const stiffness = norm * step;
  const levels = stiffness > 2 ? Math.min(even, Math.ceil(Math.log2(stiffness))) : 0;
  for (let level = levels; level >= 1; level -= 1) {
    times.push(step / 2 ** level);
    states.push(applyInto(n, chain[even - level]!, initial, zeros(n)));
  }
  let state = initial;
  for (let i = 1; i <= count; i += 1) {
    state = applyInto(n, chain[even]!, state, zeros(n));
    times.push(step * i);
    states.push(state);
  }
  return { times, states };
}
