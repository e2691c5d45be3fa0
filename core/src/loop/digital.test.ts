import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Design } from '../design/index.ts';
import { magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { simulate } from '../simulation/simulate.ts';
import { differenceEquation, type DigitalParts } from '../control/digital.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { bareDesign, designWith } from '../testing/designs.ts';
import { runs } from '../testing/runs.ts';
import { loopCorners, withNetwork, type LoopCorners } from './corners.ts';
import { factored, moveSampled } from './factored.ts';
import { placeDigital, sampledFrom, scaledTo, type DigitalForm } from './digital.ts';
import { loop } from './loop.ts';

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

describe('an equation by its zeros and poles', () => {
  const period = 2e-6;
  const hertz = fc.double({ min: 500, max: 120e3, noNaN: true });
  const sizeAt = (parts: Pick<DigitalParts, 'numerator' | 'denominator'>, frequency: number): number =>
    magnitude(differenceEquation(parts, frequency * period));

  test('they are those that it was made of, and one that is moved leaves the others where they are', () => {
    fc.assert(
      fc.property(hertz, hertz, hertz, hertz, (one, other, pole, to) => {
        fc.pre(Math.abs(Math.log(one / other)) > 0.3);
        const digital = { ...sampledFrom([one, other], [pole], period), sampleDelay: 1 };
        const of = factored(digital, period);
        const [low, high] = [Math.min(one, other), Math.max(one, other)];
        const found = (parts: DigitalParts): number[] =>
          factored(parts, period).corners.map(({ frequency }) => frequency);
        expect(of.corners.map(({ id }) => id)).toEqual(['zero-0', 'zero-1', 'pole-0']);
        [low, high, pole].forEach((want, k) => expect(of.corners[k]!.frequency / want).toBeCloseTo(1, 3));
        const zero = moveSampled(of, 'zero-1', to);
        const sorted = [low, to].sort((a, b) => a - b);
        if (Math.abs(Math.log(low / to)) > 0.5)
          [...sorted, pole].forEach((want, k) => expect(found(zero)[k]! / want).toBeCloseTo(1, 1));
        expect(sizeAt(zero, 0.5 / period) / sizeAt(digital, 0.5 / period)).toBeCloseTo(1, 3);
        const moved = moveSampled(of, 'pole-0', to);
        expect(found(moved).at(-1)! / to).toBeCloseTo(1, 2);
        expect(moved.denominator[0]).toBe(1);
        // it integrates on
        expect(Math.abs(moved.denominator.reduce((sum, value) => sum + value, 0))).toBeLessThan(1e-12);
        expect(sizeAt(moved, 10) / sizeAt(digital, 10)).toBeCloseTo(1, 1);
      }),
      { numRuns: runs(100), seed: 5 },
    );
  });

  test('two in one place are two, a pair that rings moves as one, and what stands at the ends is left alone', () => {
    const twice = factored({ ...sampledFrom([3e3, 3e3], [90e3], period), sampleDelay: 1 }, period);
    expect(twice.corners.map(({ kind, root }) => [kind, root[1]])).toEqual([
      ['zero', 0],
      ['zero', 0],
      ['pole', 0],
    ]);
    const ringing = factored({ numerator: [1, -1.9, 0.92], denominator: [1, -1], sampleDelay: 1 }, period);
    expect(ringing.corners).toHaveLength(1);
    const { frequency, root } = ringing.corners[0]!;
    const on = factored(moveSampled(ringing, 'zero-0', 2 * frequency), period).corners;
    expect(on).toHaveLength(1);
    expect(on[0]!.frequency / frequency).toBeCloseTo(2, 3);
    const damping = ([re, im]: readonly [number, number]): number => {
      const s = over([re - 1, im], [re + 1, im]);
      return -s[0] / magnitude(s);
    };
    expect(damping(on[0]!.root)).toBeCloseTo(damping(root), 3);
    expect(moveSampled(ringing, 'zero-7', 1e3)).toBe(ringing.digital);
    // an integrator alone, a mere delay, and more terms than are told
    expect(factored({ numerator: [0, 0.1], denominator: [1, -1], sampleDelay: 1 }, period).corners).toEqual([]);
    expect(
      factored({ numerator: [1, -0.9, 0.1, 0.2, 0.1], denominator: [1, -1], sampleDelay: 1 }, period).corners,
    ).toEqual([]);
  });

  test('dragged it is about what it is when it is let go of', () => {
    const cornersOf = (of: Design): LoopCorners => {
      const going = loopCorners(of);
      let step = going.next();
      while (!step.done) step = going.next();
      return step.value;
    };
    const { digital } = placeDigital(design, '2p2z', { crossover: 18e3, phaseMargin: 45 });
    const known = cornersOf(hold(digital));
    const moved = moveSampled(known.digital!, 'zero-1', 1.5 * known.digital!.corners[1]!.frequency);
    const dragged = withNetwork(known, moved);
    const own = cornersOf(hold(moved));
    expect(dragged.digital!.digital).toEqual(moved);
    expect(dragged.corners.length).toBeGreaterThan(3);
    dragged.corners.forEach((corner, k) => {
      expect(corner.crossoverFrequency! / own.corners[k]!.crossoverFrequency!).toBeCloseTo(1, 1);
      expect(Math.abs(corner.phaseMargin! - own.corners[k]!.phaseMargin!)).toBeLessThan(1.5);
    });
  });
});

test.each([
  [[10.8, 12, 13.2], 1.8, 15],
  [[8.46, 11, 14.3], 2.7, 4.5],
  [[30, 48, 60], 5, 8],
  [[4.5, 5, 5.5], 12, 2],
  [[18, 24, 30], 36, 3],
])('with a brief alone a digital loop from %j V to %d V at %d A keeps its margins', (line, output, most) => {
  const [min, nominal, max] = line as [number, number, number];
  const bare = bareDesign(
    { inputVoltage: { min, nominal, max }, outputVoltage: output, outputCurrent: { min: most / 10, max: most } },
    { control: { method: 'digital' } },
  );
  for (const inputVoltage of line) {
    const { phaseMargin, gainMargin } = loop(bare, { at: { inputVoltage, outputCurrent: most } });
    expect(phaseMargin).toBeGreaterThan(45);
    expect(gainMargin ?? Infinity).toBeGreaterThan(8);
  }
});

test('an equation that integrates still does with its coefficients rounded', () => {
  const bare = bareDesign(
    { inputVoltage: { min: 10.8, nominal: 12, max: 13.2 }, outputVoltage: 1.8, outputCurrent: { min: 1, max: 15 } },
    { control: { method: 'digital' } },
  );
  const decided = completeDecisions(bare).decisions.control.digital!;
  const placed = placeDigital(design, '3p3z', { crossover: 15e3, phaseMargin: 40 }).digital;
  for (const { denominator } of [decided, placed])
    expect(Math.abs(denominator.reduce((sum, value) => sum + value, 0))).toBeLessThan(1e-11);
});

test('in whole numbers it integrates too', () => {
  // each by itself would be rounded the same way, and together they would be off by one
  const { denominator } = scaledTo({ numerator: [1], denominator: [1, -0.2563, -0.3188, -0.4249], sampleDelay: 1 }, 8);
  expect(denominator).toEqual([64, -16, -20, -28]);
  expect(scaledTo({ numerator: [1], denominator: [1, -0.7071], sampleDelay: 1 }, 8).denominator).toEqual([64, -45]);
});
