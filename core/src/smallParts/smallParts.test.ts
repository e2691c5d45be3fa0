import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { CapacitorBank } from '../design/schema.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { coupledRipple } from '../estimates/coupling.ts';
import { chooseFrequency, harmonicIn } from '../stage/sizing/frequency.ts';
import { cancellation } from '../estimates/interleaving.ts';
import { suggestOutputFilter } from './outputFilter.ts';
import { seriesMantissas } from '../quantity/index.ts';
import { adjustableDivider, dividerPairs, timingPairs } from './smallParts.ts';
import { zeroVoltageValley } from '../estimates/zeroVoltage.ts';
import { loadRipple } from '../stage/operating/operatingPoint.ts';
import { solve } from '../solve.ts';
import { bareDesign, designWith, exampleWith } from '../testing/designs.ts';
import { runs } from '../testing/runs.ts';

describe('small parts', () => {
  test('divider pairs are standard values, the closest first, with the tolerance each leaves', () => {
    const pairs = dividerPairs(3.3, 0.8, 'E96', 100e-6, { resistor: 0.01, reference: 0.005 });
    expect(pairs).toHaveLength(5);
    for (const pair of pairs) {
      expect(pair.output).toBeCloseTo(0.8 * (1 + pair.top / pair.bottom), 12);
      expect(Math.abs(pair.error)).toBeLessThan(0.01);
      expect(pair.current).toBeGreaterThan(45e-6);
      expect(pair.current).toBeLessThan(210e-6);
      // both resistors at their limits the opposite way, by brute force, to first order
      const high = 0.8 * 1.005 * (1 + (pair.top * 1.01) / (pair.bottom * 0.99));
      expect(Math.abs(pair.accuracy.worst - (high / pair.output - 1))).toBeLessThan(3e-4);
      expect(pair.accuracy.rss).toBeLessThan(pair.accuracy.worst);
    }
    // no pair of the series in that range of currents comes closer: 3.125 lies midway between two of its steps
    const members = seriesMantissas('E96').flatMap((m) => [m * 1e3, m * 1e4, m * 1e5]);
    const errors = members
      .filter((bottom) => bottom >= 4e3 && bottom <= 16e3)
      .flatMap((bottom) => members.map((top) => Math.abs((0.8 * (1 + top / bottom)) / 3.3 - 1)))
      .sort((a, b) => a - b);
    pairs.forEach((pair, at) => expect(Math.abs(pair.error)).toBeCloseTo(errors[at]!, 12));
    expect(dividerPairs(0.8, 0.8, 'E96', 1e-4, { resistor: 0.01, reference: 0.01 })).toEqual([]);
  });

  test('a potentiometer covers the range asked for, is coarser at the high end, and fails low', () => {
    const found = adjustableDivider(12, 18, 0.8, 10e3)!;
    expect(found.lowest).toBeLessThanOrEqual(12);
    expect(found.highest).toBeGreaterThanOrEqual(18);
    expect(found.highest).toBeCloseTo(0.8 * (1 + found.top / found.bottom), 9);
    expect(found.resolutionAtHighest).toBeGreaterThan(found.resolutionAtLowest);
    expect(found.wiperOpen.inBottomLeg).toBe(found.lowest);
    expect(adjustableDivider(0.5, 18, 0.8, 10e3)).toBeUndefined();
    fc.assert(
      fc.property(
        fc.double({ min: 0.85, max: 30, noNaN: true }),
        fc.double({ min: 1.05, max: 8, noNaN: true }),
        fc.constantFrom(1e3, 10e3, 100e3),
        (low, span, potentiometer) => {
          const covered = adjustableDivider(low, low * span, 0.8, potentiometer)!;
          expect(covered.lowest).toBeLessThanOrEqual(low * (1 + 1e-9));
          expect(covered.highest).toBeGreaterThanOrEqual(low * span * (1 - 1e-9));
          // and not by much: the next pair up would leave an end out
          expect(covered.highest / (low * span)).toBeLessThan(1.35);
        },
      ),
      { numRuns: runs(100), seed: 5 },
    );
  });

  // common practice, no source: 27 kΩ and 1 nF give about 37 kHz, 3.9 kΩ and 10 nF about 25.6 kHz
  test('timing parts', () => {
    expect(timingPairs(37e3, 'single-ended', undefined, 40)).toContainEqual(
      expect.objectContaining({ resistance: 27e3, capacitance: 1e-9 }),
    );
    const slow = timingPairs(25.6e3, 'single-ended', undefined, 40).find(({ capacitance }) => capacitance === 10e-9)!;
    expect(slow.resistance).toBe(3900);
    expect(timingPairs(50e3, 'push-pull')[0]!.frequency / 50e3).toBeCloseTo(1, 1);
  });
});

