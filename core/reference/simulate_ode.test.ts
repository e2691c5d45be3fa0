import { describe, expect, test } from '@jest/globals';
import type { CompleteDecisions } from '../src/design/complete.ts';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';
import { apart, measuredApart, OTA, runFromRest, type Said } from './fromRest.ts';
import { asked, present } from './python.ts';

// The reference is SciPy's DOP853 from switching to switching, on equations written down anew: core/reference/simulate_ode.py.
// docs/sources.md, N-3.

const opAmp = { amplifier: 'op-amp', ...TYPE_3, outputMinimum: 0, outputMaximum: 1.4 };
// the lead's parts, which type 2 does not use, keep the divider beside them
const ota = { ...TYPE_3, ...OTA, outputMinimum: 0, outputMaximum: 2 };
const voltage = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 };
const current = {
  method: 'peak-current-mode',
  referenceVoltage: 0.8,
  currentSenseGain: 0.1,
  slopeCompensation: 6e4,
};
const bank = { outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }] };
const saturating = {
  inductance: 4.7e-6,
  resistance: 0.009,
  saturationCurrent: 11,
  inductanceCurve: [
    [0, 4.7e-6],
    [4, 4.2e-6],
    [8, 2.2e-6],
    [12, 1.2e-6],
  ],
};
const two = {
  outputCapacitors: [
    { capacitance: 100e-6, esr: 0.03 },
    { capacitance: 10e-6, esr: 0.004, count: 2 },
  ],
};

interface Case {
  decisions: object;
  brief?: object;
  cycles: number;
  /** A from a clock on, at 1 MA/s; V of the source, at 0.5 V/µs */
  step?: [cycle: number, to: number];
  line?: [cycle: number, to: number];
  iout?: number;
  prebias?: number;
  /** of the states: a choke's steps follow its curve so closely */
  tolerance?: number;
}

const boost = {
  topology: 'boost',
  inductor: { inductance: 22e-6, resistance: 0.02, saturationCurrent: 20 },
  outputCapacitors: [{ capacitance: 47e-6, esr: 0.01 }],
};
const boostBrief = { inputVoltage: { min: 10, nominal: 12, max: 15 }, outputVoltage: 24 };

