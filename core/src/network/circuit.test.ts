import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { CapacitorBank } from '../design/index.ts';
import { solve } from '../solve.ts';
import { designWith } from '../testing/designs.ts';
import { likeBranches, mergeBranches, MOST_BRANCHES } from './circuit.ts';

const at = { inputVoltage: 24, outputCurrent: 6 };
const pointOf = (outputCapacitors: object[], inputCapacitors: object[]) =>
  solve(designWith({ outputCapacitors, inputCapacitors }), { at });

describe('branches in parallel', () => {
  test('capacitors that share every current alike are one, to the last figure', () => {
    const one: CapacitorBank = { capacitance: 22e-6, esr: 0.004, esl: 0.6e-9, count: 4 };
    const input: CapacitorBank = { capacitance: 10e-6, esr: 0.003, esl: 0, count: 2 };
    const whole = pointOf([one], [input]).operatingPoints[0]!;
    // four apart; and unlike in size but with the same R·C and L·C
    const apart = Array.from({ length: 4 }, () => ({ ...one, count: 1 }));
    const scaled = [
      { capacitance: 66e-6, esr: 0.004 / 3, esl: 0.2e-9 },
      { capacitance: 22e-6, esr: 0.004, esl: 0.6e-9 },
    ];
    for (const bank of [apart, scaled]) {
      const split = pointOf(bank, [
        { ...input, count: 1 },
        { ...input, count: 1 },
      ]).operatingPoints[0]!;
      expect(split.outputCapacitor.ripple / whole.outputCapacitor.ripple).toBeCloseTo(1, 9);
      expect(split.losses.outputCapacitorEsr / whole.losses.outputCapacitorEsr).toBeCloseTo(1, 9);
      expect(split.losses.inputCapacitorEsr / whole.losses.inputCapacitorEsr).toBeCloseTo(1, 9);
      expect(split.inputCapacitor.ripple / whole.inputCapacitor.ripple).toBeCloseTo(1, 9);
    }
  });

  test('as many unlike ones as a file may hold are solved, near what their groups’ means give, and it is said', () => {
    const bank = (spread: number): object[] =>
      Array.from({ length: 64 }, (_, i) => ({
        capacitance: 2e-6 * (1 + spread * (i - 31.5)),
        esr: 0.2 * (1 + spread * (31.5 - i)),
      }));
    const alike = pointOf(bank(0), bank(0));
    const unlike = pointOf(bank(1e-3), bank(1e-3));
    const ripple = (result: typeof alike): number => result.operatingPoints[0]!.outputCapacitor.ripple;
    expect(ripple(unlike) / ripple(alike)).toBeCloseTo(1, 2);
    expect(alike.warnings.map(({ id }) => id)).not.toContain('like-banks');
    expect(unlike.warnings.filter(({ id }) => id === 'like-banks')).toHaveLength(2);
  });

  test('taking together keeps the charge and leaves no more than the limit', () => {
    const branch = fc.record({
      capacitance: fc.double({ min: 1e-9, max: 1e-2, noNaN: true }),
      resistance: fc.oneof(fc.constant(0), fc.double({ min: 1e-4, max: 1, noNaN: true })),
      inductance: fc.oneof(fc.constant(0), fc.double({ min: 1e-12, max: 1e-7, noNaN: true })),
    });
    fc.assert(
      fc.property(fc.array(branch, { minLength: 1, maxLength: 64 }), (branches) => {
        const merged = mergeBranches(branches);
        const charge = (of: readonly { capacitance: number }[]): number =>
          of.reduce((sum, b) => sum + b.capacitance, 0);
        expect(charge(merged) / charge(branches)).toBeCloseTo(1, 9);
        expect(merged.length).toBe(Math.min(MOST_BRANCHES, likeBranches(branches).length));
        expect(merged.filter(({ resistance, inductance }) => resistance === 0 && inductance === 0).length).toBeLessThan(
          2,
        );
      }),
      { numRuns: 100, seed: 2 },
    );
  });
});
