import type { Complex } from './complex.ts';
import { balanced, scaledNorm, zeros, type Vector } from './linear.ts';

/**
 * (sI − A)⁻¹ for one real matrix and many complex numbers s: A is made even and brought to Hessenberg form once by
 * Gaussian similarity, after which each s costs the square of its size to factor, and so does each right side. States
 * that only drive others stand behind those that they drive, so that what cannot answer stays exactly 0 and no common
 * unit is sought for states of which one way alone is coupled.
 * Source: Golub and Van Loan, Matrix Computations, section 7.4 (and Laub, 1981, for the use); recalled from memory.
 */
export class Resolvent {
  readonly n: number;
  /** upper Hessenberg, the multipliers that made it so below */
  private readonly h: Vector;
  private readonly pivots: number[] = [];
  /** of the states as ordered, that make the matrix even */
  private readonly units: Vector;
  /** which state stands where */
  private readonly order: number[];
  private readonly passing: Vector;
  // of the number asked last: U of sI − H, and what was done to its rows
  private readonly re: Vector;
  private readonly im: Vector;
  private readonly fr: Vector;
  private readonly fi: Vector;
  private readonly swapped: boolean[];

  /** @param a n × n, row-major */
  constructor(n: number, a: Vector) {
    this.n = n;
    const own = Array.from({ length: n }, () => 1);
    const { order, group } = triangular(n, a);
    this.order = order;
    this.passing = zeros(n);
    this.h = zeros(n * n);
    for (let i = 0; i < n; i += 1) for (let k = 0; k < n; k += 1) this.h[i * n + k] = a[order[i]! * n + order[k]!]!;
    const within = this.h.map((value, at) => (group[order[Math.floor(at / n)]!] === group[order[at % n]!] ? value : 0));
    const even = balanced(n, within, own);
    // what is even already would only lose digits
    this.units = scaledNorm(n, within, even, n) < scaledNorm(n, within, own, n) / 2 ? even : own;
    for (let i = 0; i < n; i += 1) for (let k = 0; k < n; k += 1) this.h[i * n + k]! *= this.units[k]! / this.units[i]!;
    this.re = zeros(n * n);
    this.im = zeros(n * n);
    this.fr = zeros(n);
    this.fi = zeros(n);
    this.swapped = Array.from({ length: n }, () => false);
    this.reduce();
  }

  private reduce(): void {
    const { n, h, pivots } = this;
    for (let column = 0; column < n - 2; column += 1) {
      const next = column + 1;
      let pivot = next;
      for (let i = next + 1; i < n; i += 1)
        if (Math.abs(h[i * n + column]!) > Math.abs(h[pivot * n + column]!)) pivot = i;
      pivots.push(pivot);
      if (h[pivot * n + column] === 0) continue;
      if (pivot !== next) {
        // what stands left of the column are multipliers, each of its own turn
        for (let k = column; k < n; k += 1) swap(h, pivot * n + k, next * n + k);
        for (let k = 0; k < n; k += 1) swap(h, k * n + pivot, k * n + next);
      }
      for (let i = next + 1; i < n; i += 1) {
        const factor = h[i * n + column]! / h[next * n + column]!;
        if (factor !== 0) {
          for (let k = next; k < n; k += 1) h[i * n + k]! -= factor * h[next * n + k]!;
          for (let k = 0; k < n; k += 1) h[k * n + next]! += factor * h[k * n + i]!;
        }
        h[i * n + column] = factor;
      }
    }
  }

  /** A right side in the basis of H, in place. */
  into(b: Vector): Vector {
    const { n, h, pivots, units } = this;
    this.intoOrder(b);
    for (let i = 0; i < n; i += 1) b[i]! /= units[i]!;
    for (let column = 0; column < n - 2; column += 1) {
      const next = column + 1;
      swap(b, pivots[column]!, next);
      for (let i = next + 1; i < n; i += 1) b[i]! -= h[i * n + column]! * b[next]!;
    }
    return b;
  }

  /** A row over the states in the basis of H, in place. */
  rowInto(c: Vector): Vector {
    const { n, h, pivots, units } = this;
    this.intoOrder(c);
    for (let i = 0; i < n; i += 1) c[i]! *= units[i]!;
    for (let column = 0; column < n - 2; column += 1) {
      const next = column + 1;
      swap(c, pivots[column]!, next);
      for (let i = next + 1; i < n; i += 1) c[next]! += h[i * n + column]! * c[i]!;
    }
    return c;
  }

