import { describe, expect, test } from '@jest/globals';
import { magnitude, over, plus, scaled, type Complex } from '../numbers/complex.ts';
import { GAUSS_NODES } from '../numbers/linear.ts';
import { Simulator } from '../simulation/engine.ts';
import { conductanceOf, ready } from '../simulation/setup.ts';
import { periodicState } from '../simulation/steady.ts';
import { simulate } from '../simulation/simulate.ts';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { LIMIT_TOLERANCE } from '../control/protection.ts';
import { formatQuantity } from '../quantity/index.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { explain } from '../catalogue.ts';
import { loopCorners, loopHere, loopTargets } from './corners.ts';
import { loop, loopAt } from './loop.ts';

const type3 = {
  amplifier: 'op-amp',
  ...TYPE_3,
};
const type2 = {
  amplifier: 'ota',
  type: 2,
  transconductance: 1e-3,
  dividerTop: 10000,
  dividerBottom: 3200,
  feedbackResistor: 12000,
  feedbackCapacitor: 2.2e-9,
  shuntCapacitor: 47e-12,
};
const bank = { outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }] };
const voltage = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 };
const designs: Record<string, [object, object?]> = {
  'voltage mode with dead times': [{ ...bank, control: { ...voltage, deadTime: 4e-8 }, compensator: type3 }],
  'peak current': [
    {
      ...bank,
      control: { method: 'peak-current-mode', referenceVoltage: 0.8, currentSenseGain: 0.1, slopeCompensation: 6e4 },
      compensator: type2,
    },
  ],
  'peak current, filtered before its comparator': [
    {
      ...bank,
      control: {
        method: 'peak-current-mode',
        referenceVoltage: 0.8,
        currentSenseGain: 0.1,
        slopeCompensation: 6e4,
        currentSenseFilter: 1e-7,
      },
      compensator: type2,
    },
  ],
  'constant on-time': [
    {
      ...bank,
      control: {
        method: 'constant-on-time',
        referenceVoltage: 0.8,
        rippleInjection: { resistor: 47e3, capacitor: 1e-9, coupling: 10e-9 },
      },
      compensator: { dividerTop: 10000, dividerBottom: 3200 },
    },
  ],
  digital: [
    {
      ...bank,
      control: {
        method: 'digital',
        digital: { numerator: [0.02, -0.0195], denominator: [1, -1], sampleDelay: 0.5 },
      },
    },
  ],
  'a diode boost': [
    {
      ...bank,
      topology: 'boost',
      inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 20 },
      rectifier: { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01 },
      control: { ...voltage, deadTime: 0 },
      compensator: { ...type2, dividerBottom: 714, feedbackResistor: 100, feedbackCapacitor: 470e-9 },
    },
    { inputVoltage: { min: 5, nominal: 5, max: 5 }, outputVoltage: 12, outputCurrent: { min: 0.2, max: 2 } },
  ],
};

describe('the exact response', () => {
  test.each(Object.entries(designs))('is what a small sine in simulated time measures: %s', (_, [decisions, brief]) => {
    const design = designWith(decisions, brief);
    const { decisions: complete } = completeDecisions(design);
    const corner = { inputVoltage: design.brief.inputVoltage.nominal, outputCurrent: design.brief.outputCurrent.max };
    const conductance = conductanceOf(design.brief, complete, corner.outputCurrent);
    const segment = { at: -1, conductance, current: 0, currentSlope: 0, source: corner.inputVoltage, sourceSlope: 0 };
    const made = ready(design, complete, corner, [segment]);
    const { simulator, linearized, period } = periodicState(made)!;
    const start = simulator.snapshot();
    const amplitude = 1e-5 * design.brief.outputVoltage;
    for (const part of [9 / 40, 23 / 40]) {
      const frequency = part / period;
      const { output } = linearized!.responses([simulator.places.injected], frequency, period, start.time)[0]!;
      const swung = new Simulator({ ...made.setup, sine: { frequency, amplitude } });
      // the sine's two states come before the constant
      swung.restore({ ...start, state: [...start.state.slice(0, -1), amplitude, 1] });
      swung.moves = false;
      const settle = 10_000 * period;
      swung.run(start.time + settle);
      const begin = swung.time;
      const speed = 2 * Math.PI * frequency;
      let sum: Complex = [0, 0];
      swung.run(begin + 40 * period, {
        piece: ({ mode, from, length, start: node }) => {
          const course = mode.output.over(node, length);
          for (let part = 0; part < 4; part += 1)
            for (const { at, weight } of GAUSS_NODES) {
              const into = ((part + at) / 4) * length;
              const value = (course.at(into) * weight * length) / 4;
              const angle = speed * (from + into - start.time);
              sum = plus(sum, [value * Math.cos(angle), -value * Math.sin(angle)]);
            }
        },
      });
      // the sine begins at zero: −j times its amplitude
      const measured = over(scaled(sum, 2 / (40 * period)), [0, -amplitude]);
      expect(magnitude(plus(measured, scaled(turned(output, -speed * start.time), -1)))).toBeLessThan(
        3e-4 * magnitude(output),
      );
    }
  });
  /** The response is over the sine's own phase: nothing turns where the run begins at zero. */
  const turned = (value: Complex, angle: number): Complex => [
    value[0] * Math.cos(angle) - value[1] * Math.sin(angle),
    value[0] * Math.sin(angle) + value[1] * Math.cos(angle),
  ];
});

