import { describe, expect, test } from '@jest/globals';
import type { Design } from '../design/index.ts';
import { simulate } from '../simulation/simulate.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { bareDesign } from '../testing/designs.ts';
import { loop } from './loop.ts';
import { witnessesAt } from './witnesses.ts';

/** A bare brief with average current mode and what else is given. */
const averageOf = (brief: object, decisions: object = {}, control: object = {}): Design =>
  bareDesign(brief, { ...decisions, control: { method: 'average-current-mode', ...control } });

const BRIEFS: Record<string, Design> = {
  'a low ratio': averageOf({
    inputVoltage: { min: 10.8, nominal: 12, max: 13.2 },
    outputVoltage: 1.1,
    outputCurrent: { min: 1, max: 18 },
  }),
  // a bank of its own: what sizing makes of the step is not what is compared here
  'a high ratio': averageOf(
    {
      inputVoltage: { min: 10, nominal: 12, max: 15 },
      outputVoltage: 9,
      outputCurrent: { min: 1, max: 5 },
      load: 'resistive',
    },
    { outputCapacitors: [{ capacitance: 8.2e-6, esr: 4e-3, esl: 0.5e-9, count: 8 }] },
  ),
  'four phases': averageOf({
    inputVoltage: { min: 4.5, nominal: 5, max: 5.5 },
    outputVoltage: 0.8,
    outputCurrent: { min: 20, max: 90 },
  }),
  'a boost': averageOf({
    inputVoltage: { min: 9, nominal: 12, max: 16 },
    outputVoltage: 24,
    outputCurrent: { min: 0.5, max: 3 },
  }),
  'an inverting stage': averageOf(
    { inputVoltage: { min: 18, nominal: 24, max: 30 }, outputVoltage: 9, outputCurrent: { min: 0.2, max: 2 } },
    { topology: 'inverting-buck-boost' },
  ),
  'a four-switch stage': averageOf({
    inputVoltage: { min: 8, nominal: 12, max: 20 },
    outputVoltage: 13,
    outputCurrent: { min: 0.5, max: 6 },
  }),
};

describe.each(Object.entries(BRIEFS))('average current mode, %s', (_, design) => {
  const { inputVoltage, outputCurrent } = design.brief;

  test('textbook, averaged and switching plants agree below an eighth of the switching frequency', () => {
    // at the lowest input a four-switch stage has one leg that switches
    const { textbook, averaged, exact, features } = witnessesAt(design, { inputVoltage: inputVoltage.min });
    const { switchingFrequency } = completeDecisions(design).decisions;
    expect(features.map(({ name }) => name)).toContain('current’s own loop');
    exact!.frequency.forEach((frequency, k) => {
      if (frequency > switchingFrequency / 8) return;
      expect(Math.abs(averaged!.gain[k]! - exact!.gain[k]!)).toBeLessThan(1);
      expect(Math.abs(averaged!.phase[k]! - exact!.phase[k]!)).toBeLessThan(10);
      expect(Math.abs(textbook!.gain[k]! - exact!.gain[k]!)).toBeLessThan(1.2);
      expect(Math.abs(textbook!.phase[k]! - exact!.phase[k]!)).toBeLessThan(10);
    });
  });

  test.each([inputVoltage.min, inputVoltage.max])('the network decided holds at %d V', (vin) => {
    for (const iout of [outputCurrent.min, outputCurrent.max]) {
      const { phaseMargin, growth } = loop(design, { at: { inputVoltage: vin, outputCurrent: iout }, exact: true });
      expect(phaseMargin).toBeGreaterThan(40);
      expect(growth).toBeLessThan(1);
    }
  });
});

describe('the current amplifier', () => {
  const design = BRIEFS['a high ratio']!;

  test('makes the winding’s average, not its peak, what the control voltage asks for', () => {
    const { decisions } = completeDecisions(design);
    const run = simulate(design, { scenario: 'steady-state', at: { inputVoltage: 15, outputCurrent: 5 } });
    const { average, peakToPeak } = run.measurements.inductorCurrent[0]!;
    expect(average).toBeCloseTo(5, 2);
    expect(peakToPeak).toBeGreaterThan(1);
    // the clamp of the voltage's amplifier is then a limit of the average current
    const limited = averageOf(design.brief, {
      ...decisions,
      control: undefined,
      compensator: {
        ...decisions.compensator,
        outputMinimum: 0,
        outputMaximum: 6 * decisions.control.currentSenseGain!,
      },
    });
    const held = { ...limited.decisions, control: { ...decisions.control, overVoltage: 3 } };
    const short = simulate(
      { ...limited, decisions: held },
      {
        scenario: 'short-circuit',
        at: { inputVoltage: 12, outputCurrent: 5 },
        resistance: 0.5,
        duration: 3e-3,
      },
    );
    const { inductorCurrent, time } = short.waveforms!;
    const last = time.map((t, k) => [t, inductorCurrent[0]![k]!] as const).filter(([t]) => t > 2e-3);
    const mean = last.slice(1).reduce((sum, [t, i], k) => sum + ((i + last[k]![1]) / 2) * (t - last[k]![0]), 0);
    expect(mean / (last.at(-1)![0] - last[0]![0])).toBeCloseTo(6, 1);
  });

  test('at its own limit, below what the output needs, leaves a stage at the duty that the limit makes', () => {
    const { control } = completeDecisions(design).decisions;
    const amplifier = { ...control.currentAmplifier, outputMinimum: 0, outputMaximum: 0.6 };
    const limited = averageOf(design.brief, {}, { ...control, currentAmplifier: amplifier });
    const run = simulate(limited, { scenario: 'start-up', at: { inputVoltage: 12, outputCurrent: 5 }, duration: 6e-3 });
    const { time, outputVoltage } = run.waveforms!;
    const late = outputVoltage.filter((__, k) => time[k]! > 5e-3);
    // the ramp is 1 V high; drops and ripple take less than 0.3 V
    expect(late.length).toBeGreaterThan(1000);
    expect(Math.max(...late)).toBeLessThan(0.6 * 12);
    expect(Math.min(...late)).toBeGreaterThan(0.6 * 12 - 0.3);
  });

  test('is decided within ramp and clock, and what is given of it stays', () => {
    const given = averageOf(design.brief, {}, { currentAmplifier: { inputResistor: 2000 } });
    const { decisions, decided } = completeDecisions(given);
    expect(decisions.control.currentAmplifier!.inputResistor).toBe(2000);
    const { rule } = decided.find(({ path }) => path === 'control.currentAmplifier')!;
    expect(rule).toContain('a fifth of the switching frequency');
    const { inputResistor, feedbackResistor } = decisions.control.currentAmplifier!;
    const crossover =
      ((feedbackResistor! / inputResistor!) * decisions.control.currentSenseGain! * 15) /
      (2 * Math.PI * decisions.inductor.inductance * decisions.control.rampAmplitude!);
    expect(crossover / decisions.switchingFrequency).toBeGreaterThan(0.19);
    expect(crossover / decisions.switchingFrequency).toBeLessThanOrEqual(0.2);
  });
});
