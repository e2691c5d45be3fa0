import { expect, test } from '@jest/globals';
import type { Ranked } from '@yundro/core';
import { lanesOf, roomFor } from './weighed.ts';

const switchOf = (
  id: string,
  cost: number,
  loss: number | undefined,
  ...reasons: [by: string, words: string][]
): Ranked =>
  ({
    part: { id, kind: 'mosfet', name: `part ${id}` },
    count: id === 'b' ? 2 : 1,
    reasons: reasons.map(([by, words]) => ({ by, words })),
    loss,
    full: undefined,
    cost,
    area: undefined,
    height: undefined,
  }) as unknown as Ranked;

test('what fits stands over its price with the front that nothing beats; what does not, by what rules it out first', () => {
  const ranked = [
    switchOf('a', 1, 0.5),
    switchOf('b', 2, 0.2),
    switchOf('c', 3, 0.4),
    switchOf('d', 4, undefined, ['voltage', '20 V is too low'], ['current', '1 A is too little']),
    switchOf('e', 5, undefined, ['current', '2 A is too little']),
    // without a price there is no place to draw it at
    switchOf('f', Number.NaN, 0.1),
  ];
  const [fits, out] = lanesOf(ranked, 'cost', ['b']);
  const [marks, front, inForce] = fits!.traces;
  expect([marks!.x, marks!.y]).toEqual([
    [1, 2, 3],
    [0.5, 0.2, 0.4],
  ]);
  expect(front!.x).toEqual([1, 2]);
  expect(inForce!.x).toEqual([2]);
  expect(marks!.tells![1]).toBe('2 × part b: 200\u00a0mW, cost 2.00');
  expect(out!.names).toEqual(['current', 'voltage']);
  expect([out!.traces[0]!.x, out!.traces[0]!.y]).toEqual([
    [4, 5],
    [1, 0],
  ]);
  expect(out!.traces[0]!.tells![0]).toBe('part d: 20 V is too low; 1 A is too little');
  expect(roomFor([fits!, out!], true)).toEqual({ min: 0.8, max: 6.25 });
  expect(lanesOf(ranked, 'height', [])).toEqual([]);
  expect(roomFor([], true)).toBeUndefined();
});

test('of capacitors more is better: no front is drawn', () => {
  const one = { ...switchOf('a', 1, undefined), effective: 1e-6, part: { id: 'a', kind: 'capacitor', name: 'a' } };
  const [lane] = lanesOf([one as unknown as Ranked], 'cost', []);
  expect(lane!.traces.map(({ name }) => name)).toEqual(['fits', 'in force']);
  expect(lane!.traces[0]!.y).toEqual([1e-6]);
});
