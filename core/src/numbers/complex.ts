import { zeros, type Vector } from './linear.ts';

/** Real and imaginary part. */
export type Complex = readonly [number, number];

export const plus = (a: Complex, b: Complex): Complex => [a[0] + b[0], a[1] + b[1]];
export const times = (a: Complex, b: Complex): Complex => [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]];
export const scaled = (a: Complex, by: number): Complex => [a[0] * by, a[1] * by];
export function over(a: Complex, b: Complex): Complex {
  const size = b[0] * b[0] + b[1] * b[1];
  return [(a[0] * b[0] + a[1] * b[1]) / size, (a[1] * b[0] - a[0] * b[1]) / size];
}
export const magnitude = (a: Complex): number => Math.hypot(a[0], a[1]);
/** degrees, −180 to 180 */
export const degrees = (a: Complex): number => (Math.atan2(a[1], a[0]) * 180) / Math.PI;

/**
 * A linear system ẋ = A x + b u, y = c x + d u, made ready to be asked at many frequencies: A is brought to Hessenberg
 * form once by Gaussian similarity, after which each frequency costs the square of its size.
 * Source: Golub and Van Loan, Matrix Computations, section 7.4 (and Laub, 1981, for the use); recalled from memory.
 */
export class Transfer {
  private readonly n: number;
  private readonly h: Vector;
  private readonly b: Vector;
  private readonly c: Vector;
  private readonly d: number;
  private readonly re: Vector;
  private readonly im: Vector;
  private readonly xr: Vector;
  private readonly xi: Vector;

  /** @param a n × n, row-major */
  constructor(n: number, a: Vector, b: Vector, c: Vector, d: number) {
    this.n = n;
    this.h = a.slice();
    this.b = b.slice();
    this.c = c.slice();
    this.d = d;
    this.re = zeros(n * n);
    this.im = zeros(n * n);
    this.xr = zeros(n);
    this.xi = zeros(n);
    this.reduce();
  }

  private reduce(): void {
    const { n, h, b, c } = this;
    for (let column = 0; column < n - 2; column += 1) {
      let pivot = column + 1;
      for (let i = column + 2; i < n; i += 1)
        if (Math.abs(h[i * n + column]!) > Math.abs(h[pivot * n + column]!)) pivot = i;
      if (h[pivot * n + column] === 0) continue;
      if (pivot !== column + 1) {
        for (let k = 0; k < n; k += 1) swap(h, pivot * n + k, (column + 1) * n + k);
        for (let k = 0; k < n; k += 1) swap(h, k * n + pivot, k * n + column + 1);
        swap(b, pivot, column + 1);
        swap(c, pivot, column + 1);
      }
      for (let i = column + 2; i < n; i += 1) {
        const factor = h[i * n + column]! / h[(column + 1) * n + column]!;
        if (factor === 0) continue;
        for (let k = 0; k < n; k += 1) h[i * n + k]! -= factor * h[(column + 1) * n + k]!;
        for (let k = 0; k < n; k += 1) h[k * n + column + 1]! += factor * h[k * n + i]!;
        b[i]! -= factor * b[column + 1]!;
        c[column + 1]! += factor * c[i]!;
      }
    }
  }

  /** y over u at a frequency, Hz. */
  at(frequency: number): Complex {
    const { n, h, b, c, re, im, xr, xi } = this;
    const speed = 2 * Math.PI * frequency;
    for (let i = 0; i < n * n; i += 1) {
      re[i] = -h[i]!;
      im[i] = 0;
    }
    for (let i = 0; i < n; i += 1) {
      im[i * n + i] = speed;
      xr[i] = b[i]!;
      xi[i] = 0;
    }
    // one entry below the diagonal in each column: eliminated with the larger row above
    for (let k = 0; k + 1 < n; k += 1) {
      const row = k * n;
      const next = row + n;
      if (Math.abs(re[next + k]!) + Math.abs(im[next + k]!) > Math.abs(re[row + k]!) + Math.abs(im[row + k]!)) {
        for (let j = k; j < n; j += 1) {
          swap(re, row + j, next + j);
          swap(im, row + j, next + j);
        }
        swap(xr, k, k + 1);
        swap(xi, k, k + 1);
      }
      const pr = re[row + k]!;
      const pi = im[row + k]!;
      const size = pr * pr + pi * pi;
      if (size === 0) continue;
      const fr = (re[next + k]! * pr + im[next + k]! * pi) / size;
      const fi = (im[next + k]! * pr - re[next + k]! * pi) / size;
      if (fr === 0 && fi === 0) continue;
      for (let j = k; j < n; j += 1) {
        const ar = re[row + j]!;
        const ai = im[row + j]!;
        re[next + j]! -= fr * ar - fi * ai;
        im[next + j]! -= fr * ai + fi * ar;
      }
      const ar = xr[k]!;
      const ai = xi[k]!;
      xr[k + 1]! -= fr * ar - fi * ai;
      xi[k + 1]! -= fr * ai + fi * ar;
    }
    let yr = this.d;
    let yi = 0;
    for (let i = n - 1; i >= 0; i -= 1) {
      let sr = xr[i]!;
      let si = xi[i]!;
      for (let j = i + 1; j < n; j += 1) {
        sr -= re[i * n + j]! * xr[j]! - im[i * n + j]! * xi[j]!;
        si -= re[i * n + j]! * xi[j]! + im[i * n + j]! * xr[j]!;
      }
      const pr = re[i * n + i]!;
      const pi = im[i * n + i]!;
      const size = pr * pr + pi * pi;
      xr[i] = (sr * pr + si * pi) / size;
      xi[i] = (si * pr - sr * pi) / size;
      yr += c[i]! * xr[i]!;
      yi += c[i]! * xi[i]!;
    }
    return [yr, yi];
  }
}

function swap(list: Vector, a: number, b: number): void {
  const held = list[a]!;
  list[a] = list[b]!;
  list[b] = held;
}