describe('loops', () => {
  test('averaged and exact agree well below the switching frequency, where the control voltage hardly ripples', () => {
    const slow = { ...type3, feedbackResistor: 1000, feedbackCapacitor: 47e-9, shuntCapacitor: 1e-9 };
    const { response, exactResponse } = loop(designWith({ ...bank, control: voltage, compensator: slow }), {
      exact: true,
      frequencies: [100, 1e3, 1e4, 3e4],
    });
    response.gain.forEach((gain, k) => {
      expect(Math.abs(gain - exactResponse!.gain[k]!)).toBeLessThan(0.2);
      expect(Math.abs(response.phase[k]! - exactResponse!.phase[k]!)).toBeLessThan(1);
    });
  });

  test('a margin below zero grows in the time domain, one above it shrinks', () => {
    for (const by of [0.4, 1]) {
      const numerator = [0.05 * by, -0.045 * by];
      const design = designWith({
        ...bank,
        control: { method: 'digital', digital: { numerator, denominator: [1, -1], sampleDelay: 0.5 } },
      });
      const { phaseMargin, growth, warnings } = loop(design, { exact: true });
      expect(phaseMargin! > 0).toBe(growth! < 1);
      expect(warnings.some(({ id }) => id === 'unstable-loop')).toBe(growth! > 1);
      const { steadyState } = simulate(design, { scenario: 'steady-state', waveforms: false });
      expect(steadyState!.periodic).toBe(growth! < 1);
    }
  });

  test('what is asked at a few frequencies is the whole range’s, margins and branches of the phase too', () => {
    const design = designWith({ ...bank, control: voltage, compensator: type3 });
    const whole = loop(design);
    const at = [40, 250, 390].map((k) => whole.response.frequency[k]!);
    const few = loop(design, { frequencies: at });
    expect(few.crossoverFrequency).toBe(whole.crossoverFrequency);
    [40, 250, 390].forEach((k, i) => expect(few.response.phase[i]!).toBeCloseTo(whole.response.phase[k]!, 9));
    const peak = Math.max(...whole.outputImpedance.magnitude);
    expect(peak).toBeGreaterThan(0);
    expect(() => loop(design, { at: { inputVoltage: 3 } })).toThrow(/does not reach/u);
    expect(() => loop(design, { frequencies: [0] })).toThrow(/above 0/u);
  });

  test('the limit that a stand-in has is a decision: above the peak by its own tolerance, and what loop and run go by', () => {
    const small = designWith({ ...bank, control: voltage });
    const { outputCurrent } = small.brief;
    const large = {
      ...small,
      brief: { ...small.brief, outputCurrent: { ...outputCurrent, max: 2 * outputCurrent.max } },
    };
    for (const design of [small, large]) {
      const { decisions, operatingPoints } = solve(design);
      const limit = decisions.control.currentLimit!;
      const peak = Math.max(...operatingPoints.map((point) => point.inductorCurrent.peak));
      expect(limit * (1 - LIMIT_TOLERANCE)).toBeGreaterThan(0.995 * peak);
      expect(limit).toBeLessThan(1.4 * peak);
      const { assumed } = loopAt(design, decisions, { inputVoltage: 24, outputCurrent: outputCurrent.max });
      expect(assumed.join(' ')).toContain(`current at ${formatQuantity(limit, 'A')}`);
    }
  });

  test('where the switches stand at a limit of their pulses there is no loop, and that is said', () => {
    const onTime = (seconds: number) =>
      designWith({ ...bank, control: { method: 'constant-on-time', onTime: seconds, minimumOffTime: 2e-6 } });
    expect(() => loop(onTime(1e-7))).toThrow(/at a limit of the controller/u);
    expect(loop(onTime(1e-6)).response.gain.every(Number.isFinite)).toBe(true);
    const held = designWith({ ...bank, lightLoad: 'diode-emulation', control: { ...voltage, minimumOnTime: 2e-7 } });
    expect(() => loop(held, { at: { inputVoltage: 32, outputCurrent: 0.05 } })).toThrow(
      /at a limit of the controller/u,
    );
  });
});

