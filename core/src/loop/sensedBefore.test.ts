import { describe, expect, test } from '@jest/globals';
import { magnitude, plus } from '../numbers/complex.ts';
import { simulate } from '../simulation/simulate.ts';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { loop, loopAt } from './loop.ts';

/** A second section of 0.2 µH and 10 mΩ with 40 µF, sensed before or behind it. */
const staged = (feedback: 'before' | 'after', more: object = {}) =>
  designWith(
    {
      outputCapacitors: [{ capacitance: 100e-6, esr: 0.0005, count: 3 }],
      outputFilter: {
        inductance: 0.2e-6,
        resistance: 0.01,
        capacitors: [{ capacitance: 20e-6, esr: 0.01, count: 2 }],
        feedback,
      },
      control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 },
      compensator: { amplifier: 'op-amp', ...TYPE_3 },
      ...more,
    },
    { loadStep: { from: 1.5, to: 4.5, slewRate: 1e6 } },
  );
const at = { inputVoltage: 24, outputCurrent: 6 };
const TAP = 0.8 / (TYPE_3.dividerBottom / (TYPE_3.dividerTop + TYPE_3.dividerBottom));
const peak = {
  control: { method: 'peak-current-mode', referenceVoltage: 0.8, currentSenseGain: 0.1, slopeCompensation: 6e4 },
};

describe('a second section outside the loop', () => {
  test.each([
    ['voltage mode', {}],
    ['peak current', peak],
  ])('what is sensed is held, and the load stands lower by the section’s drop: %s', (_, more) => {
    const design = staged('before', more);
    const [point] = solve(design, { at }).operatingPoints;
    // a resistive load of 6 A at 3.3 V behind 10 mΩ
    const load = 3.3 / (1 + (0.01 * 6) / 3.3);
    expect(point!.outputVoltage.average / load).toBeCloseTo(1, 7);
    const { average } = simulate(design, { scenario: 'steady-state', at, waveforms: false }).measurements.outputVoltage;
    expect(average / ((TAP / 3.3) * load)).toBeCloseTo(1, 4);
    const all = solve(design);
    for (const { outputFilter } of all.operatingPoints) expect(outputFilter!.sensed! / 3.3).toBeCloseTo(1, 7);
    expect(all.targets.map(({ id }) => id)).not.toContain('outputVoltage');
    expect(all.warnings.find(({ id }) => id === 'sensed-before-filter')?.message).toMatch(
      /its 10\smΩ leave the load 3\.24\sV at full load, 58\.\d\smV below/u,
    );
    const [behind] = solve(staged('after', more), { at }).operatingPoints;
    expect(behind!.outputVoltage.average).toBeCloseTo(3.3, 7);
  });

  test('the loop is without the section’s lag, and its averages are what the switching circuit has', () => {
    const frequencies = [1e3, 5e3, 12e3, 30e3];
    const [before, after] = (['before', 'after'] as const).map((feedback) =>
      loop(staged(feedback), { at, frequencies, exact: true }),
    );
    before!.response.gain.forEach((gain, k) => {
      // what the comparator sees of the ripple is not averaged: without any section it is as much
      expect(Math.abs(gain - before!.exactResponse!.gain[k]!)).toBeLessThan(0.35);
      expect(Math.abs(before!.response.phase[k]! - before!.exactResponse!.phase[k]!)).toBeLessThan(2);
    });
    // the section resonates at some 70 kHz: beyond it, sensed behind it, half a turn more
    const far = (feedback: 'before' | 'after'): number =>
      loop(staged(feedback), { at, frequencies: [150e3] }).response.phase[0]!;
    expect(far('before') - far('after')).toBeGreaterThan(120);
    expect(after!.response.phase[0]!).toBeCloseTo(before!.response.phase[0]!, 0);
  });

  test.each([
    ['voltage mode', {}],
    ['peak current', peak],
  ])('the load’s own impedance has the section in it, closed as the switching circuit closes it: %s', (_, more) => {
    const design = staged('before', more);
    const made = loopAt(design, completeDecisions(design).decisions, at);
    const steady = made.closed()!;
    const { drawn } = steady.simulator.places;
    for (const frequency of [200, 2e3, 10e3, 25e3]) {
      const [closed] = steady.linearized!.responses([drawn], frequency, steady.period, steady.simulator.time);
      const impedance = made.outputImpedance(frequency);
      expect(magnitude(plus(impedance, closed!.output)) / magnitude(impedance)).toBeLessThan(0.03);
    }
    // far below, nothing but the section's resistance is left of it
    expect(magnitude(made.outputImpedance(1)) / 0.01).toBeCloseTo(1, 1);
  });
});
