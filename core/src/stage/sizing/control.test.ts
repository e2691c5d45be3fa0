import { describe, expect, test } from '@jest/globals';
import { loop } from '../../loop/loop.ts';
import { solve } from '../../solve.ts';
import { completeDecisions } from './complete.ts';
import { bareDesign } from '../../testing/designs.ts';

/** A small buck that lets pulses fall away at light load, and what is laid over it. */
const methodOf = (brief: object = {}, decisions: object = {}) => {
  const small = {
    inputVoltage: { min: 6, nominal: 7, max: 8 },
    outputVoltage: 3.3,
    outputCurrent: { min: 0.001, max: 0.5 },
    ...brief,
  };
  const { method } = completeDecisions(bareDesign(small, decisions)).decisions.control;
  return method;
};

describe('a boost with a diode', () => {
  const brief = {
    inputVoltage: { min: 6.27, nominal: 6.9, max: 7.59 },
    outputVoltage: 30,
    outputCurrent: { min: 7e-6, max: 7e-3 },
  };
  const solved = (over: object = {}, decisions: object = {}) => {
    const { decisions: made, targets } = solve(bareDesign({ ...brief, ...over }, decisions));
    const onTime = targets.find(({ id }) => id === 'minimumOnTime')!;
    return [made.rectifier.kind, made.lightLoad, onTime.verdict];
  };

  test('leaves pulses out where its lightest load would ask for shorter ones than there are', () => {
    expect(solved()).toEqual(['diode', 'pulse-skipping', 'met']);
    expect(solved({ outputCurrent: { min: 1e-3, max: 7e-3 } })).toEqual(['diode', 'diode-emulation', 'met']);
  });

  test('keeps its clock where a band is to be kept clear, and where the parts are given', () => {
    expect(solved({ keepClear: [{ min: 530e3, max: 1.7e6 }] })[1]).toBe('diode-emulation');
    const { decisions } = completeDecisions(bareDesign(brief));
    expect(solved({}, { ...decisions, lightLoad: undefined })[1]).toBe('diode-emulation');
  });
});

describe('a buck that skips pulses', () => {
  test('has a constant on-time: by its power, its source, its size, and where skipping is asked for', () => {
    expect(methodOf()).toBe('constant-on-time');
    expect(methodOf({ outputCurrent: { min: 0.01, max: 3 }, source: 'battery' })).toBe('constant-on-time');
    // so small that its least load does not matter
    expect(methodOf({ outputCurrent: { min: 0.09, max: 0.1 } })).toBe('constant-on-time');
    const heavy = { outputCurrent: { min: 0.01, max: 3 } };
    expect(methodOf(heavy, { topology: 'buck', phases: 1, lightLoad: 'pulse-skipping' })).toBe('constant-on-time');
  });

  test.each([
    ['its load stays high', { outputCurrent: { min: 0.3, max: 0.5 } }, {}],
    ['bands are to be kept clear', { keepClear: [{ min: 530e3, max: 1.7e6 }] }, {}],
    ['its input comes near its output', { inputVoltage: { min: 4, nominal: 5, max: 5.5 } }, { topology: 'buck' }],
    ['a diode lets the current stop', {}, { rectifier: { kind: 'diode' } }],
    ['another policy is asked for', {}, { lightLoad: 'forced-pwm' }],
    ['its parts are given', {}, { inductor: { inductance: 10e-6 }, outputCapacitors: [{ capacitance: 47e-6 }] }],
    [
      'its network is given',
      {},
      { compensator: { type: 3, feedbackResistor: 10e3, feedbackCapacitor: 1e-9, shuntCapacitor: 1e-11 } },
    ],
  ])('and keeps its clock where %s', (_, brief, decisions) => {
    expect(methodOf(brief, decisions)).toMatch(/^(voltage|peak-current)-mode/u);
  });
});

describe('a buck whose current stops', () => {
  const method = (outputCurrent: object, loadStep?: object, decisions: object = {}) => {
    const brief = { inputVoltage: { min: 22, nominal: 24, max: 26 }, outputVoltage: 12, outputCurrent };
    return methodOf(loadStep ? { ...brief, loadStep } : brief, { rectifier: { kind: 'diode' }, ...decisions });
  };

  test('asks for a peak where voltage mode would answer late, or have little phase left', () => {
    expect(method({ min: 0.05, max: 1 })).toBe('voltage-mode');
    expect(method({ min: 0.05, max: 1 }, { from: 0.05, to: 1 })).toBe('peak-current-mode');
    expect(method({ min: 0.05, max: 1 }, { from: 1, to: 0.1 })).toBe('peak-current-mode');
    expect(method({ min: 0.05, max: 1 }, { from: 0.5, to: 1 })).toBe('voltage-mode');
    expect(method({ min: 0.001, max: 1 })).toBe('peak-current-mode');
    expect(method({ min: 0.001, max: 1 }, undefined, { control: { rampAmplitude: 1 } })).toBe('voltage-mode');
  });

  test.each([0.001, 0.01, 0.03])('holds its phase at %d of full load', (part) => {
    for (const [volts, amperes] of [
      [12, 1],
      [5, 4],
      [18, 0.2],
    ] as const) {
      const design = bareDesign(
        {
          inputVoltage: { min: 1.3 * volts, nominal: 1.4 * volts, max: 1.5 * volts },
          outputVoltage: volts,
          outputCurrent: { min: part * amperes, max: amperes },
          load: 'constant-current',
        },
        { rectifier: { kind: 'diode' }, lightLoad: 'diode-emulation' },
      );
      const { inputVoltage } = design.brief;
      for (const vin of [inputVoltage.min, inputVoltage.max])
        expect(loop(design, { at: { inputVoltage: vin, outputCurrent: part * amperes } }).phaseMargin).toBeGreaterThan(
          45,
        );
    }
  });
});

test.each([
  [[6.88, 11, 17.6], 14, [0.1, 0.2]],
  [[3.54, 4.6, 5.98], 5.8, [0.0013, 0.13]],
  [[16.4, 18, 19.8], 16, [0.18, 0.37]],
])('a four-switch stage from %j V to %d V keeps its phase with all the slope that it adds', (line, output, load) => {
  const [min, nominal, max] = line as [number, number, number];
  const [least, most] = load as [number, number];
  const design = bareDesign({
    inputVoltage: { min, nominal, max },
    outputVoltage: output,
    outputCurrent: { min: least, max: most },
    load: 'constant-current',
  });
  for (const vin of line)
    expect(loop(design, { at: { inputVoltage: vin, outputCurrent: most } }).phaseMargin).toBeGreaterThan(45);
});

test.each([
  [[4.76, 4.9, 5.05], 7.1, 13],
  [[8.75, 14, 22.4], 12, 12],
  [[9, 12, 15], 24, 2],
])(
  'voltage mode from %j V to %d V at %d A keeps its margins beside its right-half-plane zero',
  (line, output, most) => {
    const [min, nominal, max] = line as [number, number, number];
    const design = bareDesign(
      {
        inputVoltage: { min, nominal, max },
        outputVoltage: output,
        outputCurrent: { min: most / 10, max: most },
        load: 'constant-current',
      },
      { control: { method: 'voltage-mode' } },
    );
    for (const vin of line) {
      const { phaseMargin, gainMargin } = loop(design, { at: { inputVoltage: vin, outputCurrent: most } });
      expect(phaseMargin).toBeGreaterThan(45);
      expect(gainMargin ?? Infinity).toBeGreaterThan(8);
    }
  },
);