describe('what the source sees', () => {
  const complexOf = ({ magnitude: size, phase }: { magnitude: number[]; phase: number[] }, k: number): Complex => [
    size[k]! * Math.cos((phase[k]! * Math.PI) / 180),
    size[k]! * Math.sin((phase[k]! * Math.PI) / 180),
  ];

  test.each([
    ['averaged', { control: voltage, compensator: type3 }],
    ['exact', { control: { ...voltage, method: 'peak-current-mode', currentSenseGain: 0.05 }, compensator: type2 }],
  ])('slowly it is how the drawn current falls as the input rises, a negative resistance: %s', (model, decisions) => {
    const design = designWith({ ...bank, ...decisions });
    const answer = loop(design, { frequencies: [1] });
    expect(answer.model).toBe(model);
    const drawn = (inputVoltage: number): number =>
      solve(design, { at: { inputVoltage, outputCurrent: 6 } }).operatingPoints[0]!.inputCurrent.average;
    const slope = (drawn(24.1) - drawn(23.9)) / 0.2;
    expect(slope).toBeLessThan(0);
    const [re, im] = complexOf(answer.inputImpedance, 0);
    expect(Math.abs(re * slope - 1)).toBeLessThan(2e-3);
    expect(Math.abs(im / re)).toBeLessThan(0.02);
  });

  test('the stage’s own input does not follow what feeds it; the source with the bank peaks at their resonance', () => {
    const parts = { ...bank, control: voltage, compensator: type3 };
    const resonance = 1 / (2 * Math.PI * Math.sqrt(1e-6 * 20e-6));
    const frequencies = [100, resonance, 2 * resonance];
    const stiff = loop(designWith(parts), { frequencies });
    const led = loop(designWith(parts, { sourceInductance: 1e-6, sourceResistance: 0.02 }), { frequencies });
    expect(stiff.sourceImpedance).toBeUndefined();
    frequencies.forEach((_, k) => {
      const difference = plus(complexOf(led.inputImpedance, k), scaled(complexOf(stiff.inputImpedance, k), -1));
      expect(magnitude(difference) / stiff.inputImpedance.magnitude[k]!).toBeLessThan(2e-2);
    });
    const { magnitude: seen } = led.sourceImpedance!;
    // at resonance √(L/C) times Q, Q of what is in series: 0.02 Ω and the bank's 2 mΩ
    expect(seen[1]! / (1e-6 / 20e-6 / 0.022)).toBeCloseTo(1, 1);
    expect(seen[0]!).toBeCloseTo(0.02, 3);
  });
});

test('every corner’s loop, its targets at the worst, and what keeps a corner from having one', () => {
  const design = designWith({ ...bank, control: voltage, compensator: type3 });
  const going = loopCorners(design);
  const parts: number[] = [];
  let step = going.next();
  while (!step.done) {
    parts.push(step.value.part);
    step = going.next();
  }
  const { corners, network, troubles } = step.value;
  expect(parts[parts.length - 1]).toBe(1);
  expect([corners.length, troubles.length]).toEqual([6, 0]);
  expect(network).toMatchObject({ feedbackResistor: 8200 });
  const targets = loopTargets(design, { corners });
  // the ripple that comes through the network leaves less than the averages say: where they part, the circuit's own response is judged
  expect(corners.map(({ judged }) => judged.by)).toContain('exact');
  const worst = Math.min(...corners.map(({ judged }) => judged.phaseMargin ?? Infinity));
  expect(worst).toBeLessThan(Math.min(...corners.map(({ phaseMargin }) => phaseMargin ?? Infinity)));
  expect(targets.find(({ id }) => id === 'phaseMargin')).toMatchObject({ predicted: worst, required: 45 });
  // voltage mode crosses over where the input is highest
  expect(targets.find(({ id }) => id === 'crossover')!.at.inputVoltage).toBe(32);
  const low = designWith(
    { ...bank, control: voltage, compensator: type3 },
    { inputVoltage: { min: 3, nominal: 24, max: 32 } },
  );
  const found = loopCorners(low);
  let last = found.next();
  while (!last.done) last = found.next();
  expect(last.value.troubles[0]!.message).toMatch(/does not reach/u);
  expect(last.value.corners).toHaveLength(4);
});

describe('why a loop’s margins are what they are', () => {
  const design = designWith(
    { control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 } },
    { loadStep: { from: 1.5, to: 4.5, slewRate: 1e6, deviation: 0.1 } },
  );

  test('every target explains itself by a quantity that reads as it predicts, and its form gives the same', () => {
    const found = loopCorners(design);
    let step = found.next();
    while (!step.done) step = found.next();
    const targets = loopTargets(design, step.value);
    expect(targets.map(({ id }) => id).sort()).toEqual(['crossover', 'outputImpedance', 'phaseMargin', 'vectorMargin']);
    for (const { at, quantity, predicted } of targets) {
      const result = solve(design);
      const point = solve(design, { at }).operatingPoints[0]!;
      const sheet = explain({ design, result, point, loop: loopHere(design, at) }, quantity)!;
      expect(sheet.value / predicted).toBeCloseTo(1, 6);
      if (sheet.formula) expect(sheet.formula.value / predicted).toBeCloseTo(1, 6);
      else expect(sheet.told).toMatch(/Found on the response itself/u);
      // without a loop there is nothing to explain
      expect(explain({ design, result, point }, quantity)).toBeUndefined();
    }
  });

  test('the mask is the step’s deviation over its current, and the peak is that of the full response', () => {
    const at = { inputVoltage: 24, outputCurrent: 6 };
    const { impedance } = loopHere(design, at)!;
    const { outputImpedance } = loop(design, { at });
    const peak = Math.max(...outputImpedance.magnitude);
    expect(impedance.open / impedance.dividedBy / peak).toBeCloseTo(1, 3);
  });
});