  private outOf(x: Vector): void {
    const { n, h, pivots, units } = this;
    for (let column = n - 3; column >= 0; column -= 1) {
      const next = column + 1;
      for (let i = next + 1; i < n; i += 1) x[i]! += h[i * n + column]! * x[next]!;
      swap(x, pivots[column]!, next);
    }
    for (let i = 0; i < n; i += 1) x[i]! *= units[i]!;
    this.outOfOrder(x);
  }

  private rowOutOf(y: Vector): void {
    const { n, h, pivots, units } = this;
    for (let column = n - 3; column >= 0; column -= 1) {
      const next = column + 1;
      for (let i = next + 1; i < n; i += 1) y[next]! -= h[i * n + column]! * y[i]!;
      swap(y, pivots[column]!, next);
    }
    for (let i = 0; i < n; i += 1) y[i]! /= units[i]!;
    this.outOfOrder(y);
  }

  private intoOrder(list: Vector): void {
    const { n, order, passing } = this;
    for (let i = 0; i < n; i += 1) passing[i] = list[order[i]!]!;
    for (let i = 0; i < n; i += 1) list[i] = passing[i]!;
  }

  private outOfOrder(list: Vector): void {
    const { n, order, passing } = this;
    for (let i = 0; i < n; i += 1) passing[i] = list[i]!;
    for (let i = 0; i < n; i += 1) list[order[i]!] = passing[i]!;
  }

  /** Makes ready for s. */
  factor([sr, si]: Complex): void {
    const { n, h, re, im, fr, fi, swapped } = this;
    for (let i = 0; i < n; i += 1)
      for (let k = Math.max(0, i - 1); k < n; k += 1) {
        re[i * n + k] = (i === k ? sr : 0) - h[i * n + k]!;
        im[i * n + k] = i === k ? si : 0;
      }
    // one entry below the diagonal in each column: eliminated with the larger row above
    for (let k = 0; k + 1 < n; k += 1) {
      const row = k * n;
      const next = row + n;
      const turns = Math.abs(re[next + k]!) + Math.abs(im[next + k]!) > Math.abs(re[row + k]!) + Math.abs(im[row + k]!);
      swapped[k] = turns;
      if (turns)
        for (let j = k; j < n; j += 1) {
          swap(re, row + j, next + j);
          swap(im, row + j, next + j);
        }
      const pr = re[row + k]!;
      const pi = im[row + k]!;
      const size = pr * pr + pi * pi;
      const r = size === 0 ? 0 : (re[next + k]! * pr + im[next + k]! * pi) / size;
      const i = size === 0 ? 0 : (im[next + k]! * pr - re[next + k]! * pi) / size;
      fr[k] = r;
      fi[k] = i;
      if (r === 0 && i === 0) continue;
      for (let j = k + 1; j < n; j += 1) {
        const ar = re[row + j]!;
        const ai = im[row + j]!;
        re[next + j]! -= r * ar - i * ai;
        im[next + j]! -= r * ai + i * ar;
      }
    }
  }

  /** (sI − H) x = b in the basis of H, in place. What s makes singular is no number. */
  solveInside(xr: Vector, xi: Vector): void {
    const { n, re, im, fr, fi, swapped } = this;
    for (let k = 0; k + 1 < n; k += 1) {
      if (swapped[k]) {
        swap(xr, k, k + 1);
        swap(xi, k, k + 1);
      }
      xr[k + 1]! -= fr[k]! * xr[k]! - fi[k]! * xi[k]!;
      xi[k + 1]! -= fr[k]! * xi[k]! + fi[k]! * xr[k]!;
    }
    for (let i = n - 1; i >= 0; i -= 1) {
      let sr = xr[i]!;
      let si = xi[i]!;
      for (let j = i + 1; j < n; j += 1) {
        sr -= re[i * n + j]! * xr[j]! - im[i * n + j]! * xi[j]!;
        si -= re[i * n + j]! * xi[j]! + im[i * n + j]! * xr[j]!;
      }
      this.overPivot(i, sr, si, xr, xi);
    }
  }

