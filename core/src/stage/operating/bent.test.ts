import { describe, expect, test } from '@jest/globals';
import { inductanceAt } from '../../network/bend.ts';
import { solve } from '../../solve.ts';
import { bareDesign, designWith } from '../../testing/designs.ts';
import type { Design } from '../../design/schema.ts';

/*
 * A stage whose inductance bends and whose banks are stiff is followed over maps of powers of two; one that is not, by its
 * own series. The two have to be one stage.
 */

const curve = [
  [0, 10e-6],
  [3, 9e-6],
  [8, 4e-6],
  [12, 3e-6],
];
const bank = (esl: number): object[] => [{ capacitance: 22e-6, esr: 0.004, esl, count: 4 }];
const diode = { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01 };
const pointOf = (design: Design, outputCurrent: number) =>
  solve(design, { at: { inputVoltage: 24, outputCurrent }, areas: [] }).operatingPoints[0]!;

const stages: Readonly<Record<string, [decisions: object, brief: object, load: number]>> = {
  'bent, continuous': [{ inductor: { inductance: 10e-6, resistance: 0.009, inductanceCurve: curve } }, {}, 6],
  'bent, with a diode that comes to rest': [
    { rectifier: diode, inductor: { inductance: 10e-6, resistance: 0.009, inductanceCurve: curve } },
    { outputCurrent: { min: 0.05, max: 6 } },
    0.3,
  ],
  'straight, discontinuous with dead times': [
    { lightLoad: 'diode-emulation', control: { deadTime: 30e-9 } },
    { outputCurrent: { min: 0.05, max: 6 } },
    0.2,
  ],
};

describe.each(Object.entries(stages))('%s', (_, [decisions, brief, load]) => {
  const without = pointOf(designWith({ ...decisions, outputCapacitors: bank(0) }, brief), load);

  // R/L of the branch from a few times to a million times what a period's series reaches
  test.each([1e-10, 1e-12, 1e-15])('a series inductance of %d H, as good as none, changes nothing', (esl) => {
    const stiff = pointOf(designWith({ ...decisions, outputCapacitors: bank(esl) }, brief), load);
    expect(stiff.conductionMode).toBe(without.conductionMode);
    const of = (point: typeof stiff): number[] => [
      point.duty,
      point.inductorCurrent.peak,
      point.inductorCurrent.valley,
      point.inductorCurrent.rms,
      point.outputVoltage.average,
      point.losses.total,
    ];
    // the rest is what the inductance itself takes: its voltage over the output's
    const own = 30 * (esl / 4) * (24 / 4e-6 / 3.3) + 1e-7;
    of(stiff).forEach((value, k) =>
      expect(Math.abs(value - of(without)[k]!) / Math.max(1, Math.abs(value))).toBeLessThan(own),
    );
  });
});

test('a bent current is the integral of its own voltage over its own inductance', () => {
  const { inductorCurrent, duty, switchingFrequency } = pointOf(
    designWith({ inductor: { inductance: 10e-6, resistance: 0, inductanceCurve: curve } }, {}),
    6,
  );
  // volt-seconds of the falling part against the flux between valley and peak, summed by a thousand rectangles
  const { peak, valley } = inductorCurrent;
  let flux = 0;
  for (let k = 0; k < 1000; k += 1) {
    const at = valley + ((k + 0.5) / 1000) * (peak - valley);
    flux += (inductanceAt(curve as [number, number][], at) * (peak - valley)) / 1000;
  }
  const drop = 0.006 * 6;
  expect(flux / (((3.3 + drop) * (1 - duty)) / switchingFrequency)).toBeCloseTo(1, 2);
});

test('with only a brief and a curve the ripple is that of the inductance at the load', () => {
  const bare = bareDesign(
    { inputVoltage: { min: 18, nominal: 24, max: 32 }, outputVoltage: 3.3, outputCurrent: { min: 0.3, max: 6 } },
    { inductor: { inductanceCurve: curve } },
  );
  const bent = pointOf(bare, 6);
  const straight = pointOf({ ...bare, decisions: { inductor: { inductance: 10e-6 } } }, 6);
  const swing = ({ inductorCurrent, switchingFrequency }: typeof bent): number =>
    inductorCurrent.ripple * switchingFrequency;
  // 6 µH of the curve at 6 A against 10 µH
  expect(swing(bent) / swing(straight)).toBeCloseTo(10 / 6, 1);
});

test('a stage eight decades past anything stiff is followed to an end, and what it gives is a number', () => {
  // ten attohenries beside a henry in series with each bank: a diode met within rounding of where it gave way was met again for ever
  const unit = { capacitance: 1, esr: 0, esl: 1, count: 4 };
  const design = bareDesign(
    {
      inputVoltage: { min: 1, nominal: 1, max: 1 },
      outputVoltage: 1,
      outputCurrent: { min: 0, max: 1 },
      load: 'constant-current',
      sourceResistance: 1,
      sourceInductance: 1,
    },
    {
      topology: 'boost',
      phases: 8,
      switchingFrequency: 1,
      lightLoad: 'pulse-skipping',
      inductor: { inductance: 1e-17, resistance: 0 },
      coupling: { coefficient: 6e-4, polarity: 'direct' },
      controlSwitch: { bodyDiodeVoltage: 1e-17 },
      rectifier: { kind: 'diode', forwardVoltage: 0 },
      outputCapacitors: [unit],
      inputCapacitors: [{ capacitance: 1, esr: 0, count: 18 }],
      outputFilter: { inductance: 1, resistance: 0, capacitors: [unit] },
      control: { deadTime: 0 },
    },
  );
  for (const { losses, duty } of solve(design).operatingPoints)
    expect([losses.total, duty].every(Number.isFinite)).toBe(true);
});
