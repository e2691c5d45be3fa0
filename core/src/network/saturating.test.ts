import { describe, expect, test } from '@jest/globals';
import { bendOf, inductanceAt, linkageAt, stepAt } from './saturating.ts';

const curve = [
  [1, 10e-6],
  [3, 6e-6],
  [4, 6e-6],
  [9, 2e-6],
] as const;

describe('an inductance over the current', () => {
  test('is linear between its points and keeps the last value beyond them, for either sign', () => {
    for (const [current, inductance] of [
      [0, 10e-6],
      [-2, 8e-6],
      [3.5, 6e-6],
      [6.5, 4e-6],
      [-20, 2e-6],
    ] as const)
      expect(inductanceAt(curve, current)).toBeCloseTo(inductance, 12);
  });

  test('as steps has the same flux at every border, and no step across zero', () => {
    for (const points of [curve, [[0, 10e-6] as const, ...curve]]) {
      const bend = bendOf(points, 0.5)!;
      const { borders, inductances } = bend;
      expect(inductances).toHaveLength(borders.length + 1);
      const steps = borders.slice(1).map((to, k) => ({ from: borders[k]!, to, inductance: inductances[k + 1]! }));
      const unlike = steps.map(({ from, to, inductance }) =>
        Math.abs(inductance * (to - from) - linkageAt(points, to) + linkageAt(points, from)),
      );
      expect(Math.max(...unlike)).toBeLessThan(5e-16);
      expect(steps.map(({ from, to }) => stepAt(bend, (from + to) / 2))).toEqual(steps.map((_, k) => k + 1));
      expect(inductances[stepAt(bend, 50)]).toBe(2e-6);
      expect(inductances[stepAt(bend, -50)]).toBe(2e-6);
    }
    expect(
      bendOf(
        [
          [0, 5e-6],
          [9, 5e-6],
        ],
        1,
      ),
    ).toBeUndefined();
  });
});
