import { describe, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import path from 'node:path';
import { completeDecisions } from '../src/stage/sizing/complete.ts';
import { Simulator } from '../src/simulation/engine.ts';
import { Meter } from '../src/simulation/meter.ts';
import { ready, conductanceOf } from '../src/simulation/setup.ts';
import { ramp } from '../src/simulation/run.ts';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';

// Several phases, coupled or not, against SciPy's DOP853 on equations written anew: simulate_phases_ode.py. docs/sources.md, N-5.
const PYTHON = '/usr/bin/python3';
const present = existsSync(PYTHON) && spawnSync(PYTHON, ['-c', 'import scipy.integrate']).status === 0;
const script = path.resolve(import.meta.dirname, 'simulate_phases_ode.py');

const opAmp = { amplifier: 'op-amp', ...TYPE_3 };
const ota = {
  amplifier: 'ota',
  type: 2,
  transconductance: 1e-3,
  feedbackResistor: 12000,
  feedbackCapacitor: 2.2e-9,
  shuntCapacitor: 47e-12,
};
const voltage = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5, overVoltage: 4 };
const current = {
  method: 'peak-current-mode',
  referenceVoltage: 0.8,
  currentSenseGain: 0.1,
  slopeCompensation: 1e5,
  overVoltage: 4,
};
const phases = (count: number) => ({
  phases: count,
  inductor: { inductance: 1e-6, resistance: 0.002, saturationCurrent: 60 },
  outputCapacitors: [
    { capacitance: 100e-6, esr: 0.005, count: 2 },
    { capacitance: 22e-6, esr: 0.003, count: 4 },
  ],
});
const divided = { dividerTop: 12000, dividerBottom: 10000 };
const brief = {
  inputVoltage: { min: 10, nominal: 12, max: 14 },
  outputVoltage: 1.76,
  outputCurrent: { min: 1, max: 60 },
};

interface Case {
  decisions: object;
  brief?: object;
  cycles: number;
  step?: [cycle: number, to: number];
  iout: number;
  prebias?: number;
}

const cases: Record<string, Case> = {
  'two phases in voltage mode, through a load step': {
    decisions: { ...phases(2), control: voltage, compensator: { ...opAmp, ...divided } },
    cycles: 60,
    step: [40, 25],
    iout: 10,
  },
  'four phases as inverse pairs, ramp with the input': {
    decisions: {
      ...phases(4),
      coupling: { coefficient: 0.6, polarity: 'inverse' },
      control: { ...voltage, method: 'voltage-mode-feedforward', rampGain: 0.12 },
      compensator: { ...opAmp, ...divided },
    },
    cycles: 40,
    iout: 40,
  },
  'three phases in peak current mode, through a load step': {
    decisions: { ...phases(3), control: current, compensator: { ...ota, ...divided } },
    cycles: 60,
    step: [40, 30],
    iout: 15,
  },
  'two phases of a boost in peak current mode': {
    decisions: {
      ...phases(2),
      topology: 'boost',
      inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 40 },
      outputCapacitors: [{ capacitance: 100e-6, esr: 0.01 }],
      control: { ...current, slopeCompensation: 3e5 },
      compensator: { ...ota, dividerTop: 29000, dividerBottom: 1000 },
    },
    brief: { outputVoltage: 24 },
    cycles: 80,
    iout: 3,
    prebias: 12,
  },
  'three phases on a constant on-time, in turn': {
    decisions: {
      ...phases(3),
      outputCapacitors: [{ capacitance: 330e-6, esr: 0.006, count: 2 }],
      control: { method: 'constant-on-time', referenceVoltage: 0.8, overVoltage: 4 },
    },
    cycles: 50,
    step: [30, 30],
    iout: 15,
  },
  'two direct-coupled phases of an inverting stage': {
    decisions: {
      ...phases(2),
      topology: 'inverting-buck-boost',
      inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 40 },
      outputCapacitors: [{ capacitance: 220e-6, esr: 0.01 }],
      coupling: { coefficient: 0.3, polarity: 'direct' },
      control: { ...current, slopeCompensation: 3e5 },
      compensator: { ...ota, dividerTop: 14000, dividerBottom: 1000 },
    },
    brief: { outputVoltage: 12 },
    cycles: 60,
    iout: 3,
  },
};

