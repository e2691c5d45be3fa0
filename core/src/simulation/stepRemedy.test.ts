import { describe, expect, test } from '@jest/globals';
import type { Design } from '../design/index.ts';
import { bareDesign } from '../testing/designs.ts';
import { stepRemedy } from './stepRemedy.ts';
import { steppedPoints, type SteppedPoint } from './stepTargets.ts';

const lasting = <T>(going: Generator<unknown, T>): T => {
  let step = going.next();
  while (!step.done) step = going.next();
  return step.value;
};
const pointsOf = (design: Design): SteppedPoint[] => lasting(steppedPoints(design)).points;
const movedBy = (design: Design): number =>
  Math.max(...pointsOf(design).flatMap(({ undershoot, overshoot }) => [undershoot, overshoot]));

const brief = {
  inputVoltage: { min: 10.8, nominal: 12, max: 13.2 },
  outputVoltage: 3.3,
  outputCurrent: { min: 0.5, max: 10 },
  load: 'constant-current',
  loadStep: { from: 2, to: 8, slewRate: 1e7, deviation: 0.1 },
};
const banked = (times: number, over: object = {}, decisions: object = {}): Design =>
  bareDesign(
    { ...brief, ...over },
    { outputCapacitors: [{ capacitance: 47e-6 * times, esr: 3e-3 / times, esl: 0, count: 1 }], ...decisions },
  );

describe('what a load step that is missed takes, by simulation', () => {
  const factorOf = (design: Design): number =>
    Number(/([\d.]+) times the output capacitance/u.exec(lasting(stepRemedy(design, pointsOf(design)))!)![1]);

  test.each([
    ['voltage mode', 0.5, {}],
    ['peak current mode', 0.5, { control: { method: 'peak-current-mode' } }],
  ])('%s: so much of the bank holds it, and a fifth less does not', (_, base, decisions) => {
    const factor = factorOf(banked(base, {}, decisions));
    expect(factor).toBeGreaterThan(1);
    expect(movedBy(banked(base * factor, {}, decisions))).toBeLessThanOrEqual(0.1);
    expect(movedBy(banked(0.8 * base * factor, {}, decisions))).toBeGreaterThan(0.1);
  });

  test('an equation, whose duty’s ends make it no simple matter: so much of the bank holds it', () => {
    const decisions = { control: { method: 'digital' } };
    const factor = factorOf(banked(2, {}, decisions));
    expect(factor).toBeGreaterThan(1);
    expect(movedBy(banked(2 * factor, {}, decisions))).toBeLessThanOrEqual(0.1);
  });

  test('nothing where it holds or nothing is asked, and in words where no bank does', () => {
    const large = banked(20);
    expect(lasting(stepRemedy(large, pointsOf(large)))).toBeUndefined();
    const { loadStep } = brief;
    expect(lasting(stepRemedy(banked(1, { loadStep: { ...loadStep, deviation: undefined } }), []))).toBeUndefined();
    const tight = banked(1, { loadStep: { ...loadStep, deviation: 1e-4 } });
    expect(lasting(stepRemedy(tight, pointsOf(tight)))).toMatch(/no output capacitance up to 12 times this one/u);
  });
});