  /** A number over U's diagonal, into a place. */
  private overPivot(i: number, sr: number, si: number, xr: Vector, xi: Vector): void {
    const pr = this.re[i * this.n + i]!;
    const pi = this.im[i * this.n + i]!;
    const size = pr * pr + pi * pi;
    xr[i] = (sr * pr + si * pi) / size;
    xi[i] = (si * pr - sr * pi) / size;
  }

  /** (sI − A) x = b, in place. */
  solve(xr: Vector, xi: Vector): void {
    this.into(xr);
    this.into(xi);
    this.solveInside(xr, xi);
    this.outOf(xr);
    this.outOf(xi);
  }

  /** y (sI − A) = c for a row c, in place. */
  solveRow(yr: Vector, yi: Vector): void {
    const { n, re, im, fr, fi, swapped } = this;
    this.rowInto(yr);
    this.rowInto(yi);
    for (let i = 0; i < n; i += 1) {
      let sr = yr[i]!;
      let si = yi[i]!;
      for (let j = 0; j < i; j += 1) {
        sr -= re[j * n + i]! * yr[j]! - im[j * n + i]! * yi[j]!;
        si -= re[j * n + i]! * yi[j]! + im[j * n + i]! * yr[j]!;
      }
      this.overPivot(i, sr, si, yr, yi);
    }
    for (let k = n - 2; k >= 0; k -= 1) {
      yr[k]! -= fr[k]! * yr[k + 1]! - fi[k]! * yi[k + 1]!;
      yi[k]! -= fr[k]! * yi[k + 1]! + fi[k]! * yr[k + 1]!;
      if (swapped[k]) {
        swap(yr, k, k + 1);
        swap(yi, k, k + 1);
      }
    }
    this.rowOutOf(yr);
    this.rowOutOf(yi);
  }
}

/** A linear system ẋ = A x + b u, y = c x + d u, asked at many frequencies. */
export class Transfer {
  private readonly resolvent: Resolvent;
  private readonly b: Vector;
  private readonly c: Vector;
  private readonly d: number;
  private readonly xr: Vector;
  private readonly xi: Vector;

  /** @param a n × n, row-major */
  constructor(n: number, a: Vector, b: Vector, c: Vector, d: number) {
    this.resolvent = new Resolvent(n, a);
    this.b = this.resolvent.into(b.slice());
    this.c = this.resolvent.rowInto(c.slice());
    this.d = d;
    this.xr = zeros(n);
    this.xi = zeros(n);
  }

  /** y over u at a frequency, Hz. */
  at(frequency: number): Complex {
    const { resolvent, b, c, xr, xi } = this;
    for (let i = 0; i < b.length; i += 1) {
      xr[i] = b[i]!;
      xi[i] = 0;
    }
    resolvent.factor([0, 2 * Math.PI * frequency]);
    resolvent.solveInside(xr, xi);
    let [yr, yi] = [this.d, 0];
    for (let i = 0; i < c.length; i += 1) {
      yr += c[i]! * xr[i]!;
      yi += c[i]! * xi[i]!;
    }
    return [yr, yi];
  }
}

/**
 * States in an order in which A is block upper triangular: first those that most others drive, those that drive one
 * another side by side.
 * @returns `group` numbers, by state, those that drive one another
 */
function triangular(n: number, a: Vector): { order: number[]; group: number[] } {
  const drives = a.map((value, at) => value !== 0 || at % (n + 1) === 0);
  for (let via = 0; via < n; via += 1)
    for (let i = 0; i < n; i += 1)
      if (drives[i * n + via]) for (let k = 0; k < n; k += 1) drives[i * n + k] ||= drives[via * n + k]!;
  const states = Array.from({ length: n }, (_, i) => i);
  const drivers = states.map((i) => states.filter((k) => drives[i * n + k]).length);
  const group = states.map((i) => states.find((k) => drives[i * n + k] && drives[k * n + i])!);
  const order = states.toSorted((i, k) => drivers[k]! - drivers[i]! || group[i]! - group[k]! || i - k);
  return { order, group };
}

function swap(list: Vector, a: number, b: number): void {
  const held = list[a]!;
  list[a] = list[b]!;
  list[b] = held;
}