const cases: Record<string, Case> = {
  'voltage mode, type 3, soft start and a load step': {
    decisions: { ...bank, control: { ...voltage, softStart: 1e-4 }, compensator: opAmp },
    cycles: 90,
    step: [60, 5],
    iout: 2,
  },
  'peak current through a filter before its comparator, soft start and a load step': {
    decisions: { ...bank, control: { ...current, currentSenseFilter: 3e-7, softStart: 1e-4 }, compensator: ota },
    cycles: 90,
    step: [60, 5],
    iout: 2,
  },
  'a bank of electrolytics with series inductance, through a load step': {
    decisions: {
      ...bank,
      outputCapacitors: [
        { capacitance: 100e-6, esr: 0.03, esl: 15e-9, count: 2 },
        { capacitance: 47e-6, esr: 0.02, esl: 8e-9 },
      ],
      control: { ...current, softStart: 5e-5, overVoltage: 3 },
      compensator: ota,
    },
    cycles: 40,
    step: [32, 2],
    iout: 6,
  },
  'an amplifier at its limits, of finite bandwidth, from a step of the reference': {
    decisions: {
      ...two,
      control: { ...voltage, maximumDuty: 0.8, overVoltage: 3 },
      compensator: { ...opAmp, gainBandwidth: 3e6, openLoopGain: 1e4 },
    },
    cycles: 60,
    iout: 3,
  },
  'an amplifier that slews, through a load step': {
    decisions: {
      ...two,
      control: { ...voltage, maximumDuty: 0.8, overVoltage: 3, softStart: 4e-5 },
      compensator: { ...opAmp, gainBandwidth: 3e6, openLoopGain: 1e4, slewRate: 2e4 },
    },
    cycles: 80,
    step: [50, 6],
    iout: 2,
  },
  'the same, ideal': {
    decisions: { ...two, control: { ...voltage, overVoltage: 3 }, compensator: opAmp },
    cycles: 60,
    iout: 3,
  },
  'feedforward, while the line slews': {
    decisions: {
      ...bank,
      control: { ...voltage, method: 'voltage-mode-feedforward', rampGain: 0.06, softStart: 8e-5 },
      compensator: opAmp,
    },
    cycles: 90,
    line: [55, 30],
    iout: 4,
  },
  'peak current mode with a transconductance amplifier and a limit': {
    decisions: {
      ...two,
      control: { ...current, currentLimit: 8.5, softStart: 5e-5 },
      compensator: { ...ota, outputCurrentLimit: 1e-4 },
    },
    cycles: 80,
    step: [50, 6],
    iout: 1.5,
  },
  'a diode at light load, into a bias': {
    decisions: {
      ...bank,
      rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.01 },
      control: { ...voltage, softStart: 1e-4 },
      compensator: opAmp,
    },
    cycles: 80,
    iout: 0.2,
    prebias: 1,
  },
  'above its highest voltage no pulse comes': {
    decisions: {
      ...two,
      control: { ...voltage, maximumDuty: 0.7, overVoltage: 1.04 },
      compensator: opAmp,
    },
    cycles: 90,
    step: [60, 1],
    iout: 4,
  },
  'an overload limits, hiccups and starts anew, twice': {
    decisions: {
      ...two,
      control: { ...current, currentLimit: 7, hiccup: { pulses: 6, offTime: 3.1e-5 }, softStart: 3e-5 },
      compensator: { ...ota, outputCurrentLimit: 1e-4 },
    },
    cycles: 110,
    step: [20, 14],
    iout: 2,
  },
  'constant on-time with injected ripple': {
    decisions: {
      ...bank,
      control: {
        method: 'constant-on-time',
        referenceVoltage: 0.8,
        onTime: 3.4e-7,
        minimumOffTime: 3e-7,
        softStart: 6e-5,
        rippleInjection: { resistor: 30e3, capacitor: 1e-9, coupling: 4.7e-9 },
      },
      compensator: { dividerTop: 10000, dividerBottom: 3200 },
    },
    cycles: 60,
    iout: 4,
  },
  'constant on-time on the bank’s own ripple': {
    decisions: {
      outputCapacitors: [{ capacitance: 47e-6, esr: 0.03 }],
      control: {
        method: 'constant-on-time',
        referenceVoltage: 0.8,
        onTime: 4e-7,
        minimumOffTime: 2e-7,
        softStart: 6e-5,
      },
      compensator: { dividerTop: 10000, dividerBottom: 3200 },
    },
    cycles: 60,
    iout: 3,
  },
  'digital, delayed and quantised': {
    decisions: {
      ...bank,
      control: {
        method: 'digital',
        referenceVoltage: 0.8,
        maximumDuty: 0.6,
        overVoltage: 3,
        digital: {
          numerator: [0.11, -0.1],
          denominator: [1, -1],
          sampleDelay: 0.5,
          dutyResolution: 512,
          converterStep: 0.01,
        },
      },
    },
    cycles: 60,
    iout: 4,
  },
  'digital, sampled a period before': {
    decisions: {
      ...bank,
      control: {
        method: 'digital',
        referenceVoltage: 0.8,
        maximumDuty: 0.6,
        overVoltage: 3,
        digital: { numerator: [0.05, -0.045], denominator: [1, -1], sampleDelay: 1 },
      },
    },
    cycles: 50,
    iout: 4,
  },
  'digital, into a bias that was sampled before the first clock': {
    decisions: {
      ...bank,
      control: {
        method: 'digital',
        referenceVoltage: 0.8,
        maximumDuty: 0.6,
        overVoltage: 3,
        digital: { numerator: [0.05, -0.045], denominator: [1, -1], sampleDelay: 0.3 },
      },
    },
    cycles: 30,
    iout: 2,
    prebias: 2,
  },
  'an amplifier that begins below its lowest output': {
    decisions: {
      ...bank,
      control: { ...voltage, softStart: 8e-5 },
      compensator: { ...opAmp, outputMinimum: 0.05, gainBandwidth: 5e6, openLoopGain: 1e4 },
    },
    cycles: 60,
    iout: 2,
  },
  'after a pause capacitors hold their charge, and the amplifier goes to its limit': {
    decisions: {
      ...bank,
      control: { ...voltage, currentLimit: 7, hiccup: { pulses: 6, offTime: 3.1e-5 }, softStart: 3e-5 },
      compensator: { ...opAmp, outputMinimum: 0.03 },
    },
    cycles: 90,
    step: [30, 14],
    iout: 2,
  },
  'dead times at light load, current of either sign through the body diodes': {
    decisions: {
      ...bank,
      control: { ...voltage, softStart: 8e-5, deadTime: 4e-8 },
      compensator: opAmp,
    },
    cycles: 80,
    step: [60, 3],
    iout: 0.1,
  },
  'a choke that saturates in a soft start and a load step': {
    decisions: {
      ...bank,
      inductor: saturating,
      control: { ...voltage, softStart: 8e-5 },
      compensator: opAmp,
    },
    cycles: 90,
    step: [60, 8],
    iout: 2,
    tolerance: 2e-5,
  },
  'the same in a run of so many cycles that its choke is told more coarsely': {
    decisions: {
      ...bank,
      inductor: saturating,
      control: { ...voltage, softStart: 2e-4 },
      compensator: opAmp,
    },
    cycles: 220,
    step: [160, 8],
    iout: 2,
    tolerance: 2e-4,
  },
  'a boost in peak current mode': {
    decisions: {
      ...boost,
      control: { ...current, softStart: 4e-4, slopeCompensation: 2e5, overVoltage: 3 },
      compensator: { ...ota, dividerTop: 29000, dividerBottom: 1000 },
    },
    brief: boostBrief,
    cycles: 100,
    iout: 1,
    prebias: 12,
  },
  'an inverting stage in peak current mode, through a load step': {
    decisions: {
      ...boost,
      topology: 'inverting-buck-boost',
      control: { ...current, softStart: 3e-4, slopeCompensation: 2e5, overVoltage: 3 },
      compensator: { ...ota, dividerTop: 14000, dividerBottom: 1000 },
    },
    brief: { ...boostBrief, outputVoltage: 12 },
    cycles: 110,
    step: [80, 1.5],
    iout: 0.8,
  },
  'an inverting stage with a diode in voltage mode': {
    decisions: {
      ...boost,
      topology: 'inverting-buck-boost',
      rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.02 },
      control: { ...voltage, maximumDuty: 0.55, overVoltage: 3 },
      compensator: { ...opAmp, dividerTop: 14000, dividerBottom: 1000 },
    },
    brief: { ...boostBrief, outputVoltage: 12 },
    cycles: 80,
    iout: 0.5,
  },
  'a four-switch stage whose boost leg rests': {
    decisions: {
      ...two,
      topology: 'four-switch-buck-boost',
      control: { ...voltage, overVoltage: 3 },
      compensator: opAmp,
    },
    cycles: 70,
    step: [50, 5],
    iout: 3,
  },
  'a four-switch stage whose buck leg rests, in peak current mode': {
    decisions: {
      ...boost,
      topology: 'four-switch-buck-boost',
      control: { ...current, slopeCompensation: 2e5, overVoltage: 3, startIntoBias: false },
      compensator: { ...ota, dividerTop: 29000, dividerBottom: 1000 },
    },
    brief: boostBrief,
    cycles: 80,
    iout: 1,
    prebias: 12,
  },
};

