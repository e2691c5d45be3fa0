import { describe, expect, test } from '@jest/globals';
import { loop } from '../loop/loop.ts';
import { solve } from '../solve.ts';
import { bareDesign } from '../testing/designs.ts';
import { simulate } from './simulate.ts';
import type { Design } from '../design/schema.ts';

/*
 * Several phases are decided as current mode because each is then asked for the same current. Held here on the switching
 * circuit, with phases that are not alike, against voltage mode with the same parts.
 */

const briefs: Readonly<Record<string, object>> = {
  '5 to 0.8 V, 90 A': {
    inputVoltage: { min: 4.75, nominal: 5, max: 5.25 },
    outputVoltage: 0.8,
    outputCurrent: { min: 5, max: 90 },
  },
  '48 to 12 V, 60 A': {
    inputVoltage: { min: 42, nominal: 48, max: 57 },
    outputVoltage: 12,
    outputCurrent: { min: 1, max: 60 },
    loadStep: { from: 15, to: 45, slewRate: 1e6, deviation: 0.5 },
  },
  '12 to 48 V, 12 A': {
    inputVoltage: { min: 10.8, nominal: 12, max: 14 },
    outputVoltage: 48,
    outputCurrent: { min: 1, max: 12 },
  },
};

describe.each(Object.entries(briefs))('%s', (_, brief) => {
  const bare = bareDesign(brief);
  const { decisions, targets, warnings } = solve(bare);
  const { phases } = decisions;
  // one winding and its switches a third more resistive, and a pulse a two-hundredth longer elsewhere
  const unlike = (method: object): Design =>
    bareDesign(brief, {
      ...method,
      phaseMismatch: Array.from({ length: phases }, (__, k) => ({
        resistance: k === 0 ? 1.3 : 1,
        inductance: k === 1 ? 1.15 : 1,
        duty: k === 2 ? 0.005 * 0.2 : 0,
      })),
    });
  const spreadOf = (design: Design): number => {
    const { measurements } = simulate(design, { scenario: 'steady-state', waveforms: false });
    const averages = measurements.inductorCurrent.map(({ average }) => average);
    const mean = averages.reduce((sum, one) => sum + one, 0) / phases;
    return (Math.max(...averages) - Math.min(...averages)) / mean;
  };

  test('is decided in several phases of current mode, misses nothing and is told nothing of sharing', () => {
    expect(phases).toBeGreaterThan(1);
    expect(decisions.control.method).toBe('peak-current-mode');
    expect(decisions.compensator!.type).toBe(2);
    expect(targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
    expect(warnings.map(({ id }) => id)).not.toContain('phase-sharing');
  });

  test('the loop that is decided holds at every end of line and load', () => {
    const { inputVoltage, outputCurrent } = bare.brief;
    for (const volts of [inputVoltage.min, inputVoltage.max])
      for (const amperes of [outputCurrent.max / 2, outputCurrent.max]) {
        const { phaseMargin, gainMargin } = loop(bare, { at: { inputVoltage: volts, outputCurrent: amperes } });
        expect(phaseMargin!).toBeGreaterThan(45);
        expect(gainMargin ?? Infinity).toBeGreaterThan(8);
      }
  });

  test('unlike phases share within what their ripples differ by; on one duty they do not', () => {
    const { switchingFrequency, inductor } = decisions;
    const sensed = spreadOf(unlike({}));
    expect(sensed).toBeLessThan(0.12);
    // the same parts on one duty for all
    const parts = { phases, switchingFrequency, inductor, topology: decisions.topology };
    const byDuty = spreadOf(unlike({ ...parts, control: { method: 'voltage-mode' } }));
    expect(byDuty).toBeGreaterThan(2 * sensed);
  });
});
