/**
 * Dense kernels for the small systems of one converter stage (2 to about 20 states), row-major in plain arrays of doubles.
 * Written here rather than taken from a matrix package because they are the innermost loop of every number Yundro
 * shows, and because no package gives the exponential together with its integral and second moment.
 *
 * Every system is augmented with the constant 1 as its last state, so that sources are a column of the matrix:
 *
 *   d  [x]   [A  b] [x]
 *   -- [ ] = [    ] [ ]        written  z' = A z  below, with z = [x; 1]
 *   dt [1]   [0  0] [1]
 */

/** A vector or a row-major matrix. Plain arrays of doubles: at these sizes a typed array costs more to make than to use. */
export type Vector = number[];

const TEMPLATES: Vector[] = [];

/** A vector of `count` zeros. Copied from a template, which keeps the engine's compact representation of doubles. */
export function zeros(count: number): Vector {
  let template = TEMPLATES[count];
  if (!template) {
    template = Array.from({ length: count }, (_, i) => i + 0.5);
    for (let i = 0; i < count; i += 1) template[i] = 0;
    TEMPLATES[count] = template;
  }
  return template.slice();
}

/** Thrown where a stretch of work has used up what it was given; caught by {@link within}. */
class Spent extends Error {}

/** Multiplications done so far, and the count at which the work in hand has to end. */
let done = 0;
let end = Infinity;

/**
 * Runs some work with a bound on the multiplications that its matrices may take, so that no design, however absurd,
 * holds up who asked: a count and not a clock, and so the same everywhere.
 * @returns what the work gives; 'spent' where it did not end within the bound
 */
export function within<T>(multiplications: number, work: () => T): T | 'spent' {
  const outer = end;
  end = Math.min(outer, done + multiplications);
  const mine = end;
  try {
    return work();
  } catch (error) {
    // an outer bound that is used up ends the outer work too
    if (error instanceof Spent && (mine < outer || done < outer)) return 'spent';
    throw error;
  } finally {
    end = outer;
  }
}

/**
 * Counts work that is no product of matrices, in multiplications, against the bound that it is done within.
 * @throws what {@link within} catches, once the bound is passed
 */
export function spend(multiplications: number): void {
  done += multiplications;
  if (done > end) throw new Spent();
}

/** A bound on multiplications that several stretches of work share, one after another. */
export class Budget {
  private left: number;

  constructor(multiplications: number) {
    this.left = multiplications;
  }

  /** @returns what the work gives; 'spent' where what is left did not suffice */
  run<T>(work: () => T): T | 'spent' {
    const before = done;
    const result = within(Math.max(0, this.left), work);
    this.left -= done - before;
    return result;
  }
}

/** e^(At) and the integral of it from 0 to t: what carries a state over an interval and gives its average there. */
export interface Propagator {
  phi: Vector;
  psi: Vector;
}

export function identity(n: number): Vector {
  const out = zeros(n * n);
  for (let i = 0; i < n; i += 1) out[i * n + i] = 1;
  return out;
}

/** out = a · b, all n × n; out must be neither of them. Four columns at a time: twice as fast here as one. */
export function multiplyInto(n: number, a: Vector, b: Vector, out: Vector): Vector {
  done += n * n * n;
  if (done > end) throw new Spent();
  const whole = n - (n % 4);
  for (let i = 0; i < n; i += 1) {
    const row = i * n;
    for (let j = 0; j < whole; j += 4) {
      let s0 = 0;
      let s1 = 0;
      let s2 = 0;
      let s3 = 0;
      for (let k = 0; k < n; k += 1) {
        const factor = a[row + k]!;
        const at = k * n + j;
        s0 += factor * b[at]!;
        s1 += factor * b[at + 1]!;
        s2 += factor * b[at + 2]!;
        s3 += factor * b[at + 3]!;
      }
      out[row + j] = s0;
      out[row + j + 1] = s1;
      out[row + j + 2] = s2;
      out[row + j + 3] = s3;
    }
    for (let j = whole; j < n; j += 1) {
      let sum = 0;
      for (let k = 0; k < n; k += 1) sum += a[row + k]! * b[k * n + j]!;
      out[row + j] = sum;
    }
  }
  return out;
}

/** out = a · x; out must not be x. */
export function applyInto(n: number, a: Vector, x: Vector, out: Vector): Vector {
  for (let i = 0; i < n; i += 1) {
    let sum = 0;
    for (let k = 0; k < n; k += 1) sum += a[i * n + k]! * x[k]!;
    out[i] = sum;
  }
  return out;
}

