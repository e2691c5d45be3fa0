import { describe, expect, test } from '@jest/globals';
import { magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { simulate } from '../simulation/simulate.ts';
import type { DigitalParts } from '../stage/sizing/digital.ts';
import { designWith } from '../testing/designs.ts';
import { placeDigital, sampledFrom, scaledTo, type DigitalForm } from './digital.ts';
import { differenceEquation, loop } from './loop.ts';

const design = designWith(
  {
    outputCapacitors: [{ capacitance: 100e-6, esr: 0.01, count: 2 }],
    control: { method: 'digital', referenceVoltage: 0.8 },
  },
  { loadStep: { from: 1.5, to: 4.5, slewRate: 1e6 } },
);
const hold = (digital: DigitalParts) => ({
  ...design,
  decisions: { ...design.decisions, control: { ...design.decisions.control, digital } },
});

describe('digital compensators', () => {
  test('Tustin: at every frequency the prototype at tan(πfT)/(πT)', () => {
    const [zeros, poles, period] = [[3e3, 5e3], [90e3, 150e3], 2.5e-6];
    const made = sampledFrom(zeros, poles, period);
    expect([made.numerator.length, made.denominator.length, made.denominator[0]]).toEqual([4, 4, 1]);
    for (const frequency of [100, 4e3, 40e3, 120e3]) {
      const warped = Math.tan(Math.PI * frequency * period) / (Math.PI * period);
      const corner = (at: number): Complex => [1, warped / at];
      const own = over(
        zeros.map(corner).reduce(times),
        times([0, 2 * Math.PI * warped], poles.map(corner).reduce(times)),
      );
      const told = differenceEquation(made, frequency * period);
      expect(magnitude(plus(told, [-own[0], -own[1]])) / magnitude(own)).toBeLessThan(1e-9);
    }
  });

  test.each<[DigitalForm, number, number, number]>([
    ['pi', 200, 85, 2],
    ['2p2z', 18e3, 45, 3],
    ['3p3z', 15e3, 40, 4],
  ])(
    '%s crosses over where it is wanted, with the margin that is wanted, and settles',
    (form, crossover, margin, n) => {
      const placed = placeDigital(design, form, { crossover, phaseMargin: margin });
      expect(placed.digital.numerator).toHaveLength(n);
      const found = loop(hold(placed.digital), { at: placed.at });
      expect(found.crossoverFrequency! / crossover).toBeCloseTo(1, 3);
      expect(found.phaseMargin!).toBeCloseTo(placed.phaseMargin, 9);
      // an integrator far below the resonance has more than is asked for by itself
      expect(found.phaseMargin! - margin).toBeGreaterThan(-0.1);
      if (form !== 'pi') expect(found.phaseMargin! - margin).toBeLessThan(0.1);
      const { settlingTime, outputVoltage } = simulate(hold(placed.digital), {
        scenario: 'load-step',
        duration: 20 / crossover,
        waveforms: false,
      }).measurements;
      expect(settlingTime!).toBeLessThan(10 / crossover);
      expect(outputVoltage.average / 3.3).toBeCloseTo(1, 1);
    },
  );

  test('what a form cannot add, and what is no digital controller, is said with what would be right', () => {
    expect(() => placeDigital(design, 'pi', { crossover: 18e3, phaseMargin: 45 })).toThrow(
      /phaseMargin: 45°, expected at most the -?\d+° that PI/u,
    );
    expect(() => placeDigital(design, 'pi', { crossover: 1.5e3, phaseMargin: 60 })).toThrow(
      /crosses over at 5\.\d\skHz with -\d+°: its gain rises again where the filter resonates/u,
    );
    const analogue = designWith({ control: { method: 'voltage-mode', referenceVoltage: 0.8 } });
    expect(() => placeDigital(analogue, 'pi', { crossover: 1e3, phaseMargin: 45 })).toThrow(/no difference equation/u);
  });

  test('in whole numbers: as large as the word holds, one shift, the error told', () => {
    const parts = {
      numerator: [0.5, -0.3],
      denominator: [1, -0.9],
      sampleDelay: 1,
      converterStep: 1e-3,
      dutyResolution: 1000,
    };
    // the error counts millivolts and the duty thousandths, so that the gain stays
    const scaled = scaledTo(parts, 16);
    expect(scaled.shift).toBe(14);
    expect(scaled.numerator).toEqual([8192, -4915]);
    expect(scaled.denominator).toEqual([16384, -14746]);
    expect(scaled.off).toBeCloseTo(Math.abs(-4915 / (-0.3 * 2 ** 14) - 1), 12);
    expect(scaledTo({ ...parts, numerator: [2e-7] }, 8).off).toBe(1);
  });
});
