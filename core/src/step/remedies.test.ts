import { describe, expect, test } from '@jest/globals';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { designWith } from '../testing/designs.ts';
import { predictExcursion } from './excursion.ts';
import { stepRemedies } from './remedies.ts';

describe('a load step that does not hold', () => {
  const bank = (capacitance: number) => [{ capacitance, esr: 0.001, count: 1 }];
  const brief = { loadStep: { from: 1, to: 5, deviation: 0.08 } };

  test('says what holds it back and what would do, and each of these does', () => {
    const design = designWith({ outputCapacitors: bank(200e-6), control: { method: 'voltage-mode' } }, brief);
    const { warnings } = solve(design);
    const { message } = warnings.find(({ id }) => id === 'load-step')!;
    expect(message).toMatch(
      /a tenth of the switching frequency.*times the output capacitance.*a switching frequency of/su,
    );
    const factor = Number(/([\d.]+) times the output capacitance/u.exec(message)![1]);
    const { decisions } = completeDecisions(design);
    const more = {
      ...decisions,
      outputCapacitors: [{ ...bank(200e-6 * factor)[0]!, esl: 0, esr: 0.001 / factor }],
    };
    const at = { inputVoltage: 18, outputCapacitor: { ripple: 0 } };
    expect(predictExcursion('down', design, decisions, at)).toBeGreaterThan(0.08);
    expect(predictExcursion('down', design, more, at)).toBeLessThan(0.08);
  });

  test('of a boost names the zero, and no frequency that would not help', () => {
    const design = designWith(
      {
        topology: 'boost',
        inductor: { inductance: 33e-6, resistance: 0.02, saturationCurrent: 20 },
        outputCapacitors: bank(22e-6),
        control: { method: 'peak-current-mode' },
      },
      {
        inputVoltage: { min: 10, nominal: 12, max: 14 },
        outputVoltage: 24,
        outputCurrent: { min: 0.2, max: 3 },
        loadStep: { from: 1, to: 3, deviation: 0.3 },
      },
    );
    const { message } = solve(design).warnings.find(({ id }) => id === 'load-step')!;
    expect(message).toMatch(/right-half-plane zero/u);
    expect(message).not.toMatch(/a switching frequency of/u);
  });

  test('that holds, or is not asked for, says nothing', () => {
    const enough = designWith({ outputCapacitors: bank(2e-3) }, brief);
    expect(solve(enough).warnings.map(({ id }) => id)).not.toContain('load-step');
    expect(stepRemedies(designWith(), completeDecisions(designWith()).decisions, [])).toEqual([]);
  });
});
