import { describe, expect, test } from '@jest/globals';
import { degrees, magnitude, times, type Complex } from '../numbers/complex.ts';
import { designWith } from '../testing/designs.ts';
import { CompensatorResponse } from './compensator.ts';
import { loop } from './loop.ts';
import { kFactor, placeAt, placeNetwork } from './placement.ts';

describe('the k-factor', () => {
  // Venable, 1983; shared table of checks, recalled from memory: k = 1 adds nothing, type II 60° is 3.73, type III 120° is 13.9
  test('is the tables’', () => {
    expect(kFactor(2, 0)).toBeCloseTo(1, 12);
    expect(kFactor(2, 60)).toBeCloseTo(3.732, 3);
    expect(kFactor(3, 120)).toBeCloseTo(13.93, 2);
    expect(kFactor(3, 90)).toBeCloseTo(5.828, 3);
  });

  test.each([
    ['op-amp', -60],
    ['op-amp', -110],
    ['op-amp', -165],
    ['ota', -95],
  ] as const)('%s: a plant at %s° crosses over where it is wanted, with the margin wanted', (amplifier, phase) => {
    const size = 3;
    const angle = (phase * Math.PI) / 180;
    const plant: Complex = [size * Math.cos(angle), size * Math.sin(angle)];
    const given = { amplifier, transconductance: 1e-3, dividerTop: 1e4, dividerBottom: 3200 };
    const { compensator } = placeAt(plant, { crossover: 2e4, phaseMargin: 55 }, given, false);
    const whole = times(plant, new CompensatorResponse(compensator, 1e-9).at(2e4));
    expect(magnitude(whole)).toBeCloseTo(1, 6);
    const margin = degrees(whole) + 180;
    // type 1 adds no phase and takes none: what the plant has is left
    expect(margin).toBeCloseTo(Math.max(55, phase + 90), 4);
  });

  test('what no network adds is said; a design’s network is placed at its highest corner with parts that are made', () => {
    expect(() => placeAt([-1, 0.2], { crossover: 1e4, phaseMargin: 80 }, { amplifier: 'ota' })).toThrow(/at most 80°/u);
    const design = designWith({
      outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }],
      control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 },
    });
    const wanted = { crossover: 3e4, phaseMargin: 60 };
    const { compensator, at } = placeNetwork(design, wanted);
    expect(at.inputVoltage).toBe(32);
    const placed = { ...design, decisions: { ...design.decisions, compensator } };
    const { crossoverFrequency, phaseMargin } = loop(placed, { at });
    // rounding to E24 and E12 moves it a little
    expect(crossoverFrequency! / 3e4).toBeCloseTo(1, 0);
    expect(Math.abs(phaseMargin! - 60)).toBeLessThan(8);
    expect(() => placeNetwork(design, { crossover: 3e5, phaseMargin: 60 })).toThrow(/half the switching/u);
  });
});
