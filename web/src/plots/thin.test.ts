import { expect, test } from '@jest/globals';
import { extremesIn, placeFrom, placeOf, seen } from './thin.ts';

test('extremes of any stretch of a long trace are those of every place in it', () => {
  // a spike that a coarser look would lose
  const values = Float64Array.from({ length: 300_000 }, (_, k) => Math.sin(k / 1000) + (k === 123_457 ? 5 : 0));
  for (const [first, last] of [
    [0, 299_999],
    [123_456, 123_458],
    [123_458, 250_000],
    [70, 131],
    [5, 5],
  ] as const) {
    let [min, max] = [Infinity, -Infinity];
    for (let k = first; k <= last; k += 1) [min, max] = [Math.min(min, values[k]!), Math.max(max, values[k]!)];
    expect(extremesIn(values, first, last)).toEqual({ min, max });
  }
});

test('what can be seen has one place more at each side, and both sides of an edge', () => {
  const x = [0, 1, 2, 2, 3, 4];
  expect(placeOf(x, 2)).toBe(2);
  for (let from = 0; from <= 6; from += 1)
    for (const value of [-1, 0, 1.5, 2, 3, 9])
      expect(placeFrom(x, from, value)).toBe(Math.max(from, placeOf(x, value)));
  expect(seen(x, 1.5, 1.8)).toEqual([1, 3]);
  expect(seen(x, -1, 9)).toEqual([0, 5]);
  expect(seen(x, 3.5, 3.6)).toEqual([4, 5]);
});
