import { describe, expect, test } from '@jest/globals';
import type { Estimate } from '../estimates/estimate.ts';
import { crossoverLimitOf } from './crossoverLimit.ts';
import { sectionOf } from './secondSection.ts';

const bank = { capacitance: 100e-6, resistance: 2e-3 };
const corner = (inputVoltage: number, share: number, rightHalfPlaneZero?: number): Estimate => ({
  inputVoltage,
  duty: 1 - share,
  inductorAverage: 1,
  inductorRipple: 0.3,
  summedRipple: 0.3,
  peak: 1.15,
  controlRms: 1,
  rectifierRms: 1,
  input: { chopped: false, share: 1 },
  output: { chopped: rightHalfPlaneZero !== undefined, share },
  rightHalfPlaneZero,
});

const clock = { switchingFrequency: 400e3, phases: 1 };

describe('how fast a loop can be', () => {
  const buck = [corner(18, 1), corner(32, 1)];
  const boost = [corner(10, 0.4, 20e3), corner(14, 0.6, 60e3)];

  test('a buck’s voltage mode: a tenth of the clock where the gain is highest, and falling with the input', () => {
    const crossoverLimit = crossoverLimitOf('voltage-mode', clock, buck, 5e-6, sectionOf(undefined))(bank);
    expect(crossoverLimit.limit).toBe('frequency');
    expect(crossoverLimit.at(buck[1]!).crossover).toBeCloseTo(40e3, 6);
    expect(crossoverLimit.at(buck[0]!).crossover).toBeCloseTo((40e3 * 18) / 32, 6);
    expect(crossoverLimit.slowest).toBe(crossoverLimit.at(buck[0]!).crossover);
    const forward = crossoverLimitOf('voltage-mode-feedforward', clock, buck, 5e-6)(bank);
    expect(forward.at(buck[0]!).crossover).toBeCloseTo(40e3, 6);
  });

  test('a boost’s current mode: a quarter of the lowest zero at the input that has it, nowhere above', () => {
    const crossoverLimit = crossoverLimitOf('peak-current-mode', clock, boost, 10e-6)(bank);
    expect(crossoverLimit.limit).toBe('zero');
    for (const at of boost)
      expect(crossoverLimit.at(at).crossover).toBeLessThanOrEqual(at.rightHalfPlaneZero! / 4 + 1e-9);
    expect(crossoverLimit.at(boost[0]!).crossover).toBeCloseTo(5e3, 6);
  });

  test('voltage mode that cannot pass its filter rings at the filter’s resonance', () => {
    const crossoverLimit = crossoverLimitOf('voltage-mode', clock, boost, 10e-6)({ ...bank, capacitance: 20e-6 });
    expect(crossoverLimit.limit).toBe('filter');
    expect(crossoverLimit.at(boost[0]!).crossover).toBeCloseTo(0.4 / (2 * Math.PI * Math.sqrt(10e-6 * 20e-6)), 6);
    // a larger bank brings the resonance below what the zero leaves
    expect(crossoverLimitOf('voltage-mode', clock, boost, 10e-6)({ ...bank, capacitance: 5e-3 }).limit).toBe('zero');
  });

  test('a second section binds by its resonance over its sharpness; damped, it binds less', () => {
    const capacitors = [{ capacitance: 10e-6, esr: 2e-3, esl: 0, count: 1 }];
    const section = (resistance: number) => sectionOf({ inductance: 1e-6, resistance, capacitors });
    const sharp = crossoverLimitOf('peak-current-mode', clock, buck, 5e-6, section(0.01))(bank);
    const damped = crossoverLimitOf('peak-current-mode', clock, buck, 5e-6, section(0.2))(bank);
    expect([sharp.limit, sharp.crossover < damped.crossover]).toEqual(['section', true]);
  });

  test('a second section’s sharpness is its network’s own, also with a lossy capacitor beside it', () => {
    const ceramic = { capacitance: 10e-6, esr: 2e-3, esl: 0, count: 1 };
    const section = (capacitors: (typeof ceramic)[]) => sectionOf({ inductance: 1e-6, resistance: 0.01, capacitors });
    const plain = section([ceramic]).ringing(bank);
    // in series around the loop: both capacitances, the inductance, and every resistance
    const both = 1 / (1 / bank.capacitance + 1 / ceramic.capacitance);
    expect(plain.resonance * 2 * Math.PI * Math.sqrt(1e-6 * both)).toBeCloseTo(1, 5);
    expect(plain.sharpness / (Math.sqrt(1e-6 / both) / (0.012 + bank.resistance))).toBeCloseTo(1, 2);
    const lossy = { capacitance: 47e-6, esr: 0.4, esl: 0, count: 1 };
    expect(section([ceramic, lossy]).ringing(bank).sharpness).toBeLessThan(plain.sharpness / 4);
    // the same capacitance without loss would only ring lower
    expect(section([ceramic, { ...lossy, esr: 1e-3 }]).ringing(bank).sharpness).toBeGreaterThan(plain.sharpness / 4);
  });

  test('a sampled loop is less than half as fast, and both legs switching less than one', () => {
    const crossover = (method: 'digital' | 'peak-current-mode', corners: Estimate[]): number =>
      crossoverLimitOf(method, clock, corners, 5e-6)(bank).crossover;
    expect(crossover('digital', buck)).toBeCloseTo(16.8e3, 6);
    expect(crossover('peak-current-mode', [{ ...buck[0]!, region: 'buck-boost' }])).toBeLessThan(40e3);
  });

  test('in voltage mode the gain goes with the input, in every topology and across a four-switch stage’s regions', () => {
    // well above the resonance a duty moves Vin/(L·C·ω²): the line alone tells inputs apart
    const at = (inputVoltage: number, share: number): Estimate => ({
      ...buck[0]!,
      inputVoltage,
      output: { chopped: share < 1, share },
      region: share < 1 ? 'boost' : 'buck',
    });
    const { slowest, crossover, highest } = crossoverLimitOf(
      'voltage-mode',
      clock,
      [at(8, 0.6), at(20, 1)],
      5e-6,
    )(bank);
    expect(highest.inputVoltage).toBe(20);
    expect(slowest / crossover).toBeCloseTo(8 / 20, 9);
    const steady = crossoverLimitOf('voltage-mode-feedforward', clock, [at(8, 0.6), at(20, 1)], 5e-6)(bank);
    expect(steady.slowest / steady.crossover).toBeCloseTo(1, 9);
  });
});
