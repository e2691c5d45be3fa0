import { describe, expect, test } from '@jest/globals';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { inputFilterOf } from './inputFilter.ts';
import { loop } from './loop.ts';
import { fitLoop, injectionSheet, simulatedMeasurement, type MeasuredLoop } from './measured.ts';
import { placeOnFeatures } from './placement.ts';

const closed = {
  control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 },
  compensator: { amplifier: 'op-amp', ...TYPE_3 },
  outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }],
};
const at = { inputVoltage: 24, outputCurrent: 6 };

function measuredOf(csv: string): MeasuredLoop {
  const rows = csv
    .split('\n')
    .filter((line) => /^[\d.]/u.test(line))
    .map((line) => line.split(',').map(Number));
  return {
    ...at,
    name: 'board',
    frequency: rows.map(([f]) => f!),
    gain: rows.map((r) => r[1]!),
    phase: rows.map((r) => r[2]!),
  };
}

describe('a measured loop', () => {
  const design = designWith(closed);

  test('of a stage whose parts are known is fitted to them', () => {
    const truth = { inductance: 0.85, capacitance: 0.8, esr: 1.5 };
    const board = designWith({
      ...closed,
      inductor: { inductance: 4.7e-6 * truth.inductance, resistance: 0.009, saturationCurrent: 11 },
      outputCapacitors: [{ capacitance: 47e-6 * truth.capacitance, esr: 0.008 * truth.esr, count: 2 }],
    });
    const frequencies = Array.from({ length: 40 }, (_, k) => 300 * 10 ** ((2.6 * k) / 39));
    const { response } = loop(board, { at, frequencies });
    const fit = fitLoop(design, { ...at, name: 'board', ...response }, ['inductance', 'capacitance', 'esr']);
    expect(fit.before).toBeGreaterThan(1);
    expect(fit.after).toBeLessThan(0.05);
    for (const { which, factor, low, high } of fit.values) {
      const known = truth[which as keyof typeof truth];
      expect(Math.abs(factor / known - 1)).toBeLessThan(0.02);
      expect([low <= factor, factor <= high]).toEqual([true, true]);
    }
    expect(fit.decisions.inductor.inductance / (4.7e-6 * truth.inductance)).toBeCloseTo(1, 1);
  });

  test('by the analyser’s stand-in is repeatable, wrapped as such instruments write it, and nearer after the fit', () => {
    const csv = simulatedMeasurement(design, at, 7);
    expect(simulatedMeasurement(design, at, 7)).toBe(csv);
    expect(simulatedMeasurement(design, at, 8)).not.toBe(csv);
    const measured = measuredOf(csv);
    expect(measured.frequency).toHaveLength(60);
    for (const phase of measured.phase) expect(Math.abs(phase)).toBeLessThanOrEqual(181);
    const low = { ...measured, frequency: measured.frequency.filter((f) => f < 100e3) };
    const { before, after } = fitLoop(design, low, ['inductance', 'capacitance', 'esr']);
    expect(after).toBeLessThan(0.6 * before);
  });

  test('too short, or of nothing, is refused in words', () => {
    const short: MeasuredLoop = { ...at, name: 'x', frequency: [1e3, 2e3], gain: [1, 0], phase: [-90, -95] };
    expect(() => fitLoop(design, short, ['inductance', 'esr'])).toThrow(/has 2 points .* at least 4/u);
    expect(() => fitLoop(design, short, [])).toThrow(/Nothing to fit/u);
  });

  test('is injected so that neither output nor comparator leaves where it is straight', () => {
    const { rows } = injectionSheet(design, at);
    expect(rows.length).toBeGreaterThan(8);
    for (const { sensed, output } of rows) {
      expect(sensed).toBeLessThanOrEqual(0.0331);
      expect(output).toBeLessThanOrEqual(0.0331);
    }
    // near the crossover the least is needed least: the comparator binds where the compensator's gain is high
    expect(new Set(rows.map(({ by }) => by)).size).toBe(2);
  });
});

describe('what feeds the stage', () => {
  test('is damped where it meets the negative resistance, by parts that do it', () => {
    const led = designWith(
      { ...closed, inputCapacitors: [{ capacitance: 4.7e-6, esr: 0.002, count: 1 }] },
      { sourceInductance: 10e-6 },
    );
    const found = inputFilterOf(led);
    expect(found.holds).toBe(false);
    // at 18 V the stage draws 1.13 A: 16 Ω; √(L/C) is 1.5 Ω and hardly damped
    expect(Math.min(...found.stage)).toBeLessThan(17);
    expect(found.characteristic / Math.sqrt(10e-6 / 4.7e-6)).toBeCloseTo(1, 1);
    expect(found.damping.map(({ kind }) => kind)).toEqual(['parallel R–C', 'parallel R–L']);
    for (const { peak } of found.damping) expect(peak).toBeLessThan(0.55 * Math.min(...found.stage));
    const stiff = inputFilterOf(designWith(closed, { sourceInductance: 1e-9 }));
    expect([stiff.holds, stiff.damping]).toEqual([true, []]);
  });

  // Erickson and Maksimović, input-filter chapter: n = Cb/Cf, Q and peak of the optimal parallel R–C; recalled from memory
  test('with the optimal damping peaks where the closed form says', () => {
    const led = designWith(
      { ...closed, inputCapacitors: [{ capacitance: 4.7e-6, esr: 1e-6, count: 1 }] },
      { sourceInductance: 100e-6 },
    );
    const { characteristic, damping } = inputFilterOf(led);
    const [rc] = damping;
    const n = rc!.ratio;
    expect(rc!.resistance / characteristic / Math.sqrt(((4 + 3 * n) * (2 + n)) / (2 * n * n * (4 + n)))).toBeCloseTo(
      1,
      0,
    );
    expect(rc!.peak / ((characteristic * Math.sqrt(2 * (2 + n))) / n)).toBeCloseTo(1, 1);
  });
});

test('zeros and poles on the plant’s features cross over where they were asked to', () => {
  const design = designWith({ ...closed, compensator: { dividerTop: 22e3 } });
  const compensator = placeOnFeatures(design, 25e3);
  expect(compensator.dividerTop).toBe(22e3);
  const { crossoverFrequency, phaseMargin } = loop(designWith({ ...closed, compensator }), {
    at: { inputVoltage: 32, outputCurrent: 6 },
  });
  expect(crossoverFrequency! / 25e3).toBeCloseTo(1, 1);
  expect(phaseMargin!).toBeGreaterThan(45);
  expect(() => placeOnFeatures(design, 1e6)).toThrow(/below half/u);
});
