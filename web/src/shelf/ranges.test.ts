import { expect, test } from '@jest/globals';
import type { Part } from '@yundro/core';
import { PLACES, placeOf, readRanges, spanOf, valueAtPlace, within, writeRanges } from './ranges.ts';

const parts = [0.001, 0.004, 0.02, undefined].map((onResistance, i): Part => ({
  kind: 'mosfet',
  id: `m${i}`,
  name: 'm',
  ...(onResistance === undefined ? {} : { onResistance }),
}));

test('sliders walk a column evenly in its logarithm, and their ends are its own least and largest', () => {
  const span = spanOf(parts, 'onResistance')!;
  expect(span).toEqual({ low: 0.001, high: 0.02 });
  expect([valueAtPlace(span, 0), valueAtPlace(span, PLACES)]).toEqual([0.001, 0.02]);
  expect(valueAtPlace(span, PLACES / 2)).toBeCloseTo(Math.sqrt(0.001 * 0.02), 12);
  for (const place of [0, 1, 37, 99, 100]) expect(placeOf(span, valueAtPlace(span, place))).toBe(place);
  expect(spanOf(parts, 'name')).toBeUndefined();
});

test('what is narrowed keeps both ends and drops what says nothing; the address holds it, and nonsense in it is nothing', () => {
  const ranges = new Map([['onResistance', { low: 0.001, high: 0.004 }]]);
  expect(within(parts, ranges).map(({ id }) => id)).toEqual(['m0', 'm1']);
  expect(within(parts, new Map())).toHaveLength(4);
  expect(readRanges(writeRanges(ranges))).toEqual(ranges);
  expect(readRanges('onResistance:1~,x,:2~3,cost:--~4')).toEqual(new Map());
});
