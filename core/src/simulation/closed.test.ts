import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readDesign } from '../design/read.ts';
import { solve } from '../solve.ts';
import { anyStage, CLOCKED_METHODS, CLOSED_METHODS } from '../testing/designs.ts';
import { runs } from '../testing/runs.ts';
import { SimulationError } from './modulator.ts';
import { SCENARIOS } from './run.ts';
import { simulate } from './simulate.ts';

/** Any closed loop: a brief, a controller, and sometimes a network of its own. */
const anyClosed = fc
  .record({
    vin: fc.double({ min: 3, max: 60, noNaN: true }),
    wide: fc.double({ min: 1, max: 2, noNaN: true }),
    ratio: fc.double({ min: 0.1, max: 4, noNaN: true }),
    power: fc.double({ min: 1, max: 150, noNaN: true }),
    least: fc.constantFrom(0.01, 0.1, 0.5),
    phases: fc.constantFrom(1, 1, 1, 2, 4),
    load: fc.constantFrom('resistive', 'constant-current'),
    lightLoad: fc.constantFrom('forced-pwm', 'diode-emulation', 'pulse-skipping'),
    method: fc.constantFrom(...CLOSED_METHODS, 'digital', 'hysteretic', 'gated-oscillator'),
    deadTime: fc.constantFrom(0, 3e-8),
    scenario: fc.constantFrom(...SCENARIOS.filter((one) => one !== 'open-loop' && one !== 'step-train')),
    esl: fc.constantFrom(0, 1e-9),
    // networks whose amplifier may lack what the duty asks for
    network: fc.constantFrom(
      {},
      { amplifier: 'op-amp', type: 1, feedbackCapacitor: 3e-8, outputMinimum: 0, outputMaximum: 1 },
      {
        amplifier: 'op-amp',
        type: 2,
        feedbackCapacitor: 1e-8,
        feedbackResistor: 5e3,
        gainBandwidth: 3e6,
        outputMaximum: 0.5,
      },
      {
        amplifier: 'ota',
        type: 1,
        feedbackCapacitor: 4e-9,
        outputCurrentLimit: 5e-5,
        outputMinimum: 0,
        outputMaximum: 0.7,
      },
    ),
  })
  .map(({ vin, wide, ratio, power, least, phases, load, lightLoad, method, deadTime, scenario, esl, network }) => {
    const outputVoltage = vin * ratio;
    const max = power / outputVoltage;
    const decisions = {
      phases,
      lightLoad,
      compensator: network,
      outputCapacitors: [
        { capacitance: (40e-6 * max) / outputVoltage, esr: (0.02 * outputVoltage) / max, esl, count: 1 },
      ],
      control: {
        method,
        deadTime,
        ...(method === 'digital'
          ? { digital: { numerator: [0.02 / vin, -0.0195 / vin], denominator: [1, -1], sampleDelay: 0.5 } }
          : {}),
      },
    };
    const brief = {
      inputVoltage: { min: vin, nominal: vin, max: vin * wide },
      outputVoltage,
      outputCurrent: { min: least * max, max },
      loadStep: { from: max / 2, to: max, slewRate: max * 1e6 },
      load,
    };
    return { scenario, document: { format: 'yundro-design', version: 1, name: 'Closed', brief, decisions } };
  });

test('any closed loop ends its run with figures, or says in words why there is none; nothing hangs', () => {
  let ran = 0;
  fc.assert(
    fc.property(anyClosed, ({ scenario, document }) => {
      const read = readDesign(document);
      if (!read.ok) throw new Error(JSON.stringify(read.faults));
      try {
        const { measurements, cycles } = simulate(read.design, { scenario, assume: true, waveforms: false });
        const { outputVoltage, inputCurrent } = measurements;
        for (const value of [outputVoltage.average, outputVoltage.rms, inputCurrent.average, inputCurrent.rms])
          expect(Number.isFinite(value)).toBe(true);
        // what is left of a dead rail may be less than an average can be told from nothing
        expect(outputVoltage.min).toBeLessThanOrEqual(outputVoltage.average * (1 + 1e-9) + 1e-300);
        expect(cycles).toBeLessThan(40_000);
        ran += 1;
      } catch (error) {
        if (!(error instanceof SimulationError)) throw error;
        expect(error.message).not.toMatch(/chatters|leave every bound/u);
      }
    }),
    { numRuns: runs(40), seed: 5, endOnFailure: true },
  );
  expect(ran).toBeGreaterThan(runs(25));
});

test('whatever closes it, a loop that repeats stands where the stage’s own periodic solution has it', () => {
  let compared = 0;
  fc.assert(
    fc.property(anyStage, fc.constantFrom(...CLOCKED_METHODS), fc.boolean(), (stage, method, light) => {
      const { brief, decisions } = stage;
      // pulses that are left out, and what comes to rest in stiff surroundings, have no one period to compare
      if (decisions.lightLoad === 'pulse-skipping' || decisions.lightLoad === 'ultrasonic' || decisions.coupling)
        return;
      const { rampAmplitude: _, rampGain: __, ...control } = decisions.control ?? {};
      const design = { ...stage, decisions: { ...decisions, control: { ...control, method } } };
      const at = {
        inputVoltage: brief.inputVoltage.nominal,
        outputCurrent: light ? brief.outputCurrent.min : brief.outputCurrent.max,
      };
      const point = solve(design, { at, areas: [] }).operatingPoints[0];
      if (!point || Math.abs(point.outputVoltage.average / brief.outputVoltage - 1) > 1e-6) return;
      const period = 1 / point.switchingFrequency;
      const { minimumOnTime = 0, minimumOffTime = 0, maximumDuty = 1 } = control;
      const on = point.duty * period;
      if (on < minimumOnTime * 1.5 || period - on < minimumOffTime * 1.5 || point.duty > maximumDuty * 0.98) return;
      let run;
      try {
        run = simulate(design, { scenario: 'steady-state', at, waveforms: false });
      } catch (error) {
        if (error instanceof SimulationError) return;
        throw error;
      }
      if (!run.steadyState!.periodic) return;
      compared += 1;
      const { outputVoltage, inductorCurrent } = run.measurements;
      const size = Math.max(point.inductorCurrent.peak, point.inductorCurrent.ripple);
      expect(outputVoltage.average / point.outputVoltage.average).toBeCloseTo(1, 5);
      // nothing but their resistances makes phases share where no current is sensed
      if (inductorCurrent.length > 1 && method.startsWith('voltage-mode')) return;
      for (const { max, min, average } of inductorCurrent) {
        expect(Math.abs(max - point.inductorCurrent.peak) / size).toBeLessThan(1e-4);
        expect(Math.abs(min - point.inductorCurrent.valley) / size).toBeLessThan(1e-4);
        expect(Math.abs(average - point.inductorCurrent.average) / size).toBeLessThan(1e-4);
      }
    }),
    { numRuns: runs(250), seed: 20261126, endOnFailure: true },
  );
  expect(compared).toBeGreaterThan(runs(24));
});
