import { describe, expect, test } from '@jest/globals';
import { readDesign, type Design } from '../design/index.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { stepToSize } from '../estimates/loadStep.ts';
import { lumped } from '../estimates/outputBank.ts';
import { designWith } from '../testing/designs.ts';
import { BRIEFS } from '../testing/briefs.ts';
import { simulate } from './simulate.ts';

const network = { resistor: 1e5, capacitor: 2.7e-9, coupling: 15e-9 };
const bank = [{ capacitance: 47e-6, esr: 0.002, count: 4 }];

const designOf = (document: object): Design => {
  const read = readDesign({ format: 'yundro-design', version: 1, name: 'on-time', ...document });
  if (!read.ok) throw new Error(JSON.stringify(read.faults));
  return read.design;
};

describe('ripple for a constant on-time comparator', () => {
  test('a divider that is not given is the one that the reference asks for', () => {
    const control = { method: 'constant-on-time', referenceVoltage: 0.8, rippleInjection: network };
    const free = simulate(designWith({ control, outputCapacitors: bank }), { scenario: 'steady-state' });
    const given = simulate(
      designWith({ control, outputCapacitors: bank, compensator: { dividerTop: 10e3, dividerBottom: 3200 } }),
      { scenario: 'steady-state' },
    );
    expect(free.steadyState!.periodic).toBe(true);
    expect(free.measurements.outputVoltage.average).toBeCloseTo(given.measurements.outputVoltage.average, 9);
    // valley control: the output stands above by about half of what is added, over the reference
    expect(given.measurements.outputVoltage.average / 3.3).toBeGreaterThan(1.005);
    expect(given.measurements.outputVoltage.average / 3.3).toBeLessThan(1.03);
  });

  test.each(BRIEFS.filter(([name]) => /^(small logic|24 V to 5 V|wide bus|24 V logic)$/u.test(name)))(
    'with only a brief and the method the comparator has its ripple: pulses repeat, the output is held as told, the step holds: %s',
    (_, [min, nominal, max], outputVoltage, [low, high]) => {
      const design = designOf({
        brief: { inputVoltage: { min, nominal, max }, outputVoltage, outputCurrent: { min: low, max: high } },
        decisions: { topology: 'buck', control: { method: 'constant-on-time' } },
      });
      const { decisions, decided } = completeDecisions(design);
      // the bank's own resistance, or of the network as one of L/(R·C), leads: above half of the longest on-time
      const bank = lumped(decisions.outputCapacitors);
      const { resistor, capacitor } = decisions.control.rippleInjection ?? {};
      const esr = resistor && capacitor ? decisions.inductor.inductance / (resistor * capacitor) : bank.resistance;
      const onTime = outputVoltage / (min * decisions.switchingFrequency);
      expect(esr * bank.capacitance).toBeGreaterThan(onTime / 2);
      const rule = decided.find(({ path }) => path === 'compensator')!.rule;
      const [set, left] = [/set ([\d.]+)\s% low/u, /leaves ±([\d.]+)\s%/u].map(
        (told) => Number(told.exec(rule)![1]) / 100,
      );
      expect(set).toBeLessThanOrEqual(0.02);
      expect(left).toBeLessThanOrEqual(0.012);
      for (const inputVoltage of [min, max]) {
        const still = simulate(design, { scenario: 'steady-state', at: { inputVoltage }, waveforms: false });
        expect(still.steadyState!.periodic).toBe(true);
        const above = still.measurements.outputVoltage.average / outputVoltage - 1;
        expect(Math.abs(above)).toBeLessThan(left! + set! / 5);
        const { step, deviation } = stepToSize(design.brief);
        const loadStep = { from: high - step, to: high, slewRate: step / 1e-6 };
        const stepped = { ...design, brief: { ...design.brief, loadStep } };
        const { measurements } = simulate(stepped, {
          scenario: 'load-step',
          at: { inputVoltage },
          release: true,
          waveforms: false,
        });
        expect(Math.max(measurements.undershoot!, measurements.release!.overshoot)).toBeLessThan(deviation);
      }
    },
  );

  test.each([
    ['always at rest', 1e-4, 0.015, false],
    ['continuous at full load', 0.01, 0.05, true],
    ['continuous at a quarter', 0.02, 0.5, true],
  ])(
    'over a wide input a small load gets a few ceramics, and a network only where the current goes on; pulses repeat: %s',
    (_, low, high, added) => {
      const design = designOf({
        brief: {
          inputVoltage: { min: 6, nominal: 12, max: 16 },
          outputVoltage: 3,
          outputCurrent: { min: low, max: high },
        },
        decisions: { topology: 'buck', control: { method: 'constant-on-time' } },
      });
      const { outputCapacitors, control } = completeDecisions(design).decisions;
      expect(outputCapacitors.map(({ count }) => count)).toEqual([1]);
      expect(control.rippleInjection !== undefined).toBe(added);
      for (const inputVoltage of [6, 16])
        for (const outputCurrent of [low, high / 2, high]) {
          const at = { inputVoltage, outputCurrent };
          const { steadyState } = simulate(design, { scenario: 'steady-state', at, waveforms: false });
          expect({ ...at, periodic: steadyState!.periodic }).toEqual({ ...at, periodic: true });
        }
    },
  );

  test('a file that gives its bank is taken at its word; of a network given in part the rest is decided', () => {
    const plain = designWith({ control: { method: 'constant-on-time' }, outputCapacitors: bank });
    expect(completeDecisions(plain).decisions.control.rippleInjection).toBeUndefined();
    const part = designWith({
      control: { method: 'constant-on-time', rippleInjection: { resistor: 120e3 } },
      outputCapacitors: bank,
    });
    const { decisions, decided } = completeDecisions(part);
    expect(decisions.control.rippleInjection).toEqual({
      resistor: 120e3,
      capacitor: expect.any(Number),
      coupling: expect.any(Number),
    });
    expect(decided.filter(({ path }) => path.startsWith('control.rippleInjection')).map(({ path }) => path)).toEqual([
      'control.rippleInjection.capacitor',
      'control.rippleInjection.coupling',
    ]);
  });

  test('pulses of several phases overlap only where pulses in turn could not carry the output', () => {
    const four = (input: number): Design =>
      designOf({
        brief: {
          inputVoltage: { min: input, nominal: input, max: input },
          outputVoltage: 1.8,
          outputCurrent: { min: 4, max: 60 },
        },
        decisions: {
          topology: 'buck',
          phases: 4,
          switchingFrequency: 400e3,
          inductor: { inductance: 0.4e-6, resistance: 1e-3, saturationCurrent: 40 },
          outputCapacitors: [{ capacitance: 330e-6, esr: 0.006, count: 4 }],
          control: { method: 'constant-on-time' },
        },
      });
    const together = (input: number): number => {
      const { waveforms, measurements } = simulate(four(input), { scenario: 'load-step', assume: true });
      expect(measurements.outputVoltage.average / 1.8).toBeCloseTo(1, 1);
      const { time, switchNode } = waveforms!;
      return Math.max(...time.map((_, k) => switchNode.filter((node) => node[k]! > input / 2).length));
    };
    expect(together(12)).toBe(1);
    // four times a duty of 0.36 leave no room between
    expect(together(5)).toBeGreaterThan(1);
  });
});
