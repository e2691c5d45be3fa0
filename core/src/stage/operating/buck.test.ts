import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Design } from '../../design/index.ts';
import { solve } from '../../solve.ts';
import { buckInputRms } from '../../estimates/inputBank.ts';
import { triangleRipple } from '../../estimates/outputBank.ts';
import { buildableBucks, exampleWith } from '../../testing/designs.ts';
import type { OperatingPoint } from './operatingPoint.ts';
import { runs } from '../../testing/runs.ts';

function pointAt(design: Design, inputVoltage: number, outputCurrent: number): OperatingPoint {
  return solve(design, { at: { inputVoltage, outputCurrent } }).operatingPoints[0]!;
}

/**
 * The same circuit by brute force, sharing nothing with the core: the buck's three differential equations stepped by
 * the classical Runge-Kutta method at the found duty until it repeats, then measured over one period by sums.
 */
function integrate(design: Design, vin: number, iout: number, duty: number) {
  const { decisions: d, brief } = design;
  const inductance = d.inductor!.inductance!;
  const winding = d.inductor!.resistance!;
  const bank = d.outputCapacitors![0]!;
  const c = bank.capacitance * bank.count;
  const esr = bank.esr / bank.count;
  const load = brief.outputVoltage / iout;
  const diode = d.rectifier!.kind === 'diode';
  const rectifier = d.rectifier!;
  const rOn = (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance)!;
  const drop = rectifier.kind === 'diode' ? rectifier.forwardVoltage! : 0;
  const rControl = d.controlSwitch!.onResistance!;
  const period = 1 / d.switchingFrequency!;
  const dead = diode ? 0 : (d.control!.deadTime ?? 0);
  const out = (i: number, v: number): number => (i + v / esr) / (1 / load + 1 / esr);
  const edges = [0, duty * period, duty * period + dead, period - dead, period];
  const stages = ['on', 'dead', 'off', 'dead'] as const;
  const slope = (stage: string, i: number, v: number): [number, number] => {
    const vo = out(i, v);
    const node = stage === 'on' ? vin - rControl * i : stage === 'off' ? -drop - rOn * i : i > 0 ? -0.8 : vin + 0.8;
    return [(node - winding * i - vo) / inductance, (vo - v) / (esr * c)];
  };
  let i = iout;
  let v = brief.outputVoltage;
  let measured = {
    average: 0,
    min: Infinity,
    max: -Infinity,
    square: 0,
    input: 0,
    inputSquare: 0,
    low: Infinity,
    high: -Infinity,
  };
  const periods = diode ? 2500 : 4000;
  for (let p = 0; p < periods; p += 1) {
    const last = p === periods - 1;
    if (last)
      measured = {
        average: 0,
        min: Infinity,
        max: -Infinity,
        square: 0,
        input: 0,
        inputSquare: 0,
        low: Infinity,
        high: -Infinity,
      };
    stages.forEach((stage, s) => {
      const span = edges[s + 1]! - edges[s]!;
      const steps = last ? 4000 : diode ? 400 : 60;
      const h = span / steps;
      if (!(h > 0)) return;
      for (let k = 0; k < steps; k += 1) {
        const before = i;
        const vBefore = v;
        if (diode && stage === 'off' && i <= 0) {
          i = 0;
          const [, dv] = [0, (out(0, v) - v) / (esr * c)];
          v += h * dv;
        } else {
          const [a1, b1] = slope(stage, i, v);
          const [a2, b2] = slope(stage, i + (h / 2) * a1, v + (h / 2) * b1);
          const [a3, b3] = slope(stage, i + (h / 2) * a2, v + (h / 2) * b2);
          const [a4, b4] = slope(stage, i + h * a3, v + h * b3);
          i += (h / 6) * (a1 + 2 * a2 + 2 * a3 + a4);
          v += (h / 6) * (b1 + 2 * b2 + 2 * b3 + b4);
          if (diode && i < 0) i = 0;
        }
        if (last) {
          const vo = (out(before, vBefore) + out(i, v)) / 2;
          measured.average += (vo * h) / period;
          measured.low = Math.min(measured.low, out(i, v));
          measured.high = Math.max(measured.high, out(i, v));
          measured.min = Math.min(measured.min, i);
          measured.max = Math.max(measured.max, i);
          measured.square += ((before * before + before * i + i * i) / 3) * (h / period);
          // negative current in the dead time flows back to the input through the control switch's body diode
          const drawn = stage === 'on' || (stage === 'dead' && before < 0) ? 1 : 0;
          measured.input += (drawn * ((before + i) / 2) * h) / period;
          measured.inputSquare += drawn * ((before * before + before * i + i * i) / 3) * (h / period);
        }
      }
    });
  }
  return {
    average: measured.average,
    ripple: measured.max - measured.min,
    peak: measured.max,
    rms: Math.sqrt(measured.square),
    outputRipple: measured.high - measured.low,
    inputRms: Math.sqrt(measured.inputSquare - measured.input ** 2),
  };
}