export function dot(n: number, a: Vector, b: Vector): number {
  let sum = 0;
  for (let i = 0; i < n; i += 1) sum += a[i]! * b[i]!;
  return sum;
}

/** row · a, for an a of n × n; a shorter row has zeros behind it. */
export function rowTimes(n: number, row: Vector, a: Vector): Vector {
  const out = zeros(n);
  for (let i = 0; i < row.length; i += 1) {
    const factor = row[i]!;
    if (factor === 0) continue;
    for (let k = 0; k < n; k += 1) out[k]! += factor * a[i * n + k]!;
  }
  return out;
}

/** xᵀ M y for a row-major n × n matrix. */
export function bilinear(n: number, x: Vector, m: Vector, y: Vector): number {
  let sum = 0;
  for (let i = 0; i < n; i += 1) {
    const xi = x[i]!;
    if (xi === 0) continue;
    let row = 0;
    for (let k = 0; k < n; k += 1) row += m[i * n + k]! * y[k]!;
    sum += xi * row;
  }
  return sum;
}

/**
 * A size for A in 1/s after scaling each state by its natural unit (`scale`), so that volts and amperes compare.
 * The column of sources, unless told to be a state too, is left out: it cannot make the series diverge.
 */
export function scaledNorm(n: number, a: Vector, scale: Vector, states = n - 1): number {
  let largest = 0;
  for (let i = 0; i < states; i += 1) {
    let sum = 0;
    for (let k = 0; k < states; k += 1) sum += (Math.abs(a[i * n + k]!) * scale[k]!) / scale[i]!;
    if (sum > largest) largest = sum;
  }
  return largest;
}

/** How far a state's unit may move from its natural one: beyond it its own rounding would show. */
const MOST_BALANCE = 1e3;
const SWEEPS = 8;

/** Part of a state's own rate below which what couples it no longer shows in the norm, and moves no unit. */
const LEAST_COUPLING = 1e-3;

/**
 * Units of the states in which what drives a state and what it drives weigh alike (Osborne, 1960; recalled from memory):
 * the norm then comes near the fastest eigenvalue, where one part of a system drives another and not the other way.
 * Units that move for couplings far below a state's own rate would only lose digits (James, Langou and Lowery, 2014;
 * recalled from memory).
 */
export function balanced(n: number, a: Vector, scale: Vector): Vector {
  const own = scale.slice();
  for (let sweep = 0; sweep < SWEEPS; sweep += 1) {
    for (let i = 0; i < n; i += 1) {
      let [row, column] = [0, 0];
      const least = LEAST_COUPLING * Math.abs(a[i * n + i]!);
      for (let k = 0; k < n; k += 1) {
        if (k === i) continue;
        row += (Math.abs(a[i * n + k]!) * own[k]!) / own[i]!;
        column += (Math.abs(a[k * n + i]!) * own[i]!) / own[k]!;
      }
      if (row === 0) continue;
      const by = column + least === 0 ? MOST_BALANCE : Math.sqrt(Math.max(row, least) / Math.max(column, least));
      own[i] = Math.min(scale[i]! * MOST_BALANCE, Math.max(scale[i]! / MOST_BALANCE, own[i]! * by));
    }
  }
  return own;
}

/** Terms of the exponential's series after which the rest is below rounding, for a scaled step of at most 1. */
export function termsFor(size: number): number {
  let term = size;
  let count = 2;
  while (term > 1e-17) {
    term *= size / count;
    count += 1;
  }
  return count;
}

/** Scaled step that the integral's series of degree 15 still sums to rounding: 0.9¹⁶/17! is 5·10⁻¹⁶. */
const LARGEST_BLOCK_STEP = 0.9;

const MOST_HALVINGS = 60;

/** Halvings that bring a step to a size the series sums well; undefined where no number of them would. */
function halvings(size: number, largest: number): number | undefined {
  if (size <= largest) return 0;
  const needed = Math.ceil(Math.log2(size / largest));
  return needed <= MOST_HALVINGS ? needed : undefined; // NaN and infinity end here too
}

/** What an interval beyond the range of the arithmetic gives: not a number, which callers refuse. */
function unresolved(n: number): Vector {
  return zeros(n * n).map(() => Number.NaN);
}

