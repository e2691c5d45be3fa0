import type { StageScene } from '../scene.ts';
import type { Quantity } from '../../explain/form.ts';

/** What the person gives: the brief and the decisions. */
export const givenQuantities = {
  inputVoltage: {
    name: 'Input voltage',
    symbol: 'V_\\mathrm{in}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.inputVoltage,
    setBy: 'brief.inputVoltage',
  },
  outputVoltage: {
    name: 'Output voltage',
    symbol: 'V_\\mathrm{out}',
    unit: 'V',
    kind: 'voltage',
    value: ({ design }) => design.brief.outputVoltage,
    setBy: 'brief.outputVoltage',
  },
  outputCurrent: {
    name: 'Load current',
    symbol: 'I_\\mathrm{out}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.outputCurrent,
    setBy: 'brief.outputCurrent',
  },
  maximumDuty: {
    name: 'Duty limit',
    symbol: 'D_\\mathrm{max}',
    unit: '%',
    kind: 'ratio',
    value: ({ result }) => result.decisions.control.maximumDuty,
    setBy: 'decisions.control.maximumDuty',
  },
  deadTime: {
    name: 'Dead time, each edge',
    symbol: 't_\\mathrm{d}',
    unit: 's',
    kind: 'time',
    value: ({ result }) => result.decisions.control.deadTime,
    setBy: 'decisions.control.deadTime',
  },
  rampAmplitude: {
    name: 'Ramp amplitude',
    symbol: 'V_\\mathrm{m}',
    unit: 'V',
    kind: 'voltage',
    value: ({ result }) => result.decisions.control.rampAmplitude,
    setBy: 'decisions.control.rampAmplitude',
  },
  rampGain: {
    name: 'Ramp over input',
    symbol: 'k_\\mathrm{m}',
    unit: '',
    kind: 'ratio',
    value: ({ result }) => result.decisions.control.rampGain,
    setBy: 'decisions.control.rampGain',
  },
  currentSenseGain: {
    name: 'Current-sense gain',
    symbol: 'R_\\mathrm{i}',
    unit: 'V/A',
    kind: 'ratio',
    value: ({ result }) => result.decisions.control.currentSenseGain,
    setBy: 'decisions.control.currentSenseGain',
  },
  slopeCompensation: {
    name: 'Slope compensation',
    symbol: 'm_\\mathrm{a}',
    unit: 'V/s',
    kind: 'voltage',
    value: ({ result }) => result.decisions.control.slopeCompensation,
    setBy: 'decisions.control.slopeCompensation',
  },
  currentLimit: {
    name: 'Current limit, one phase',
    symbol: 'I_\\mathrm{lim}',
    unit: 'A',
    kind: 'current',
    value: ({ result }) => result.decisions.control.currentLimit,
    setBy: 'decisions.control.currentLimit',
  },
  softStart: {
    name: 'Soft start',
    symbol: 't_\\mathrm{ss}',
    unit: 's',
    kind: 'time',
    value: ({ result }) => result.decisions.control.softStart,
    setBy: 'decisions.control.softStart',
  },
  injectedRipple: {
    name: 'Injected ripple',
    symbol: '\\Delta V_\\mathrm{fb}',
    unit: 'V',
    kind: 'voltage',
    value: ({ design: { brief }, result: { decisions }, point }) => {
      const network = decisions.control.rippleInjection;
      const across = (point.inputVoltage - brief.outputVoltage) * (point.duty / point.switchingFrequency);
      return network && across / (network.resistor * network.capacitor);
    },
    setBy: 'decisions.control.rippleInjection.resistor',
  },
  phases: {
    name: 'Phases',
    symbol: 'N',
    unit: '',
    kind: 'ratio',
    value: ({ result }) => result.decisions.phases,
    setBy: 'decisions.phases',
  },
} as const satisfies Record<string, Quantity<StageScene>>;