describe('against a brute-force integration of the same circuit', () => {
  const plain = { outputCapacitors: [{ capacitance: 22e-6, esr: 0.012, count: 4 }] };
  const diode = { ...plain, rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.01 } };
  test.each<[string, object, number, number, string]>([
    ['CCM, synchronous, dead time', plain, 24, 6, 'CCM'],
    ['forced CCM with negative current', plain, 32, 0.3, 'CCM'],
    ['CCM, diode', diode, 18, 6, 'CCM'],
    ['DCM, diode', diode, 24, 0.3, 'DCM'],
  ])('%s', (_, decisions, vin, iout, mode) => {
    const design = exampleWith(decisions);
    const point = pointAt(design, vin, iout);
    const reference = integrate(design, vin, iout, point.duty);
    expect(point.conductionMode).toBe(mode);
    expect(reference.average).toBeCloseTo(3.3, 3);
    const relative = (a: number, b: number): number => Math.abs(a / b - 1);
    expect(relative(point.inductorCurrent.ripple, reference.ripple)).toBeLessThan(5e-4);
    expect(relative(point.inductorCurrent.peak, reference.peak)).toBeLessThan(5e-4);
    expect(relative(point.inductorCurrent.rms, reference.rms)).toBeLessThan(5e-4);
    expect(relative(point.outputCapacitor.ripple, reference.outputRipple)).toBeLessThan(2e-3);
    expect(relative(point.inputCapacitor.rmsCurrent, reference.inputRms)).toBeLessThan(2e-3);
  });
});

describe('against published forms', () => {
  // Source: Erickson and Maksimović, Fundamentals of Power Electronics, DCM chapter: M = 2/(1 + √(1 + 4K/D²)),
  // K = 2L/(R·Ts); recalled from memory. docs/sources.md, E-5.
  test('the DCM conversion ratio of a lossless buck', () => {
    const lossless = exampleWith({
      inductor: { inductance: 2e-6, resistance: 0, saturationCurrent: 20 },
      controlSwitch: { onResistance: 0 },
      rectifier: { kind: 'diode', forwardVoltage: 0, resistance: 0 },
      outputCapacitors: [{ capacitance: 2e-3 }],
    });
    const { duty } = pointAt(lossless, 12, 0.5);
    const k = (2 * 2e-6 * 400e3) / (3.3 / 0.5);
    expect(2 / (1 + Math.sqrt(1 + (4 * k) / duty ** 2))).toBeCloseTo(3.3 / 12, 5);
  });

  // Same source, chapters 2 and 3 and the appendix on RMS values.
  test('CCM forms hold within the ripple’s second order over random designs', () => {
    fc.assert(
      fc.property(buildableBucks, (design) => {
        const { brief, decisions: d } = design;
        const vin = brief.inputVoltage.nominal;
        const iout = brief.outputCurrent.max;
        const p = pointAt(design, vin, iout);
        const within = (value: number, form: number, bound: number): void => {
          expect(Math.abs(value / form - 1)).toBeLessThan(bound);
        };
        const resistance = d.inductor!.resistance!;
        // volt-seconds: D(Vin − I·Rq) − (1 − D)·I·Rr = Vout + I·Rl
        within(
          p.duty,
          (brief.outputVoltage + iout * (resistance + resistance / 2)) /
            (vin - iout * resistance + (iout * resistance) / 2),
          5e-3,
        );
        const { ripple } = p.inductorCurrent;
        within(p.inductorCurrent.rms, Math.hypot(iout, ripple / Math.sqrt(12)), 1e-3);
        within(p.inputCapacitor.rmsCurrent, buckInputRms(iout, p.duty, ripple), 1e-2);
        // the load takes its share of the ripple current, by resistance, which the form leaves out;
        // the rest is the ripple itself (up to 6 % of the output here) bending the ramps
        const bank = d.outputCapacitors![0]!;
        const period = 1 / d.switchingFrequency!;
        const share = brief.load === 'resistive' ? 1 / (1 + (bank.esr * iout) / brief.outputVoltage) : 1;
        within(
          p.outputCapacitor.ripple,
          share * triangleRipple(ripple, p.duty * period, (1 - p.duty) * period, bank.capacitance, bank.esr),
          6e-2,
        );
        // energy: what the source gives through the switch is what the load and the stage's own losses take
        const { total, inputCapacitorEsr } = p.losses;
        within(p.controlSwitch.averageCurrent * vin, p.outputPower + total - inputCapacitorEsr, 1e-6);
      }),
      { numRuns: runs(100), seed: 20260101 },
    );
  }, 60_000);

  test('the capacitive ripple alone is ΔI/(8fC), and a large ESR alone is ΔI·R', () => {
    expect(triangleRipple(2, 1e-6, 3e-6, 50e-6, 0)).toBeCloseTo((2 * 4e-6) / (8 * 50e-6), 12);
    expect(triangleRipple(2, 1e-6, 3e-6, 1, 0.05)).toBeCloseTo(0.1, 6);
  });
});

