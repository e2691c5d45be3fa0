import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import Papa from 'papaparse';
import {
  csvOf,
  decades,
  digitsOf,
  panned,
  readAt,
  roundRange,
  roundTicks,
  steppedTicks,
  wholeOf,
  within,
  zoomed,
  type Lane,
} from './model.ts';

const line = (x: number[], y: number[], name = ''): Lane['traces'][number] => ({ name, x, y, ink: '--volt' });
const lane = (traces: Lane['traces'], more: Partial<Lane> = {}): Lane => ({
  id: 'y',
  name: 'ripple',
  unit: 'V',
  traces,
  ...more,
});

describe('the stretch that is shown', () => {
  const whole = fc
    .tuple(fc.double({ min: 1e-9, max: 1e3, noNaN: true }), fc.double({ min: 1.01, max: 1e6, noNaN: true }))
    .map(([min, ratio]) => ({ min, max: min * ratio }));
  test('zoomed and moved about, it stays within the whole, keeps its order and the place it was zoomed about', () => {
    fc.assert(
      fc.property(
        whole,
        fc.array(fc.tuple(fc.double({ min: 0, max: 1, noNaN: true }), fc.constantFrom(0.5, 2, 0.1), fc.boolean())),
        fc.boolean(),
        (all, steps, log) => {
          let range = all;
          for (const [part, factor, pans] of steps) {
            const about = range.min + (range.max - range.min) * part;
            range = (pans ? panned(range, all, part - 0.5, log) : zoomed(range, all, about, factor, log)) ?? all;
            expect(range.min).toBeGreaterThanOrEqual(all.min * (1 - 1e-9));
            expect(range.max).toBeLessThanOrEqual(all.max * (1 + 1e-9));
            expect(range.max).toBeGreaterThan(range.min);
            if (!pans) {
              expect(about).toBeGreaterThanOrEqual(range.min * (1 - 1e-9));
              expect(about).toBeLessThanOrEqual(range.max * (1 + 1e-9));
            }
          }
        },
      ),
    );
  });
  test('moving keeps its length; a stretch of nothing is none', () => {
    expect(panned({ min: 2, max: 4 }, { min: 0, max: 10 }, 0.5)).toEqual({ min: 3, max: 5 });
    expect(panned({ min: 2, max: 4 }, { min: 0, max: 10 }, 9)).toEqual({ min: 8, max: 10 });
    const decade = panned({ min: 1, max: 10 }, { min: 0.1, max: 1000 }, 1, true)!;
    expect(decade.min).toBeCloseTo(10);
    expect(decade.max).toBeCloseTo(100);
    expect(within({ min: 3, max: 3 }, { min: 0, max: 10 })).toEqual({ min: 0, max: 10 });
    expect(within({ min: -4, max: 14 }, { min: 0, max: 10 })).toBeUndefined();
  });
});

test('a trace is read between its points, at both sides of an edge, and not beyond its ends', () => {
  const x = [0, 1, 1, 3];
  const y = [0, 2, 10, 14];
  expect(readAt(x, y, 0.5)).toBe(1);
  expect(readAt(x, y, 1)).toBe(10);
  expect(readAt(x, y, 2)).toBe(12);
  expect(readAt(x, y, 3)).toBe(14);
  expect(readAt(x, y, 3.01)).toBeUndefined();
  expect(readAt([], [], 0)).toBeUndefined();
});

test('axes: round ends about the traces, zero kept where they touch it, decades named by their leading figures', () => {
  expect(roundRange(lane([line([0, 1], [0, 9.7])]))).toEqual({ min: 0, max: 12 });
  expect(roundRange(lane([line([0, 1], [5, 5])])).max).toBeGreaterThan(5);
  expect(roundRange(lane([line([0, 1], [Number.NaN, Infinity])]))).toEqual({ min: 0, max: 1.2 });
  expect(decades({ min: 0.01, max: 13 }, 12)).toEqual([0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10]);
  expect(decades({ min: 1, max: 1e6 }, 8)).toEqual([1, 10, 100, 1e3, 1e4, 1e5, 1e6]);
  expect(
    wholeOf({ name: 't', unit: 's', min: 0 }, [lane([line([1, 4], [0, 0]), { ...line([0, 9], [0, 0]), ghost: true }])]),
  ).toEqual({
    min: 0,
    max: 4,
  });
});

test('figures at a lane’s side are round, few, within it, and each told from the next', () => {
  expect(roundTicks({ min: 3.236, max: 3.32 }, 4)).toEqual([3.24, 3.26, 3.28, 3.3, 3.32]);
  expect(steppedTicks({ min: -190, max: 40 }, 45)).toEqual([-180, -135, -90, -45, 0]);
  expect(steppedTicks({ min: -500, max: 40 }, 45)).toEqual([-450, -360, -270, -180, -90, 0]);
  expect(steppedTicks({ min: 1, max: 40 }, 45)).toEqual([]);
  expect([digitsOf([]), digitsOf([3.3]), digitsOf([0, 2, 4])]).toEqual([3, 3, 3]);
  fc.assert(
    fc.property(fc.integer({ min: -1e6, max: 1e6 }), fc.integer({ min: 1, max: 1e5 }), (low, length) => {
      const range = { min: low / 1e3, max: (low + length) / 1e3 };
      const ticks = roundTicks(range, 4);
      expect(ticks.length).toBeGreaterThan(1);
      expect(ticks.length).toBeLessThan(9);
      expect(ticks[0]!).toBeGreaterThanOrEqual(range.min);
      expect(ticks.at(-1)!).toBeLessThanOrEqual(range.max);
      // a range a millionth of where it lies is more than seven digits tell
      if (length > 1e-4 * Math.abs(low)) {
        const shown = ticks.map((tick) => tick.toPrecision(digitsOf(ticks)));
        expect(new Set(shown).size).toBe(ticks.length);
      }
    }),
  );
});

describe('what is handed over', () => {
  const time = { name: 'time', unit: 's' } as const;
  test('one column across where all stand over the same places, full precision, only what is seen, no ghosts', () => {
    const x = [0, 0.1, 0.30000000000000004, 1];
    const text = csvOf(
      time,
      [
        lane([line(x, [1, 2, 3, 4]), { ...line(x, [0, 0, 0, 0]), ghost: true }]),
        lane([line([...x], [5, 6, 7, 8])], { name: 'inductor', unit: 'A' }),
      ],
      { min: 0.05, max: 0.5 },
    );
    expect(Papa.parse(text).data).toEqual([
      ['time (s)', 'ripple (V)', 'inductor (A)'],
      ['0.1', '2', '6'],
      ['0.30000000000000004', '3', '7'],
    ]);
  });
  test('else a pair of columns for each trace, by its own name', () => {
    const text = csvOf(time, [lane([line([0, 1], [1, 2], 'phase 1'), line([0.5], [7], 'phase, "2"')])], {
      min: 0,
      max: 1,
    });
    expect(Papa.parse(text).data).toEqual([
      ['time (s)', 'phase 1 (V)', 'time (s)', 'phase, "2" (V)'],
      ['0', '1', '0.5', '7'],
      ['1', '2', '', ''],
    ]);
  });
});
