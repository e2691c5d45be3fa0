import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { solveLinear, zeros, type Vector } from './linear.ts';
import { runs } from '../testing/runs.ts';
import { Resolvent, Transfer } from './resolvent.ts';

/** (sI − A) x = b as a real system of twice the size, by elimination. */
function eliminated(n: number, a: Vector, [sr, si]: [number, number], b: Vector, transposed: boolean): Vector {
  const m = 2 * n;
  const left = zeros(m * m);
  for (let i = 0; i < n; i += 1) {
    for (let k = 0; k < n; k += 1) {
      const entry = (i === k ? sr : 0) - (transposed ? a[k * n + i]! : a[i * n + k]!);
      left[i * m + k] = entry;
      left[(n + i) * m + n + k] = entry;
    }
    left[i * m + n + i]! -= si;
    left[(n + i) * m + i]! += si;
  }
  return solveLinear(m, left, [...b, ...zeros(n)])!;
}

/** What couples two states either way: far below a hundredth of their own rates no unit can be told from it. */
const coupling = fc
  .tuple(fc.constantFrom(-1, 1), fc.double({ min: 0.01, max: 1, noNaN: true }))
  .map(([sign, size]) => sign * size);

/** Stable matrices whose states have units up to ten decades apart, some entries none. */
const systems = fc.integer({ min: 1, max: 9 }).chain((n) =>
  fc
    .record({
      entries: fc.array(coupling, { minLength: n * n, maxLength: n * n }),
      none: fc.array(fc.boolean(), { minLength: n * n, maxLength: n * n }),
      units: fc.array(fc.double({ min: -5, max: 5, noNaN: true }), { minLength: n, maxLength: n }),
      b: fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: n, maxLength: n }),
      speed: fc.double({ min: 0.05, max: 20, noNaN: true }),
    })
    .map(({ entries, none, units, b, speed }) => ({
      n,
      speed,
      units: units.map((power) => 10 ** power),
      b,
      a: entries.map((value, at) => {
        const [i, k] = [Math.floor(at / n), at % n];
        return i === k ? -n - Math.abs(value) : none[at] ? 0 : value;
      }),
    })),
);

test('columns, rows and transfer functions are those of elimination, whatever the units', () => {
  fc.assert(
    // elimination in units that are alike for all, where it is exact to rounding; what is tested, in those drawn
    fc.property(systems, ({ n, a, b, speed, units }) => {
      const unlike = a.map((value, at) => (value * units[Math.floor(at / n)]!) / units[at % n]!);
      const resolvent = new Resolvent(n, unlike);
      resolvent.factor([0.3, speed]);
      const [xr, xi] = [b.map((value, i) => value * units[i]!), zeros(n)];
      resolvent.solve(xr, xi);
      const x = eliminated(n, a, [0.3, speed], b, false);
      for (let i = 0; i < n; i += 1) {
        expect(xr[i]! / units[i]!).toBeCloseTo(x[i]!, 11);
        expect(xi[i]! / units[i]!).toBeCloseTo(x[n + i]!, 11);
      }
      const [yr, yi] = [b.map((value, i) => value / units[i]!), zeros(n)];
      resolvent.solveRow(yr, yi);
      const y = eliminated(n, a, [0.3, speed], b, true);
      for (let i = 0; i < n; i += 1) {
        expect(yr[i]! * units[i]!).toBeCloseTo(y[i]!, 11);
        expect(yi[i]! * units[i]!).toBeCloseTo(y[n + i]!, 11);
      }
      const column = b.map((value, i) => value * units[i]!);
      const row = b.map((value, i) => value / units[i]!);
      const [re, im] = new Transfer(n, unlike, column, row, 0.5).at(speed / (2 * Math.PI));
      const z = eliminated(n, a, [0, speed], b, false);
      expect(re).toBeCloseTo(
        b.reduce((sum, value, i) => sum + value * z[i]!, 0.5),
        11,
      );
      expect(im).toBeCloseTo(
        b.reduce((sum, value, i) => sum + value * z[n + i]!, 0),
        11,
      );
    }),
    { numRuns: runs(100), ...(runs(1) === 1 ? { seed: -1946957224 } : {}) },
  );
});

test('a number that is an eigenvalue has no answer, and says so', () => {
  const ring = new Resolvent(2, [0, 1, -1, 0]);
  ring.factor([0, 1]);
  const [xr, xi] = [
    [1, 0],
    [0, 0],
  ];
  ring.solve(xr, xi);
  expect(xr.every(Number.isFinite)).toBe(false);
});
