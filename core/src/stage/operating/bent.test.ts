import { describe, expect, test } from '@jest/globals';
import { inductanceAt } from '../../network/saturating.ts';
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

/** V·s between valley and peak by the curve, summed by a thousand rectangles. */
function fluxOf({ peak, valley }: { peak: number; valley: number }): number {
  let flux = 0;
  for (let k = 0; k < 1000; k += 1)
    flux += inductanceAt(curve as [number, number][], valley + ((k + 0.5) / 1000) * (peak - valley)) / 1000;
  return flux * (peak - valley);
}
const lossless = { inductance: 10e-6, resistance: 0, inductanceCurve: curve };

test('a bent current is the integral of its own voltage over its own inductance', () => {
  const { inductorCurrent, duty, switchingFrequency } = pointOf(designWith({ inductor: lossless }, {}), 6);
  // of the falling part, the rectifier's drop with it
  const drop = 0.006 * 6;
  expect(fluxOf(inductorCurrent) / (((3.3 + drop) * (1 - duty)) / switchingFrequency)).toBeCloseTo(1, 2);
});

test.each([1, 2])(
  'in critical conduction of %d phases the bent current comes back to its valley and no further',
  (phases) => {
    const design = designWith(
      {
        inductor: lossless,
        phases,
        conduction: 'critical',
        critical: { valleyCurrent: 0.5 },
        rectifier: { kind: 'synchronous', onResistance: 0 },
        outputCapacitors: [{ capacitance: 10e-3, esr: 0 }],
      },
      {},
    );
    const { inductorCurrent, duty, switchingFrequency, conductionMode } = pointOf(design, 6 * phases);
    expect(conductionMode).toBe('CRM');
    expect(inductorCurrent.valley).toBeCloseTo(-0.5, 6);
    expect(fluxOf(inductorCurrent) / ((3.3 * (1 - duty)) / switchingFrequency)).toBeCloseTo(1, 3);
  },
);

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