describe('conventions of the file format', () => {
  test('the format’s own example comes out as its illustration says', () => {
    const p = pointAt(exampleWith(), 24, 6);
    expect(p.duty).toBeCloseTo(0.142, 3);
    expect(p.rectifierDuty).toBeCloseTo(0.858, 3);
    expect(p.controlSwitch.averageCurrent).toBeCloseTo(0.85, 2);
    expect(p.controlSwitch.rmsCurrent).toBeCloseTo(2.27, 2);
    expect(p.rectifier.rmsCurrent).toBeCloseTo(5.57, 2);
    expect(p.inputCapacitor.rmsCurrent).toBeCloseTo(2.1, 2);
    expect(p.inputCurrent.average * 24).toBeCloseTo(p.outputPower + p.losses.total, 9);
  });

  test('series inductance adds its step to the ripple and changes nothing else', () => {
    const bank = { capacitance: 47e-6, esr: 0.0005, count: 2 };
    const without = pointAt(exampleWith({ outputCapacitors: [bank] }), 24, 6);
    const withEsl = pointAt(exampleWith({ outputCapacitors: [{ ...bank, esl: 4e-9 }] }), 24, 6);
    // the current's slope changes by Vin/L at an edge, so the voltage steps by about esl·Vin/L
    const step = (2e-9 * 24) / 4.7e-6;
    expect(withEsl.outputCapacitor.ripple - without.outputCapacitor.ripple).toBeGreaterThan(0.5 * step);
    expect(withEsl.outputCapacitor.ripple).toBeLessThan(without.outputCapacitor.ripple + 1.1 * step);
    expect(withEsl.duty).toBeCloseTo(without.duty, 5);
  });

  test('splitting a bank into equal parts in separate entries changes nothing', () => {
    const one = pointAt(
      exampleWith({
        outputCapacitors: [{ capacitance: 20e-6, esr: 0.004, esl: 1e-9, count: 4 }],
        inputCapacitors: [{ capacitance: 10e-6, esr: 0.004, count: 3 }],
      }),
      24,
      6,
    );
    const part = { capacitance: 20e-6, esr: 0.004, esl: 1e-9, count: 2 };
    const two = pointAt(
      exampleWith({
        outputCapacitors: [part, part],
        inputCapacitors: [
          { capacitance: 10e-6, esr: 0.004 },
          { capacitance: 10e-6, esr: 0.004, count: 2 },
        ],
      }),
      24,
      6,
    );
    expect(two.outputCapacitor.ripple).toBeCloseTo(one.outputCapacitor.ripple, 7);
    expect(two.losses.outputCapacitorEsr).toBeCloseTo(one.losses.outputCapacitorEsr, 8);
    expect(two.inputCapacitor.ripple).toBeCloseTo(one.inputCapacitor.ripple, 6);
    expect(two.losses.inputCapacitorEsr).toBeCloseTo(one.losses.inputCapacitorEsr, 6);
  });

  test('diode emulation and a diode of the same resistance agree; at no load nothing flows', () => {
    const base = { control: { ...exampleWith().decisions.control, deadTime: 0 } };
    const emulated = pointAt(exampleWith({ ...base, lightLoad: 'diode-emulation' }), 24, 0.2);
    const diode = pointAt(
      exampleWith({ ...base, rectifier: { kind: 'diode', forwardVoltage: 0, resistance: 0.006 } }),
      24,
      0.2,
    );
    expect(emulated.conductionMode).toBe('DCM');
    expect(emulated.duty).toBeCloseTo(diode.duty, 9);
    expect(pointAt(exampleWith({ lightLoad: 'diode-emulation' }), 24, 0).duty).toBe(0);
    expect(pointAt(exampleWith(), 24, 0).inductorCurrent.average).toBeCloseTo(0, 6);
  });
});