/** 1/(k+1)!, the coefficients of the integral's series */
const COEFFICIENTS: readonly number[] = Array.from({ length: 16 }, (_, k) => {
  let factorial = 1;
  for (let i = 2; i <= k + 1; i += 1) factorial *= i;
  return 1 / factorial;
});

/**
 * Ψ(h) = h Σ (Ah)ᵏ/(k+1)! in blocks of four (Paterson and Stockmeyer): to degree 15 six products instead of fifteen,
 * to degree 11 or 7 fewer, where a small step has no more to give.
 * @param size scaled step, at most LARGEST_BLOCK_STEP
 */
function integralSeries(n: number, a: Vector, h: number, size: number, out: Vector): Vector {
  const blocks = size <= 0.05 ? 2 : size <= 0.3 ? 3 : 4;
  const count = n * n;
  const { x, x2, x3, x4 } = spaceFor(n);
  let { sum, spare } = spaceFor(n);
  for (let i = 0; i < count; i += 1) x[i] = a[i]! * h;
  multiplyInto(n, x, x, x2);
  multiplyInto(n, x2, x, x3);
  multiplyInto(n, x2, x2, x4);
  for (let i = 0; i < count; i += 1) sum[i] = 0;
  for (let block = blocks - 1; block >= 0; block -= 1) {
    if (block < blocks - 1) {
      multiplyInto(n, x4, sum, spare);
      const held = sum;
      sum = spare;
      spare = held;
    }
    // each block carries the step h, so that Ψ comes out whole
    const c0 = h * COEFFICIENTS[4 * block]!;
    const c1 = h * COEFFICIENTS[4 * block + 1]!;
    const c2 = h * COEFFICIENTS[4 * block + 2]!;
    const c3 = h * COEFFICIENTS[4 * block + 3]!;
    for (let i = 0; i < count; i += 1) sum[i]! += c1 * x[i]! + c2 * x2[i]! + c3 * x3[i]!;
    for (let i = 0; i < n; i += 1) sum[i * n + i]! += c0;
  }
  for (let i = 0; i < count; i += 1) out[i] = sum[i]!;
  return out;
}

/** Matrices that a series is summed in, made once for each size. */
interface Space {
  x: Vector;
  x2: Vector;
  x3: Vector;
  x4: Vector;
  sum: Vector;
  spare: Vector;
}

const SPACES: Space[] = [];

function spaceFor(n: number): Space {
  const make = (): Vector => zeros(n * n);
  return (SPACES[n] ??= { x: make(), x2: make(), x3: make(), x4: make(), sum: make(), spare: make() });
}

/**
 * e^(At) and its integral by a Taylor series on a halved step, doubled back up:
 * Φ(2h) = Φ(h)², Ψ(2h) = Ψ(h) + Φ(h)Ψ(h).
 * Source: Van Loan, "Computing integrals involving the matrix exponential", IEEE Trans. Automatic Control, 1978
 * (the idea of the augmented integral); Paterson and Stockmeyer, SIAM J. Computing, 1973 (the blocks); recalled from
 * memory.
 *
 * @param a n × n, last row zero
 * @param t s, not negative
 * @param norm {@link scaledNorm} of a
 */
export function propagate(n: number, a: Vector, t: number, norm: number): Propagator {
  const made = { phi: zeros(n * n), psi: zeros(n * n) };
  propagateInto(n, a, t, norm, made);
  return made;
}

/** The same into matrices that are there already. */
export function propagateInto(n: number, a: Vector, t: number, norm: number, { phi, psi }: Propagator): void {
  const count = n * n;
  const doublings = halvings(norm * t, LARGEST_BLOCK_STEP);
  if (doublings === undefined) {
    phi.fill(Number.NaN);
    psi.fill(Number.NaN);
    return;
  }
  integralSeries(n, a, t / 2 ** doublings, (norm * t) / 2 ** doublings, psi);
  multiplyInto(n, a, psi, phi);
  for (let i = 0; i < n; i += 1) phi[i * n + i]! += 1;
  const { x: product } = spaceFor(n);
  for (let d = 0; d < doublings; d += 1) {
    multiplyInto(n, phi, psi, product);
    for (let i = 0; i < count; i += 1) psi[i]! += product[i]!;
    multiplyInto(n, phi, phi, product);
    for (let i = 0; i < count; i += 1) phi[i] = product[i]!;
  }
}