function restingOf({ topology, rectifier, controlSwitch }: CompleteDecisions, boostRests: boolean): number {
  if (topology !== 'four-switch-buck-boost') return 0;
  const passing = rectifier.kind === 'synchronous' ? Number(rectifier.onResistance) : 0;
  return boostRests ? passing : controlSwitch.onResistance;
}

(present ? describe : describe.skip)('simulated against an ODE solver, from rest', () => {
  test.each(Object.entries(cases))(
    '%s',
    async (_, { decisions, brief = {}, iout = 3, prebias = 0, tolerance = 1e-6, ...rest }) => {
      const design = designWith(decisions, brief);
      const ran = runFromRest({ design, iout, prebias, ...rest });
      const { outputVoltage, inputVoltage } = design.brief;
      const { topology, inductor } = ran.decisions;
      const boostRests = outputVoltage < inputVoltage.nominal;
      const { said, complaint } = await asked('simulate_ode.py', {
        ...ran.request,
        topology: topology === 'four-switch-buck-boost' ? (boostRests ? 'buck' : 'boost') : topology,
        // the switch of a four-switch stage's resting leg that stays on lies in series with the winding
        RL: inductor.resistance + restingOf(ran.decisions, boostRests),
      });
      expect(complaint).toBe('');
      const found = said as Said;
      expect(ran.simulator.pulses).toBe(found.pulses);
      const { max } = ran.meter.output.measured;
      expect(apart(ran.states, found.state, tolerance * Math.max(1, max))).toEqual([]);
      expect(measuredApart(ran, found, Math.max(1, tolerance / 1e-6))).toEqual([]);
    },
  );
});
