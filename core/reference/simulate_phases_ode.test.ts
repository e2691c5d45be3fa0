import { describe, expect, test } from '@jest/globals';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';
import { OTA, runFromRest } from './fromRest.ts';
import { asked, present } from './python.ts';

// Several phases, coupled or not, against SciPy's DOP853 on equations written anew: simulate_phases_ode.py. docs/sources.md, N-5.

const opAmp = { amplifier: 'op-amp', ...TYPE_3 };
const voltage = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5, overVoltage: 4 };
const current = {
  method: 'peak-current-mode',
  referenceVoltage: 0.8,
  currentSenseGain: 0.1,
  slopeCompensation: 1e5,
  overVoltage: 4,
};
const average = {
  method: 'average-current-mode',
  referenceVoltage: 0.8,
  rampAmplitude: 1.5,
  currentSenseGain: 0.1,
  currentAmplifier: {
    inputResistor: 1000,
    feedbackResistor: 900,
    feedbackCapacitor: 22e-9,
    shuntCapacitor: 470e-12,
  },
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
    decisions: { ...phases(3), control: current, compensator: { ...OTA, ...divided } },
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
      compensator: { ...OTA, dividerTop: 29000, dividerBottom: 1000 },
    },
    brief: { outputVoltage: 24 },
    cycles: 80,
    iout: 3,
    prebias: 12,
  },
  'three phases in average current mode, through a load step': {
    decisions: { ...phases(3), control: average, compensator: { ...OTA, ...divided } },
    cycles: 60,
    step: [40, 30],
    iout: 15,
  },
  'a boost in average current mode': {
    decisions: {
      ...phases(1),
      topology: 'boost',
      inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 40 },
      outputCapacitors: [{ capacitance: 100e-6, esr: 0.01 }],
      control: average,
      compensator: { ...opAmp, type: 3, dividerTop: 29000, dividerBottom: 1000 },
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
      compensator: { ...OTA, dividerTop: 14000, dividerBottom: 1000 },
    },
    brief: { outputVoltage: 12 },
    cycles: 60,
    iout: 3,
  },
};

(present ? describe : describe.skip)('several phases against an ODE solver, from rest', () => {
  test.each(Object.entries(cases))('%s', async (_, { decisions, brief: own = {}, prebias = 0, ...rest }) => {
    const { control, ...others } = decisions as { control: object };
    const design = designWith({ ...others, control: { ...control, startIntoBias: false } }, { ...brief, ...own });
    const ran = runFromRest({ design, prebias, ...rest });
    const { phases: count, coupling } = ran.decisions;
    const { said, complaint } = await asked('simulate_phases_ode.py', { ...ran.request, phases: count, coupling });
    expect(complaint).toBe('');
    const found = said as { state: number[]; pulses: number; peak: number[] };
    expect(ran.simulator.pulses).toBe(found.pulses);
    expect(ran.states).toHaveLength(found.state.length);
    const scale = Math.max(1, ...found.peak);
    found.state.forEach((value, k) => expect(Math.abs(ran.states[k]! - value) / scale).toBeLessThan(1e-6));
    found.peak.forEach((value, k) => expect(ran.meter.currents[k]!.measured.max / value).toBeCloseTo(1, 5));
  });
});
