import { describe, expect, test } from '@jest/globals';
import { conductanceOf, ready } from '../simulation/setup.ts';
import { periodicState } from '../simulation/steady.ts';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';

const control = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 };
const compensator = { amplifier: 'op-amp', ...TYPE_3 };
const bank = { capacitance: 4.7e-6, esr: 0.002, count: 2 };

/** A closed buck behind leads, with one bank at its input. */
const fed = (sourceInductance: number, sourceResistance: number, inputCapacitors: object[] = [bank]) =>
  designWith({ control, compensator, inputCapacitors }, { sourceInductance, sourceResistance });
const told = (design: ReturnType<typeof fed>, id: string): boolean =>
  solve(design).warnings.some((notice) => notice.id === id);

/** To what part of itself a disturbance of the whole circuit, source and all, shrinks or grows in a period. */
function growthOf(design: ReturnType<typeof fed>): number {
  const { decisions } = completeDecisions(design);
  const corner = { inputVoltage: design.brief.inputVoltage.min, outputCurrent: design.brief.outputCurrent.max };
  const segment = {
    at: -1,
    conductance: conductanceOf(design.brief, decisions, corner.outputCurrent),
    current: 0,
    currentSlope: 0,
    source: corner.inputVoltage,
    sourceSlope: 0,
  };
  const found = periodicState(ready(design, decisions, corner, [segment]));
  if (found?.growth === undefined) throw new Error('no period');
  return found.growth;
}

describe('a source with inductance against the stage’s negative resistance', () => {
  // L = R·C·r: Middlebrook, 1976; recalled from memory. r of this stage at its least input, drawn from the solved point
  const damping = 0.05;
  const least = solve(fed(1e-9, damping)).operatingPoints.filter(({ outputCurrent }) => outputCurrent === 6)[0]!;
  const negative = least.inputVoltage / least.inputCurrent.average;
  const border = (damping + 0.001) * 9.4e-6 * negative;

  test.each([0.3, 0.6, 1.6, 3])(
    'at %d of the border the word agrees with the switching circuit’s own growth',
    (part) => {
      const design = fed(part * border, damping);
      const rings = part > 1;
      expect(told(design, 'source-stability')).toBe(rings);
      if (rings) expect(growthOf(design)).toBeGreaterThan(1);
      else expect(growthOf(design)).toBeLessThan(1);
    },
  );

  test('the bulk that the word asks for ends it', () => {
    const inductance = 1.6 * border;
    const damped = fed(inductance, damping, [bank, { capacitance: 47e-6, esr: 0.4 }]);
    expect(told(damped, 'source-stability')).toBe(false);
    expect(growthOf(damped)).toBeLessThan(1);
  });

  test('a stiff source has nothing to ring with', () => expect(told(fed(0, 0), 'source-stability')).toBe(false));
});

describe('a source’s inductance in resonance with the input bank', () => {
  const at = (frequency: number): number => 1 / ((2 * Math.PI * frequency) ** 2 * 9.4e-6);

  test.each([
    [400e3, true],
    [330e3, true],
    [200e3, false],
    [800e3, false],
  ])('at %d Hz beside a ripple at 400 kHz', (frequency, rings) => {
    const design = fed(at(frequency), 0.02);
    expect(told(design, 'source-resonance')).toBe(rings);
    // where it is told, the bank does carry more than without the inductance
    const rms = (one: typeof design): number =>
      Math.max(...solve(one).operatingPoints.map(({ inputCapacitor }) => inputCapacitor.rmsCurrent));
    if (rings) expect(rms(design)).toBeGreaterThan(1.05 * rms(fed(1e-12, 0.02)));
  });
});
