import { describe, expect, test } from '@jest/globals';
import { solve } from '../solve.ts';
import { bareDesign, designWith } from '../testing/designs.ts';
import { sensedByRamp, slowestCritical } from './critical.ts';

const CLOCK = 400e3;
const ideal = { inductance: 4.7e-6, resistance: 0, saturationCurrent: 60 };
const lossless = { controlSwitch: { onResistance: 0 }, rectifier: { kind: 'synchronous', onResistance: 0 } };

describe('critical conduction by its closed forms', () => {
  // ripple and average of lossless stages in continuous conduction at the clock (Erickson and Maksimović, ch. 2; recalled from memory)
  test.each([
    ['buck', 3.3, (vin: number) => 3.3 / vin, (vin: number, d: number) => [(vin - 3.3) * d, 5] as const],
    ['boost', 48, (vin: number) => 1 - vin / 48, (vin: number, d: number) => [vin * d, 5 / (1 - d)] as const],
    [
      'inverting-buck-boost',
      12,
      (vin: number) => 12 / (vin + 12),
      (vin: number, d: number) => [vin * d, 5 / (1 - d)] as const,
    ],
  ])('the slowest corner of a %s is the one that solve finds', (topology, outputVoltage, dutyOf, swingOf) => {
    for (const valley of [0, 0.8]) {
      const design = designWith(
        {
          ...lossless,
          topology,
          inductor: ideal,
          switchingFrequency: CLOCK,
          conduction: 'critical',
          critical: { valleyCurrent: valley },
          outputCapacitors: [{ capacitance: 10e-3, esr: 0 }],
        },
        { outputVoltage, outputCurrent: { min: 1, max: 5 } },
      );
      const inputs = [18, 24, 32];
      const exact = inputs.map(
        (inputVoltage) => solve(design, { at: { inputVoltage, outputCurrent: 5 } }).operatingPoints[0]!,
      );
      const corners = inputs.map((inputVoltage) => {
        const duty = dutyOf(inputVoltage);
        const [volts, inductorAverage] = swingOf(inputVoltage, duty);
        return { inputVoltage, duty, inductorAverage, inductorRipple: volts / (ideal.inductance * CLOCK) };
      });
      const slowest = Math.min(...exact.map(({ switchingFrequency }) => switchingFrequency));
      expect(slowestCritical(corners, CLOCK, valley) / slowest).toBeCloseTo(1, 2);
    }
  });

  test.each([{ valleyCurrent: 2 }, { nodeCapacitance: 1e-9 }])(
    'a valley of %p counts in inductance, limit and saturation',
    (critical) => {
      const design = bareDesign(
        {
          inputVoltage: { min: 20, nominal: 24, max: 28 },
          outputVoltage: 12,
          outputCurrent: { min: 0.5, max: 4 },
        },
        { conduction: 'critical', critical, switchingFrequency: 150e3 },
      );
      const { decisions, operatingPoints } = solve(design);
      const full = operatingPoints.filter(({ outputCurrent }) => outputCurrent === 4);
      expect(Math.min(...full.map((point) => point.switchingFrequency))).toBeGreaterThan(150e3);
      const peak = Math.max(...full.map((point) => point.inductorCurrent.peak));
      const limit = decisions.control.currentLimit!;
      expect(limit * 0.9).toBeGreaterThan(0.995 * peak);
      expect(decisions.inductor.saturationCurrent).toBeGreaterThan(1.1 * limit);
    },
  );

  test('a volt of the ramp ends the pulse at the peak that a current sensed with it would: the steepest corner counts', () => {
    const corners = [18, 32].map((inputVoltage) => ({
      inputVoltage,
      duty: 3.3 / inputVoltage,
      inductorAverage: 5,
      inductorRipple: ((inputVoltage - 3.3) * (3.3 / inputVoltage)) / (ideal.inductance * CLOCK),
    }));
    // peak over volt: (Vin − Vout)·T/(L·ramp)
    expect(sensedByRamp(corners, () => 1.5)! * ((32 - 3.3) / (ideal.inductance * CLOCK * 1.5))).toBeCloseTo(1, 12);
    // a ramp that rises with the input leaves both corners nearly alike, the lower one the flatter
    expect(
      sensedByRamp(corners, (volts) => 0.05 * volts)! * ((32 - 3.3) / (ideal.inductance * CLOCK * 1.6)),
    ).toBeCloseTo(1, 12);
  });

  test('without a duty or a ripple nothing is told, and the clock stands', () => {
    const corner = { inputVoltage: 3, duty: Number.NaN, inductorAverage: Number.NaN, inductorRipple: Number.NaN };
    expect(slowestCritical([corner], CLOCK, 0)).toBe(CLOCK);
    expect(sensedByRamp([corner], () => 1)).toBeUndefined();
    expect(sensedByRamp([{ ...corner, duty: 0.5, inductorRipple: 0 }], () => 1)).toBeUndefined();
  });
});