/** e^(At) alone, where the integral is not wanted: half the products of {@link propagate}. */
export function transition(n: number, a: Vector, t: number, norm: number): Vector {
  const doublings = halvings(norm * t, LARGEST_BLOCK_STEP);
  if (doublings === undefined) return unresolved(n);
  let phi = multiplyInto(
    n,
    a,
    integralSeries(n, a, t / 2 ** doublings, (norm * t) / 2 ** doublings, zeros(n * n)),
    zeros(n * n),
  );
  for (let i = 0; i < n; i += 1) phi[i * n + i]! += 1;
  let spare: Vector = zeros(n * n);
  for (let d = 0; d < doublings; d += 1) {
    multiplyInto(n, phi, phi, spare);
    [phi, spare] = [spare, phi];
  }
  return phi;
}

/**
 * e^(Ah) for h = t/2ᵐ, …, t/2, t, the finest first: what the samples and the second moment of one stretch share. The
 * finest step is one that the series sums well, and at least `least` halvings down.
 */
export function transitionChain(n: number, a: Vector, t: number, norm: number, least: number): Vector[] {
  const needed = halvings(norm * t, LARGEST_BLOCK_STEP);
  if (needed === undefined) return Array.from({ length: least + 1 }, () => unresolved(n));
  const depth = Math.max(needed, least);
  const chain = [transition(n, a, t / 2 ** depth, norm)];
  for (let d = 0; d < depth; d += 1) chain.push(multiplyInto(n, chain[d]!, chain[d]!, zeros(n * n)));
  return chain;
}

export type Nodes = readonly { at: number; weight: number }[];

function onUnit(pairs: readonly (readonly [number, number])[]): Nodes {
  return pairs.flatMap(([x, w]) => [
    { at: (1 - x) / 2, weight: w / 2 },
    { at: (1 + x) / 2, weight: w / 2 },
  ]);
}

/** Gauss and Legendre's nodes on 0…1 and their weights, exact to degree 15. Source: Abramowitz and Stegun, table 25.4 (recalled from memory; the test sums their moments). */
export const GAUSS_NODES = onUnit([
  [0.1834346424956498, 0.362683783378362],
  [0.525532409916329, 0.3137066458778873],
  [0.7966664774136267, 0.2223810344533745],
  [0.9602898564975363, 0.1012285362903763],
]);

/** The same with four nodes, exact to degree 7. */
export const GAUSS_FEW = onUnit([
  [0.3399810435848563, 0.6521451548625461],
  [0.8611363115940526, 0.3478548451374538],
]);

/**
 * Solves a · x = b in place by Gaussian elimination with partial pivoting on rows scaled to unit size.
 * @returns x, or undefined when the matrix is singular to working precision
 */
export function solveLinear(n: number, a: Vector, b: Vector): Vector | undefined {
  for (let i = 0; i < n; i += 1) {
    let size = 0;
    for (let k = 0; k < n; k += 1) size = Math.max(size, Math.abs(a[i * n + k]!));
    if (!(size > 0) || !Number.isFinite(size)) return undefined;
    for (let k = 0; k < n; k += 1) a[i * n + k]! /= size;
    b[i]! /= size;
  }
  for (let column = 0; column < n; column += 1) {
    let pivot = column;
    for (let i = column + 1; i < n; i += 1) {
      if (Math.abs(a[i * n + column]!) > Math.abs(a[pivot * n + column]!)) pivot = i;
    }
    const size = a[pivot * n + column]!;
    if (Math.abs(size) < 1e-300) return undefined;
    if (pivot !== column) {
      for (let k = 0; k < n; k += 1) {
        const held = a[column * n + k]!;
        a[column * n + k] = a[pivot * n + k]!;
        a[pivot * n + k] = held;
      }
      const held = b[column]!;
      b[column] = b[pivot]!;
      b[pivot] = held;
    }
    for (let i = column + 1; i < n; i += 1) {
      const factor = a[i * n + column]! / size;
      if (factor === 0) continue;
      for (let k = column; k < n; k += 1) a[i * n + k]! -= factor * a[column * n + k]!;
      b[i]! -= factor * b[column]!;
    }
  }
  for (let i = n - 1; i >= 0; i -= 1) {
    let sum = b[i]!;
    for (let k = i + 1; k < n; k += 1) sum -= a[i * n + k]! * b[k]!;
    b[i] = sum / a[i * n + i]!;
  }
  return b;
}
