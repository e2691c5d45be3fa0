import { describe, expect, test } from '@jest/globals';
import { loop } from '../loop/loop.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import type { Simulation } from './run.ts';
import { simulate } from './simulate.ts';

const quiet = { waveforms: false, assume: true } as const;
const loadStep = { from: 1.5, to: 4.5, slewRate: 1e6 };
const closed = {
  control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5, deadTime: 0 },
  compensator: { amplifier: 'op-amp', ...TYPE_3, outputMinimum: 0, outputMaximum: 1.4 },
};
const end = ({ waveforms }: Simulation): number => waveforms!.outputVoltage[waveforms!.outputVoltage.length - 1]!;

describe('the network that is taken where the design has none', () => {
  const mixed = [
    { capacitance: 15e-6, esr: 0.003, esl: 0.5e-9, count: 6 },
    { capacitance: 330e-6, esr: 0.012, esl: 2e-9, count: 4 },
  ];
  test.each([
    ['one kind of capacitor', {}, {}],
    ['unlike capacitors', { outputCapacitors: mixed }, {}],
    [
      'coupled phases',
      {
        phases: 4,
        coupling: { coefficient: 0.5, polarity: 'inverse' },
        inductor: { inductance: 220e-9, resistance: 1e-3, saturationCurrent: 60 },
        outputCapacitors: mixed.map((bank) => ({ ...bank, count: 6 * bank.count })),
      },
      { inputVoltage: { min: 10, nominal: 12, max: 14 }, outputVoltage: 0.9, outputCurrent: { min: 8, max: 80 } },
    ],
  ])('crosses over where its words say, a tenth of the frequency at the highest input: %s', (_, decisions, brief) => {
    const design = designWith({ control: { method: 'voltage-mode', referenceVoltage: 0.8 }, ...decisions }, brief);
    const { inputVoltage, outputCurrent } = design.brief;
    const { crossoverFrequency, phaseMargin } = loop(design, {
      at: { inputVoltage: inputVoltage.max, outputCurrent: outputCurrent.max },
    });
    expect(Math.abs(crossoverFrequency! / (design.decisions.switchingFrequency! / 10) - 1)).toBeLessThan(0.1);
    expect(phaseMargin).toBeGreaterThan(45);
  });
});

describe('what a stage meets', () => {
  const design = designWith(closed, { loadStep: { from: 1.5, to: 4.5 } });

  test('a step train seeks the rate that moves the output most, and runs at it; a given rate is kept', () => {
    const sought = simulate(design, { scenario: 'step-train', ...quiet });
    const widest = Math.max(...sought.train!.map(({ peakToPeak }) => peakToPeak));
    expect(sought.measurements.outputVoltage.peakToPeak).toBeCloseTo(widest, 9);
    const { undershoot } = simulate(design, { scenario: 'load-step', ...quiet }).measurements;
    // there and back moves it further than there alone
    expect(widest).toBeGreaterThan(1.5 * undershoot!);
    const given = simulate(design, { scenario: 'step-train', rate: 2e4, ...quiet });
    expect(given.train).toBeUndefined();
    expect(given.duration).toBeCloseTo(4 / 2e4, 9);
  });

  test('an overload is held by the limit, and the output sags', () => {
    const limited = designWith({ ...closed, control: { ...closed.control, currentLimit: 8 } });
    const { measurements } = simulate(limited, { scenario: 'overload', ...quiet });
    expect(measurements.peakInductorCurrent!).toBeLessThan(8.1);
    expect(measurements.outputVoltage.min).toBeLessThan(3.0);
    const free = simulate(designWith(closed), { scenario: 'overload', ...quiet });
    expect(free.measurements.peakInductorCurrent!).toBeGreaterThan(9);
  });

  // common practice, no source: a diode lets the current stop at no load, and the step begins from an empty choke
  test('from no load a diode stage’s step moves further than the synchronous one’s', () => {
    const step = { loadStep: { from: 0.01, to: 4, slewRate: 4e6 }, outputCurrent: { min: 0.01, max: 6 } };
    // a loop of some kilohertz, as such stages have it
    const slow = { ...closed.compensator, feedbackResistor: 1000, feedbackCapacitor: 22e-9 };
    const moved = (rectifier: object): number =>
      simulate(designWith({ ...closed, compensator: slow, rectifier }, step), { scenario: 'load-step', ...quiet })
        .measurements.undershoot!;
    const diode = moved({ kind: 'diode', forwardVoltage: 0.4, resistance: 0.005 });
    const synchronous = moved({ kind: 'synchronous', onResistance: 0.006 });
    expect(diode / synchronous).toBeGreaterThan(2);
    expect(diode / synchronous).toBeLessThan(4.5);
  });
});