(present ? describe : describe.skip)('several phases against an ODE solver, from rest', () => {
  test.each(Object.entries(cases))('%s', (_, { decisions, brief: own = {}, cycles, step, iout, prebias = 0 }) => {
    const { control, ...rest } = decisions as { control: object };
    const design = designWith({ ...rest, control: { ...control, startIntoBias: false } }, { ...brief, ...own });
    const { decisions: complete } = completeDecisions(design);
    const vin = design.brief.inputVoltage.nominal;
    const period = 1 / complete.switchingFrequency;
    const first = {
      at: -1,
      conductance: conductanceOf(design.brief, complete, iout),
      current: 0,
      currentSlope: 0,
      source: vin,
      sourceSlope: 0,
    };
    const corner = { inputVoltage: vin, outputCurrent: iout };
    const run = { design, decisions: complete, corner, options: { scenario: 'load-step' as const }, assumed: [] };
    const made = ready(design, complete, corner, [
      first,
      ...(step ? ramp(run, iout, step[1], 1e6, step[0] * period) : []),
    ]);
    const simulator = new Simulator(made.setup);
    const still = simulator.network.stateAt(prebias, 0);
    for (let k = 1; k < simulator.places.states; k += 1) simulator.state[k] = still[k]!;
    for (let k = 0; k < complete.phases; k += 1) simulator.state[k] = 0;
    simulator.startSoftly();
    simulator.begin([], true);
    const meter = new Meter(complete.phases, { waveforms: false, controls: false });
    simulator.run(cycles * period, meter);
    const c = made.setup.amplifier && complete.compensator;
    const { law } = made.setup;
    const { rectifier } = complete;
    const { stdout, stderr } = spawnSync(PYTHON, [script], {
      input: JSON.stringify({
        phases: complete.phases,
        period,
        topology: complete.topology,
        L: complete.inductor.inductance,
        RL: complete.inductor.resistance,
        Rc: complete.controlSwitch.onResistance,
        Rr: rectifier.kind === 'synchronous' ? rectifier.onResistance : 0,
        coupling: complete.coupling,
        banks: complete.outputCapacitors.map((one) => ({ C: one.capacitance, esr: one.esr, count: one.count })),
        vin,
        vout: design.brief.outputVoltage,
        iout,
        prebias,
        duration: cycles * period,
        step: step && { at: step[0] * period, to: step[1], slew: 1e6 },
        law: { ...law, currentLimit: undefined, overVoltage: undefined, ratio: made.setup.tapRatio },
        amplifier: c && {
          kind: c.amplifier,
          gm: c.transconductance,
          top: c.dividerTop,
          bottom: c.dividerBottom,
          R2: c.feedbackResistor,
          C1: c.feedbackCapacitor,
          shunt: c.shuntCapacitor,
          lead: c.type === 3 ? { R: c.inputResistor, C: c.inputCapacitor } : undefined,
        },
      }),
      encoding: 'utf8',
      timeout: 120_000,
    });
    expect(stderr).toBe('');
    const found = JSON.parse(stdout) as { state: number[]; pulses: number; peak: number[]; max: number };
    const { places, state } = simulator;
    const ours = [...state.slice(0, places.states), ...state.slice(places.firstOwn, places.one)];
    expect(simulator.pulses).toBe(found.pulses);
    expect(ours).toHaveLength(found.state.length);
    const scale = Math.max(1, ...found.peak);
    found.state.forEach((value, k) => expect(Math.abs(ours[k]! - value) / scale).toBeLessThan(1e-6));
    found.peak.forEach((value, k) => expect(meter.currents[k]!.measured.max / value).toBeCloseTo(1, 5));
  });
});