describe('rules', () => {
  test('bands are kept clear of every harmonic', () => {
    const bands = [{ min: 0.53e6, max: 1.7e6 }];
    const need = { usual: 500e3, smallestDuty: 0.3, largestDuty: 0.5, minimumOnTime: 80e-9, minimumOffTime: 120e-9 };
    // the near way out of a broad band is up
    expect(chooseFrequency({ ...need, keepClear: bands }).frequency).toBeGreaterThan(1.7e6);
    const { frequency, limitedBy } = chooseFrequency({ ...need, keepClear: [{ min: 450e3, max: 470e3 }] });
    expect([frequency, limitedBy]).toEqual([500e3, 'wish']);
    const lower = chooseFrequency({ ...need, keepClear: [{ min: 490e3, max: 510e3 }] });
    expect(lower.limitedBy).toBe('band');
    expect(harmonicIn(lower.frequency, [{ min: 490e3, max: 510e3 }])).toBeUndefined();
    expect(harmonicIn(400e3, bands)).toMatchObject({ harmonic: 2 });
  });

  test('the valley that swings a node over: energy before is energy after', () => {
    const [inductance, capacitance] = [4.7e-6, 400e-12];
    const valley = zeroVoltageValley('buck', 24, 3.3, inductance, capacitance);
    // ½LI² and the capacitance at zero volts ring about Vout: at the top all is in the capacitance at Vin
    const about = 3.3;
    const before = inductance * valley ** 2 + capacitance * about ** 2;
    expect(before).toBeCloseTo(capacitance * (24 - about) ** 2, 15);
    expect(zeroVoltageValley('buck', 24, 13, inductance, capacitance)).toBe(0);
    expect(zeroVoltageValley('boost', 12, 30, inductance, capacitance)).toBe(0);
    const held = exampleWith({ conduction: 'critical', critical: { nodeCapacitance: capacitance } });
    const { decisions } = completeDecisions(held);
    expect(decisions.critical?.valleyCurrent).toBeCloseTo(
      zeroVoltageValley('buck', 32, 3.3, decisions.inductor.inductance, capacitance),
      9,
    );
    expect(solve(held).warnings.map(({ id }) => id)).not.toContain('zero-voltage');
  });

  test('coupled ripple by straight ramps is what the network gives; uncoupled it is the cancellation law', () => {
    for (const duty of [0.15, 0.4]) {
      for (const polarity of ['inverse', 'direct'] as const) {
        const coupling = { coefficient: 0.6, polarity };
        const ripple = (given: object): number => {
          const design = designWith(
            {
              phases: 2,
              controlSwitch: { onResistance: 0 },
              rectifier: { kind: 'synchronous', onResistance: 0 },
              inductor: { inductance: 1e-6, resistance: 0, saturationCurrent: 100 },
              outputCapacitors: [{ capacitance: 0.1 }],
              ...given,
            },
            {
              outputVoltage: 12 * duty,
              inputVoltage: { min: 12, nominal: 12, max: 12 },
              outputCurrent: { min: 0, max: 40 },
            },
          );
          return solve(design, { at: { inputVoltage: 12, outputCurrent: 40 } }).operatingPoints[0]!.inductorCurrent
            .ripple;
        };
        expect(coupledRipple(2, coupling, duty).winding).toBeCloseTo(ripple({ coupling }) / ripple({}), 3);
      }
      for (const phases of [2, 3, 5])
        expect(
          coupledRipple(phases, { coefficient: 0, polarity: 'direct', arrangement: 'one-core' }, duty).sum,
        ).toBeCloseTo(cancellation(phases, duty), 9);
    }
  });

  test('a second section brings the ripple to what is wanted', () => {
    const design = exampleWith();
    const { decisions, operatingPoints } = solve(design);
    const outputFilter = suggestOutputFilter(design.brief, decisions, operatingPoints, 0.001);
    const filtered = solve(exampleWith({ outputFilter }));
    expect(Math.max(...filtered.operatingPoints.map(loadRipple))).toBeLessThan(0.001);
    expect(filtered.operatingPoints[0]!.losses.outputFilterWinding).toBeGreaterThan(0);
  });

  test('a second section shares the step with the bank: the free bank does not grow without end', () => {
    const charge = (banks: readonly CapacitorBank[]): number =>
      banks.reduce((sum, { capacitance, count }) => sum + capacitance * count, 0);
    for (const [min, nominal, max, outputVoltage, full] of [
      [10, 12, 14, 3.3, 6],
      [18, 24, 32, 5, 3],
      [10, 12, 14, 1.8, 10],
    ] as const) {
      const brief = {
        inputVoltage: { min, nominal, max },
        outputVoltage,
        outputCurrent: { min: full / 20, max: full },
      };
      const bare = solve(bareDesign(brief));
      const outputFilter = suggestOutputFilter(bareDesign(brief).brief, bare.decisions, bare.operatingPoints);
      const filtered = solve(bareDesign(brief, { outputFilter }));
      expect(charge(filtered.decisions.outputCapacitors)).toBeLessThan(3.5 * charge(bare.decisions.outputCapacitors));
      expect(filtered.warnings.map(({ id }) => id)).not.toContain('second-section-rings');
    }
    // one that rings is told, the bank before it stays what helps, and its rule names the cause
    const ringing = { inductance: 1e-6, resistance: 1e-3, capacitors: [{ capacitance: 100e-6, esr: 5e-4 }] };
    const { decisions, decided, warnings } = solve(
      bareDesign(
        { inputVoltage: { min: 10, nominal: 12, max: 14 }, outputVoltage: 3.3, outputCurrent: { min: 0.3, max: 6 } },
        { outputFilter: ringing },
      ),
    );
    expect(warnings.map(({ id }) => id)).toContain('second-section-rings');
    expect(charge(decisions.outputCapacitors)).toBeLessThan(5e-3);
    expect(decided.find(({ path }) => path === 'outputCapacitors')!.rule).toMatch(/second section/u);
  });
});
