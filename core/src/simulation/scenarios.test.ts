import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Design } from '../design/index.ts';
import { loop } from '../loop/loop.ts';
import { solve } from '../solve.ts';
import { formatQuantity } from '../quantity/index.ts';
import { bareDesign, designWith, TYPE_3 } from '../testing/designs.ts';
import { runs } from '../testing/runs.ts';
import type { Simulation } from './run.ts';
import { simulate } from './simulate.ts';
import { usualSteps } from './steps.ts';

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
  ])(
    'crosses over where its words say at the highest input, a tenth of the frequency, of several phases a sixth: %s',
    (_, decisions, brief) => {
      const design = designWith({ control: { method: 'voltage-mode', referenceVoltage: 0.8 }, ...decisions }, brief);
      const { inputVoltage, outputCurrent } = design.brief;
      const { crossoverFrequency, phaseMargin } = loop(design, {
        at: { inputVoltage: inputVoltage.max, outputCurrent: outputCurrent.max },
      });
      const part = design.decisions.phases === 4 ? 0.16 : 0.1;
      expect(Math.abs(crossoverFrequency! / (design.decisions.switchingFrequency! * part) - 1)).toBeLessThan(0.12);
      expect(phaseMargin).toBeGreaterThan(45);
    },
  );
});

describe('what a stage meets', () => {
  const design = designWith(closed, { loadStep: { from: 1.5, to: 4.5 } });

  test('another step of the load than the brief’s runs as it would if the brief gave it; the usual ones each once', () => {
    const step = { from: 3, to: 1, slewRate: 2e6 };
    const asked = simulate(design, { scenario: 'load-step', step, ...quiet }).measurements;
    const given = simulate(designWith(closed, { loadStep: step }), { scenario: 'load-step', ...quiet }).measurements;
    expect(asked).toEqual(given);
    expect(asked.overshoot).toBeGreaterThan(5 * asked.undershoot!);
    const wrong = (other: typeof step) => () => simulate(design, { scenario: 'load-step', step: other });
    expect(wrong({ ...step, from: -1 })).toThrow('step.from: -1, expected a load of zero or more.');
    expect(wrong({ ...step, to: 3 })).toThrow('step.to: 3, expected another load than it steps from.');
    expect(wrong({ ...step, slewRate: 0 })).toThrow('step.slewRate: 0, expected A/s above 0.');
    const brief = {
      ...design.brief,
      outputCurrent: { min: 0.5, max: 5 },
      loadStep: { from: 1, to: 4, slewRate: 1e6 },
      loadProfile: [
        { current: 1, share: 0.5 },
        { current: 4, share: 0.3 },
        { current: 5, share: 0.2 },
      ],
    };
    // the profile's first change is the brief's step, and a tenth of full load is the lightest
    expect(usualSteps(brief).map(({ from, to }) => [from, to])).toEqual([
      [1, 4],
      [4, 5],
      [5, 1],
      [0.5, 5],
      [5, 0.5],
      [2.5, 5],
      [5, 2.5],
    ]);
  });

  test('a filter before the comparator that is far faster than the clock is none', () => {
    const filtered = (currentSenseFilter?: number) =>
      simulate(
        designWith({
          control: {
            method: 'peak-current-mode',
            referenceVoltage: 0.8,
            currentSenseGain: 0.1,
            slopeCompensation: 6e4,
            ...(currentSenseFilter === undefined ? {} : { currentSenseFilter }),
          },
          compensator: closed.compensator,
        }),
        { scenario: 'steady-state', waveforms: false },
      ).measurements;
    expect(filtered(1e-18)).toEqual(filtered());
    const [own, none] = [filtered(2e-11), filtered()];
    expect(own.inductorCurrent[0]!.max / none.inductorCurrent[0]!.max).toBeCloseTo(1, 5);
    expect(own).not.toEqual(none);
  });

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

describe('a load that ramps on a bank with series inductance', () => {
  // little enough ohms that what series inductance does with the load shows
  const parts = [
    { capacitance: 15e-6, esr: 0.003, esl: 5e-10, count: 7 },
    { capacitance: 330e-6, esr: 0.009, esl: 2e-9, count: 3 },
  ];
  const low = {
    inputVoltage: { min: 10.8, nominal: 12, max: 13.2 },
    outputVoltage: 1.2,
    outputCurrent: { min: 0.5, max: 10 },
    outputRipple: undefined,
  };
  const stage = {
    control: { method: 'voltage-mode' },
    inductor: { inductance: 6.8e-7, resistance: 0.003, saturationCurrent: 15 },
  };
  const stepped = (load: 'resistive' | 'constant-current' | 'constant-power', less: number) => {
    const outputCapacitors = parts.map((part) => ({ ...part, esl: part.esl * less }));
    const loadStep = { from: 2.5, to: 7.5, slewRate: 5e6 };
    const design = designWith({ ...stage, outputCapacitors }, { ...low, load, loadStep });
    return simulate(design, { scenario: 'load-step', release: true, duration: 1e-4, assume: true });
  };

  // coming on and going off alike, what it gives is its own voltage at the ramp's slope and no more
  test.each(['resistive', 'constant-current', 'constant-power'] as const)(
    '%s: what the pieces of its ramp hand over leaves no spike',
    (load) => {
      const [real, hardly] = [stepped(load, 1), stepped(load, 1e-3)];
      const slope = 5e6 * 5e-10;
      for (const key of ['undershoot', 'overshoot'] as const)
        for (const [one, other] of [
          [real.measurements, hardly.measurements],
          [real.measurements.release!, hardly.measurements.release!],
        ] as const)
          expect(Math.abs(one[key]! - other[key]!)).toBeLessThan(slope);
      const { time, outputVoltage } = real.waveforms!;
      // both sides of where a piece ends; where the ramp begins a pulse does
      const jumps = time.flatMap((at, k) => {
        const piece = ((at % 1e-4) / 1e-6) * 64;
        const meets =
          k > 0 && at === time[k - 1] && piece > 0.5 && piece < 65 && Math.abs(piece - Math.round(piece)) < 1e-6;
        return meets ? [Math.abs(outputVoltage[k]! - outputVoltage[k - 1]!)] : [];
      });
      if (load !== 'constant-current') expect(jumps.length).toBeGreaterThan(60);
      // constant powers step by a sixty-fourth of the whole, in the bank's resistance
      expect(Math.max(0, ...jumps)).toBeLessThan(load === 'constant-power' ? (5 / 64) * 4.5e-4 : 1e-9);
    },
  );

  test('one that jumps is said to be none that there is', () => {
    const loadStep = { from: 2.5, to: 7.5 };
    const run = (outputCapacitors: object[]) =>
      simulate(designWith({ ...stage, outputCapacitors }, { ...low, loadStep }), { scenario: 'load-step', ...quiet })
        .warnings;
    expect(run(parts).map(({ id }) => id)).toContain('instant-step');
    expect(run([{ capacitance: 330e-6, esr: 0.009 }]).map(({ id }) => id)).not.toContain('instant-step');
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

  describe('a four-switch stage, its input passing its output', () => {
    // banks and networks of their own: how the legs change is what is looked at
    const equation = { numerator: [20.1473, -39.7423, 19.5988], denominator: [1, -0.777969, -0.222031] };
    const bankOf = (ceramics: number, bulks: number) => [
      { capacitance: 8.2e-6, esr: 4e-3, esl: 0.5e-9, count: ceramics },
      { capacitance: 330e-6, esr: 9e-3, esl: 2e-9, count: bulks },
    ];
    const held: Record<string, object> = {
      digital: { control: { method: 'digital', digital: equation }, outputCapacitors: bankOf(8, 4) },
      'voltage-mode-feedforward': {
        control: { method: 'voltage-mode-feedforward' },
        outputCapacitors: bankOf(6, 2),
        compensator: {
          type: 3,
          amplifier: 'op-amp',
          dividerTop: 22.6e3,
          dividerBottom: 1614.28571429,
          feedbackResistor: 6980,
          feedbackCapacitor: 15e-9,
          shuntCapacitor: 100e-12,
          inputResistor: 140,
          inputCapacitor: 4.7e-9,
        },
      },
    };
    const four = (method: string, from: number, to: number): Design =>
      bareDesign(
        {
          inputVoltage: { min: 8, nominal: 12, max: 20 },
          outputVoltage: 12,
          outputCurrent: { min: 0.5, max: 6 },
          outputRipple: 0.12,
          lineStep: { from, to, slewRate: 2e4 },
        },
        { topology: 'four-switch-buck-boost', ...(held[method] ?? { control: { method } }) },
      );

    test.each([
      ['peak-current-mode', 8, 20, 0.2],
      ['peak-current-mode', 20, 8, 0.25],
      ['average-current-mode', 8, 20, 0.2],
      ['average-current-mode', 20, 8, 0.25],
      ['voltage-mode-feedforward', 8, 20, 0.4],
      ['digital', 8, 20, 0.6],
      ['digital', 20, 8, 0.8],
    ] as const)(
      '%s from %d to %d V: the legs change their roles, and end as they stand there',
      (method, from, to, most) => {
        const design = four(method, from, to);
        const run = simulate(design, { scenario: 'line-step', duration: 4e-3 });
        expect(run.warnings.map(({ id }) => id)).toContain('roles-change');
        expect(run.measurements.undershoot!).toBeLessThan(most);
        expect(run.measurements.overshoot!).toBeLessThan(most);
        const there = simulate(design, { scenario: 'steady-state', at: { inputVoltage: to, outputCurrent: 6 } });
        const { time, inductorCurrent, outputVoltage } = run.waveforms!;
        const last = time.findIndex((t) => t > 4e-3 - 4e-6);
        const swing = (values: readonly number[]) => [Math.min(...values), Math.max(...values)] as const;
        const [least, top] = swing(inductorCurrent[0]!.slice(last));
        const { min, max } = there.measurements.inductorCurrent[0]!;
        expect(least).toBeCloseTo(min, 1);
        expect(top).toBeCloseTo(max, 1);
        expect(swing(outputVoltage.slice(last))[1]).toBeCloseTo(there.measurements.outputVoltage.max, 1);
      },
    );

    test('starts as a buck where its input is below its output, so that the start is soft from nothing on', () => {
      const run = simulate(four('peak-current-mode', 8, 20), {
        scenario: 'start-up',
        at: { inputVoltage: 8, outputCurrent: 3 },
        duration: 3e-3,
      });
      const { time, outputVoltage } = run.waveforms!;
      const early = outputVoltage[time.findIndex((t) => t > 1e-4)]!;
      expect(early).toBeLessThan(2.5);
      expect(run.measurements.outputVoltage.max).toBeLessThan(12.5);
      expect(outputVoltage.at(-1)).toBeCloseTo(12, 1);
    });

    test('a digital one starts softly too, as a buck at first', () => {
      const { brief, decisions, ...rest } = four('digital', 8, 20);
      const control = { ...decisions.control, softStart: 2e-3 };
      const design: Design = { ...rest, brief, decisions: { ...decisions, control } };
      const at = { inputVoltage: 8, outputCurrent: 3 };
      const run = simulate(design, { scenario: 'start-up', at, duration: 4e-3 });
      const { time, outputVoltage } = run.waveforms!;
      const after = (moment: number): number => outputVoltage[time.findIndex((t) => t > moment)]!;
      // the reference rises by 6 V a millisecond, and the output with it, through the passing of its input at 8 V
      expect(Math.abs(after(0.5e-3) - 3)).toBeLessThan(1);
      expect(Math.abs(after(1e-3) - 6)).toBeLessThan(1);
      expect(Math.abs(after(1.8e-3) - 10.8)).toBeLessThan(1);
      expect(outputVoltage.at(-1)).toBeCloseTo(12, 1);
      expect(run.measurements.outputVoltage.max).toBeLessThan(13);
    });

    test('keeps its region on a constant on-time, and says so', () => {
      const { warnings } = simulate(four('constant-on-time', 15, 18), { scenario: 'line-step', ...quiet });
      expect(warnings.map(({ id }) => id)).toContain('region-kept');
    });
  });
});

describe('what a controller does at the ends of its range', () => {
  const light = { outputCurrent: { min: 0.001, max: 6 } };

  test('above what is heard: pulses come at least 25,000 times a second, and the rectifier takes back the surplus', () => {
    const bursts = (lightLoad: string) =>
      simulate(designWith({ ...closed, lightLoad }, light), { scenario: 'light-load', duration: 4e-3, ...quiet })
        .measurements;
    const skipping = bursts('pulse-skipping');
    const held = bursts('ultrasonic');
    expect(skipping.frequency).toBeLessThan(20e3);
    expect(held.frequency).toBeGreaterThan(24.9e3);
    expect(held.inductorCurrent[0]!.min).toBeLessThan(-0.05);
    expect(held.outputVoltage.average / 3.3).toBeGreaterThan(0.99);
    expect(held.outputVoltage.average / 3.3).toBeLessThan(1.01);
    const cot = { method: 'constant-on-time', referenceVoltage: 0.8, rippleInjection: undefined };
    const constant = (lightLoad: string): number =>
      simulate(
        designWith(
          { control: cot, lightLoad, outputCapacitors: [{ capacitance: 150e-6, esr: 0.02, count: 2 }] },
          light,
        ),
        { scenario: 'light-load', duration: 4e-3, ...quiet },
      ).measurements.frequency;
    expect(constant('pulse-skipping')).toBeLessThan(20e3);
    // the comparator gives the pulse once the rectifier has taken enough
    expect(constant('ultrasonic')).toBeGreaterThan(23e3);
  });

  // common practice, no source: an output that rises under its soft start, and comes up within a few per cent of itself
  test.each([
    ['constant on-time', { min: 17.7, nominal: 23, max: 29.9 }, 2, { min: 0.01, max: 0.21 }],
    ['voltage mode', { min: 40.9, nominal: 45, max: 49.5 }, 11, { min: 0.0072, max: 0.72 }],
    ['voltage mode, a low output', { min: 30.9, nominal: 34, max: 37.4 }, 1.5, { min: 6, max: 12 }],
  ])('%s: a bare brief starts softly', (_, inputVoltage, outputVoltage, outputCurrent) => {
    const design = bareDesign({ inputVoltage, outputVoltage, outputCurrent });
    const at = { inputVoltage: inputVoltage.min, outputCurrent: outputCurrent.max };
    const { measurements, warnings } = simulate(design, { scenario: 'start-up', at, ...quiet });
    expect(warnings[0]!.message).toMatch(/Its soft start takes/u);
    expect(measurements.overshoot! / outputVoltage).toBeLessThan(0.04);
    expect(measurements.outputVoltage.max / outputVoltage).toBeGreaterThan(0.99);
  });

  test('two bare phases in peak current mode rise with their reference: their shortest pulses alone would lift them', () => {
    const design = bareDesign({
      inputVoltage: { min: 20, nominal: 22, max: 24.2 },
      outputVoltage: 1.4,
      outputCurrent: { min: 15, max: 29 },
      load: 'constant-current',
    });
    const at = { inputVoltage: 24.2, outputCurrent: 15 };
    const { waveforms, measurements } = simulate(design, { scenario: 'start-up', at, duration: 4e-3 });
    const { time, outputVoltage } = waveforms!;
    for (const part of [0.15, 0.3, 0.5, 0.8])
      expect(outputVoltage[time.findIndex((t) => t >= part * 3e-3)]! / 1.4).toBeCloseTo(part, 1);
    expect(measurements.overshoot! / 1.4).toBeLessThan(0.02);
  });

  test('bare bucks that nobody chose start within a few per cent, and hold what is wanted', () => {
    const part = (low: number, high: number) =>
      fc.integer({ min: 0, max: 1000 }).map((at) => Number((low * (high / low) ** (at / 1000)).toPrecision(2)));
    fc.assert(
      fc.property(
        part(5, 60),
        part(0.06, 0.6),
        part(0.3, 60),
        fc.constantFrom(0.01, 0.1, 0.5),
        (vin, ratio, power, least) => {
          const outputVoltage = Math.max(0.8, vin * ratio);
          const max = power / outputVoltage;
          const brief = {
            inputVoltage: { min: vin, nominal: vin, max: vin },
            outputVoltage,
            outputCurrent: { min: least * max, max },
          };
          const design = bareDesign(brief, { topology: 'buck' });
          for (const outputCurrent of [max, least * max]) {
            const { measurements } = simulate(design, { scenario: 'start-up', at: { outputCurrent }, ...quiet });
            expect(measurements.overshoot! / outputVoltage).toBeLessThan(0.05);
            expect(measurements.outputVoltage.max / outputVoltage).toBeGreaterThan(0.98);
          }
        },
      ),
      { numRuns: runs(4), seed: 3 },
    );
  });

  test('a bare boost’s amplifier does not wind up while its bank rings above the rising reference, and says what charges it', () => {
    const design = bareDesign({
      inputVoltage: { min: 20.9, nominal: 23, max: 25.3 },
      outputVoltage: 36,
      outputCurrent: { min: 0.76, max: 7.6 },
    });
    const run = simulate(design, { scenario: 'start-up' });
    expect(run.warnings.map(({ id }) => id)).toEqual(['assumed-compensator', 'inrush', 'beyond-saturation']);
    const { controlVoltage, outputVoltage, time } = run.waveforms!;
    expect(controlVoltage!.reduce((least, volts) => Math.min(least, volts))).toBeGreaterThan(-1e-9);
    // the soft start’s 3 ms, and the loop’s own time after it
    expect(run.warnings[0]!.message).toMatch(/Its soft start takes 3\sms/u);
    const settled = time.findLastIndex((_, k) => Math.abs(outputVoltage[k]! / 36 - 1) > 0.02);
    expect(time[settled]).toBeLessThan(3.2e-3);
    expect(run.measurements.inrush).toBeGreaterThan(40);
  });

  describe('light load that leaves pulses out', () => {
    const coin = {
      inputVoltage: { min: 2, nominal: 3, max: 3.3 },
      outputVoltage: 5,
      outputCurrent: { min: 1e-4, max: 0.03 },
    };
    const steady = (design: Design, at: { inputVoltage: number; outputCurrent: number }) => ({
      point: solve(design, { at }).operatingPoints[0]!,
      ...simulate(design, { scenario: 'steady-state', at, ...quiet }),
    });

    test.each<[string, object]>([
      ['a boost', coin],
      [
        'a larger boost',
        {
          inputVoltage: { min: 4.08, nominal: 5.3, max: 6.89 },
          outputVoltage: 18,
          outputCurrent: { min: 0.0023, max: 2.3 },
        },
      ],
      [
        'an inverting stage',
        { ...coin, inputVoltage: { min: 9, nominal: 12, max: 15 }, outputVoltage: 9, outputPolarity: 'negative' },
      ],
      [
        'a buck in voltage mode',
        { inputVoltage: { min: 27, nominal: 27, max: 27 }, outputVoltage: 1.8, outputCurrent: { min: 0.2, max: 20 } },
      ],
    ])('%s that nobody chose gives the pulses that it is solved with, at some of its clocks', (_, brief) => {
      const design = bareDesign(brief);
      expect(solve(design).decisions.lightLoad).toBe('pulse-skipping');
      const { inputVoltage: input, outputCurrent, outputVoltage } = design.brief;
      for (const inputVoltage of [input.min, input.max]) {
        const light = steady(design, { inputVoltage, outputCurrent: outputCurrent.min });
        const { measurements, point, warnings } = light;
        expect(warnings.map(({ id }) => id)).toEqual(['assumed-compensator', 'left-out']);
        expect(measurements.frequency / point.switchingFrequency).toBeGreaterThan(0.98);
        expect(measurements.frequency / point.switchingFrequency).toBeLessThan(1.06);
        expect(measurements.inductorCurrent[0]!.max / point.inductorCurrent.peak).toBeCloseTo(1, 1);
        expect(measurements.outputVoltage.average / outputVoltage).toBeCloseTo(1, 2);
        // a pulse waits for its clock, and may come a little early: never as early as two of them at once
        expect(measurements.outputVoltage.peakToPeak / point.outputCapacitor.ripple).toBeGreaterThan(0.95);
        expect(measurements.outputVoltage.peakToPeak / point.outputCapacitor.ripple).toBeLessThan(2);
        // at full load every clock has its pulse
        const full = steady(design, { inputVoltage, outputCurrent: outputCurrent.max });
        expect(full.steadyState!.periodic).toBe(true);
        expect(full.measurements.outputVoltage.peakToPeak / full.point.outputCapacitor.ripple).toBeCloseTo(1, 2);
      }
    });

    test('a release is over as soon as with a clock that shrinks its pulses: what asks for too little gets none', () => {
      const design = bareDesign({
        inputVoltage: { min: 41.8, nominal: 46, max: 50.6 },
        outputVoltage: 21,
        outputCurrent: { min: 0.012, max: 12 },
        loadStep: { from: 9, to: 3, slewRate: 6e6, deviation: 0.63 },
      });
      expect(solve(design).decisions.lightLoad).toBe('pulse-skipping');
      for (const inputVoltage of [41.8, 50.6]) {
        const { measurements } = simulate(design, { scenario: 'load-step', at: { inputVoltage }, ...quiet });
        expect(measurements.overshoot! / 0.63).toBeLessThan(1);
      }
    });

    test('a network that is given keeps its clock, to the letter, and what it gives instead is said', () => {
      const bare = bareDesign(coin);
      const { compensator } = solve(bare).decisions;
      const design = { ...bare, decisions: { ...bare.decisions, compensator } };
      const { point, warnings, measurements } = steady(design, { inputVoltage: 3, outputCurrent: 1e-4 });
      const words = warnings.find(({ id }) => id === 'other-pulses')?.message.replace(/\u00a0/gu, ' ');
      expect(words).toContain(formatQuantity(point.switchingFrequency, 'Hz').replace(/\u00a0/gu, ' '));
      expect(words).toContain(formatQuantity(point.outputCapacitor.ripple, 'V').replace(/\u00a0/gu, ' '));
      expect(measurements.outputVoltage.peakToPeak).toBeLessThan(point.outputCapacitor.ripple / 3);
      const full = steady(design, { inputVoltage: 3, outputCurrent: 0.03 });
      expect(full.warnings.map(({ id }) => id)).not.toContain('other-pulses');
    });
  });

  test('a lock-out stops the stage below its input and starts it again softly above', () => {
    const control = { ...closed.control, softStart: 0.2e-3, undervoltageLockout: { rising: 17, falling: 15 } };
    const design = designWith(
      { ...closed, control },
      { inputVoltage: { min: 16, nominal: 24, max: 32 }, lineStep: { from: 24, to: 14, slewRate: 1e6 } },
    );
    const run = simulate(design, { scenario: 'line-step', duration: 1e-3, release: true });
    const { time, outputVoltage } = run.waveforms!;
    const at = (moment: number): number => outputVoltage[time.findIndex((value) => value >= moment)]!;
    expect(at(0.9e-3)).toBeLessThan(0.5);
    expect(Math.abs(at(1.99e-3) / 3.3 - 1)).toBeLessThan(0.02);
    const started = { ...design, brief: { ...design.brief, inputVoltage: { min: 16, nominal: 16, max: 32 } } };
    expect(simulate(started, { scenario: 'start-up', duration: 1e-3, ...quiet }).cycles).toBe(0);
    const below = { scenario: 'steady-state', at: { inputVoltage: 14 }, ...quiet } as const;
    expect(() => simulate(design, below)).toThrow(/undervoltageLockout\.falling/u);
  });

  test.each<[string, object, { control?: object; [more: string]: unknown }, number]>([
    ['dead time 0 s', { deadTime: 0 }, closed, 3],
    ['dead time 20 ns', { deadTime: 2e-8 }, closed, 3],
    ['a policy that would block it', { deadTime: 2e-8 }, { ...closed, lightLoad: 'pulse-skipping' }, 3],
    // its network decided; without a clock the wait is as long as a run, and the valley passes but once
    ['a large bank', { deadTime: 2e-8 }, { outputCapacitors: [{ capacitance: 100e-6, esr: 0.004, count: 2 }] }, 5],
  ])('critical conduction below zero is what the periodic solution has: %s', (_, control, decisions, outputCurrent) => {
    const design = designWith(
      {
        ...decisions,
        conduction: 'critical',
        critical: { valleyCurrent: 0.5 },
        control: { method: 'voltage-mode', ...decisions.control, ...control },
      },
      { outputCurrent: { min: 1, max: outputCurrent } },
    );
    const at = { inputVoltage: 24, outputCurrent };
    const { measurements, steadyState } = simulate(design, { scenario: 'steady-state', at, ...quiet });
    const point = solve(design, { at }).operatingPoints[0]!;
    const [phase] = measurements.inductorCurrent;
    expect(steadyState!.periodic).toBe(true);
    expect(phase!.min / point.inductorCurrent.valley).toBeCloseTo(1, 3);
    expect(phase!.peakToPeak / point.inductorCurrent.ripple).toBeCloseTo(1, 3);
    expect(measurements.frequency / point.switchingFrequency).toBeCloseTo(1, 3);
  });

  test('a digital controller that starts above the output it wants has nothing to do; below it, what its equation says', () => {
    const started = (prebias: number): Simulation =>
      simulate(
        designWith({
          control: {
            method: 'digital',
            deadTime: 0,
            digital: { numerator: [0.05, -0.045], denominator: [1, -1], sampleDelay: 0.5 },
          },
        }),
        { scenario: 'start-up', prebias, duration: 2.5e-6, assume: true },
      );
    // what stands there is sampled before the first clock: no pulse comes
    expect(started(3.4).cycles).toBe(0);
    const { waveforms, cycles } = started(2.3);
    expect(cycles).toBe(1);
    // a duty of 0.05 for each volt that lacks, the load taking a little over the bank's resistance
    const on = waveforms!.time.filter((_, k) => waveforms!.switchNode[0]![k]! > 20);
    expect((on[on.length - 1]! - on[0]!) * 400e3).toBeCloseTo(0.05 * (3.3 - 2.3 / (1 + 0.001 / 0.55)), 6);
  });

  test('an op-amp that cannot go to zero starts up softly, with finite gain as with infinite, and again after a pause', () => {
    const started = (amplifier: object, control: object = {}): Simulation =>
      simulate(
        designWith(
          {
            control: { ...closed.control, softStart: 4e-4, ...control },
            compensator: { ...closed.compensator, outputMinimum: 0.05, ...amplifier },
          },
          { load: 'resistive' },
        ),
        { scenario: 'start-up', duration: 2e-3, ...quiet },
      );
    const ideal = started({});
    const real = started({ gainBandwidth: 10e6, openLoopGain: 1e4 });
    for (const { measurements } of [ideal, real]) {
      expect(measurements.overshoot!).toBeLessThan(0.05);
      expect(measurements.settlingTime!).toBeLessThan(6e-4);
    }
    // short of its load it limits, rests and starts anew; blind at each pulse's beginning, it passes its limit while there is no output
    const limited = started({}, { currentLimit: 4, hiccup: { pulses: 8, offTime: 2e-4 } });
    expect(limited.measurements.outputVoltage.max).toBeLessThan(3.3);
    expect(limited.measurements.inductorCurrent[0]!.max).toBeLessThan(5.5);
  });

  test('a network that is given without a divider regulates the brief’s output', () => {
    const { dividerTop: _, dividerBottom: __, ...network } = closed.compensator;
    const { measurements } = simulate(designWith({ ...closed, compensator: network }), {
      scenario: 'steady-state',
      ...quiet,
    });
    expect(measurements.outputVoltage.average).toBeCloseTo(3.3, 2);
  });

  test('an open divider brings the output to the reference', () => {
    const run = simulate(designWith(closed), { scenario: 'divider-open', duration: 10e-3, assume: true });
    expect(end(run) / 0.8).toBeCloseTo(1, 1);
  });

  test('a load by its curve draws what the curve says, and nothing where it says nothing', () => {
    const design = designWith(closed, {
      load: 'curve',
      loadCurve: [
        [2.5, 0],
        [3.3, 6],
      ],
    });
    const { measurements } = simulate(design, { scenario: 'steady-state', at: { outputCurrent: 3 }, ...quiet });
    expect(measurements.inductorCurrent[0]!.average).toBeCloseTo(3, 2);
    // without a controller the output falls until the curve draws no more than the stage gives: nothing below 2.5 V
    const raw = simulate(design, { scenario: 'open-loop', duty: 0.09, ...quiet });
    expect(raw.measurements.outputVoltage.average).toBeLessThan(2.5);
    expect(Math.abs(raw.measurements.inductorCurrent[0]!.average)).toBeLessThan(0.02);
    const none = designWith(closed, { load: 'curve' });
    expect(() => simulate(none, { scenario: 'steady-state', ...quiet })).toThrow(/brief\.loadCurve/u);
  });
});
