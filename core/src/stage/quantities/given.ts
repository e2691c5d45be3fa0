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
  phases: {
    name: 'Phases',
    symbol: 'N',
    unit: '',
    kind: 'ratio',
    value: ({ result }) => result.decisions.phases,
    setBy: 'decisions.phases',
  },
} as const satisfies Record<string, Quantity<StageScene>>;
