import { describe, expect, test } from '@jest/globals';
import type { Design } from '../design/schema.ts';
import { simulate } from '../simulation/simulate.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { compareLoops, type Comparison } from './compared.ts';
import { loopCorners, worstThrough } from './corners.ts';
import { loop } from './loop.ts';
import { quantisationAt } from './quantisation.ts';

const brief = { loadStep: { from: 1.5, to: 4.5, slewRate: 1e6 } };
const compensator = { amplifier: 'op-amp', ...TYPE_3 };
const control = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 };
const buck = designWith(
  { control, compensator, outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }] },
  brief,
);

const of = ({ corners }: Comparison, way: 0 | 1) => corners.filter((corner) => corner.way === way);

describe('two ways of running a stage', () => {
  test('a ramp that follows the input holds the crossover over the line; a fixed one lets it go with the input', () => {
    const found = compareLoops(buck, 'ramp');
    expect(found.troubles).toEqual([]);
    expect(found.corners.map(({ inputVoltage }) => inputVoltage)).toEqual([18, 24, 32, 18, 24, 32]);
    // a buck's plant has the gain of its input: 32/18 where the loop falls by 20 dB a decade, less where it falls faster
    expect(found.drift[0]).toBeGreaterThan(1.3);
    expect(found.drift[0]).toBeLessThan(32 / 18);
    expect(found.drift[1]).toBeCloseTo(1, 1);
    // at the nominal input the two are one
    const [fixed, follows] = [of(found, 0)[1]!, of(found, 1)[1]!];
    expect(fixed.crossoverFrequency! / follows.crossoverFrequency!).toBeCloseTo(1, 6);
    expect(fixed.step!.undershoot).toBeCloseTo(follows.step!.undershoot, 4);
    // and the steps are those that are simulated of each
    const held: Design = {
      ...buck,
      decisions: {
        ...buck.decisions,
        control: { ...buck.decisions.control, method: 'voltage-mode-feedforward', rampGain: 1.5 / 24 },
      },
    };
    const { measurements } = simulate(held, { scenario: 'load-step', at: { inputVoltage: 18 }, waveforms: false });
    expect(of(found, 1)[0]!.step!.undershoot).toBeCloseTo(measurements.undershoot!, 9);
    expect(() => compareLoops(designWith({ control: { method: 'peak-current-mode' } }), 'ramp')).toThrow(
      /voltage mode/u,
    );
  });

  test('at light load discontinuous conduction takes the crossover down; a diode stands against a switch of its loss', () => {
    const found = compareLoops(buck, 'conduction');
    const [rests, goes] = [of(found, 0)[0]!, of(found, 1)[0]!];
    expect([rests.conductionMode, goes.conductionMode]).toEqual(['DCM', 'CCM']);
    expect(rests.crossoverFrequency!).toBeLessThan(goes.crossoverFrequency! / 2);
    const diode = compareLoops(
      designWith({ ...buck.decisions, rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.01 } }, brief),
      'conduction',
    );
    expect(of(diode, 0)[0]!.conductionMode).toBe('DCM');
    expect(of(diode, 1)[0]!.conductionMode).toBe('CCM');
    expect(of(diode, 1)[0]!.step).toBeDefined();
  });

  test('a diode in the boost leg alone is stood against a switch as well', () => {
    const stage = designWith(
      {
        topology: 'four-switch-buck-boost',
        inductor: { inductance: 4.7e-6, resistance: 0.01, saturationCurrent: 20 },
        boostLeg: { rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.01 } },
        outputCapacitors: [{ capacitance: 100e-6, esr: 0.01, count: 2 }],
        control: { method: 'peak-current-mode', referenceVoltage: 0.8 },
      },
      {
        inputVoltage: { min: 9, nominal: 10, max: 12 },
        outputVoltage: 24,
        outputCurrent: { min: 0.02, max: 2 },
      },
    );
    const found = compareLoops(stage, 'conduction');
    expect(found.troubles).toEqual([]);
    expect(found.corners.map(({ conductionMode }) => conductionMode)).toEqual(['DCM', 'CCM']);
  });
});

test('what comes through from the source is the loop’s own answer, and its worst place is found', () => {
  const going = loopCorners(buck);
  let next = going.next();
  while (!next.done) next = going.next();
  const worst = worstThrough(next.value.corners)!;
  const { inputVoltage, outputCurrent } = worst.corner;
  const alone = loop(buck, { at: { inputVoltage, outputCurrent }, frequencies: [worst.frequency] });
  expect(20 * Math.log10(worst.size)).toBeCloseTo(alone.audioSusceptibility.gain[0]!, 6);
  for (const { audioSusceptibility } of next.value.corners)
    expect(Math.max(...audioSusceptibility)).toBeLessThanOrEqual(worst.size);
});

describe('a digital controller’s steps', () => {
  const digital = (steps: object, numerator = [0.02, -0.0192]): Design =>
    designWith({
      control: { method: 'digital', digital: { numerator, denominator: [1, -1], sampleDelay: 0.5, ...steps } },
    });
  const said = (design: Design) => loop(design).warnings.find(({ id }) => id === 'limit-cycle')?.message;

  test('fine duty within a coarse converter rests, and nothing is said', () => {
    expect(said(digital({}))).toBeUndefined();
    expect(said(digital({ dutyResolution: 16384, converterStep: 0.01 }))).toBeUndefined();
  });

  test('a step of the duty past the converter’s zero cycles, by the known condition and in simulation', () => {
    // 24 V over 256 steps are 94 mV
    const words = said(digital({ dutyResolution: 256, converterStep: 0.01 }));
    expect(words).toMatch(/moves the output by 9\d\smV, more than the 10\smV/u);
    expect(words).toMatch(/cycles below the switching frequency/u);
    expect(said(digital({ dutyResolution: 16384 }))).toMatch(/converter without steps/u);
  });

  test('an integrator that passes over the converter’s zero is named, with what simulation makes of it', () => {
    const design = digital({ converterStep: 0.01 }, [0.09, -0.04]);
    const { decisions } = completeDecisions(design);
    const corner = { inputVoltage: 24, outputCurrent: 6 };
    const judged = (gainMargin: number) =>
      quantisationAt(design, decisions, corner, { plant: () => [24, 0] }, { gainMargin });
    // 24 V of gain, a twentieth of duty a volt: 1.2 steps for one
    expect(judged(6)!.broken).toEqual([expect.stringMatching(/by 12\smV .*through the integrator, past the 10\smV/u)]);
    expect(judged(1)!.broken[1]).toMatch(/gain margin of 1\.0 dB is less than the 2\.1 dB/u);
    // that loop does not hold without steps either
    expect(judged(-3)).toBeUndefined();
  });

  test('its response is that without steps', () => {
    const plain = loop(digital({}), { frequencies: [5e3] });
    const stepped = loop(digital({ dutyResolution: 256, converterStep: 0.01 }), { frequencies: [5e3] });
    expect(stepped.response).toEqual(plain.response);
  });
});