describe('the raw stage', () => {
  test('a boost whose duty rises climbs, and collapses where resistance takes more than the charge gives', () => {
    const design = designWith(
      { topology: 'boost', inductor: { inductance: 10e-6, resistance: 0.15, saturationCurrent: 40 } },
      { inputVoltage: { min: 5, nominal: 5, max: 5 }, outputVoltage: 12, outputCurrent: { min: 0.2, max: 2 } },
    );
    const run = simulate(design, { scenario: 'duty-ramp', duration: 20e-3, assume: true });
    const { max } = run.measurements.outputVoltage;
    expect(max).toBeGreaterThan(12);
    expect(end(run)).toBeLessThan(0.6 * max);
  });

  test('let go, a diode stage climbs and a synchronous one stays', () => {
    const highest = (rectifier: object): number =>
      simulate(designWith({ rectifier }, { outputCurrent: { min: 0.01, max: 6 } }), {
        scenario: 'lighter-load',
        duration: 20e-3,
        ...quiet,
      }).measurements.outputVoltage.max;
    expect(highest({ kind: 'diode', forwardVoltage: 0.4, resistance: 0.005 })).toBeGreaterThan(5);
    expect(highest({ kind: 'synchronous', onResistance: 0.006 })).toBeLessThan(4);
  });
});

describe('faults', () => {
  test('less bank, deeper dips: a lost capacitor, and all of them aged', () => {
    const bank = { outputCapacitors: [{ capacitance: 22e-6, esr: 0.003, count: 4 }] };
    const dip = (scenario: 'load-step' | 'bank-lost' | 'bank-aged'): number =>
      simulate(designWith({ ...closed, ...bank }, { loadStep }), { scenario, ...quiet }).measurements.undershoot!;
    expect(dip('bank-lost')).toBeGreaterThan(1.05 * dip('load-step'));
    expect(dip('bank-aged')).toBeGreaterThan(1.3 * dip('load-step'));
    const single = designWith({ ...closed, outputCapacitors: [{ capacitance: 47e-6, esr: 0.003 }] }, { loadStep });
    expect(() => simulate(single, { scenario: 'bank-lost', ...quiet })).toThrow(/single capacitor/u);
  });

  test('of two phases the one that is left carries all; a single one leaves the output to its load', () => {
    const two = simulate(designWith({ ...closed, phases: 2 }), { scenario: 'phase-lost', duration: 3e-3, ...quiet });
    const [lost, left] = two.measurements.inductorCurrent;
    expect(lost!.average).toBeLessThan(0.1);
    expect(left!.average).toBeGreaterThan(5.8);
    const alone = simulate(designWith(closed), { scenario: 'phase-lost', duration: 5e-3, assume: true });
    expect(end(alone)).toBeLessThan(1e-3);
  });

  test('a shorted switch puts a buck’s output at its input; lost feedback drives it past every protection', () => {
    const shorted = simulate(designWith(closed), { scenario: 'switch-shorted', duration: 5e-3, assume: true });
    expect(end(shorted)).toBeGreaterThan(22);
    const blind = simulate(designWith(closed), { scenario: 'feedback-lost', duration: 5e-3, assume: true });
    expect(end(blind)).toBeGreaterThan(2 * 3.3);
  });

  test('a line step of a four-switch stage says that it keeps its region', () => {
    const four = designWith(
      { topology: 'four-switch-buck-boost' },
      { inputVoltage: { min: 9, nominal: 12, max: 16 }, outputVoltage: 12, outputCurrent: { min: 0.2, max: 2 } },
    );
    const { warnings } = simulate(four, { scenario: 'line-step', ...quiet });
    expect(warnings.map(({ id }) => id)).toEqual(expect.arrayContaining(['assumed-line-step', 'region-kept']));
  });
});
