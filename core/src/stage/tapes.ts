import type { Tape } from '../area.ts';
import { valueAt } from '../design/decision.ts';
import { fieldOf } from '../design/fieldRecords.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { StageQuantity } from './quantities/index.ts';

type StageTape = Tape<CompleteDecisions, StageQuantity>;

const bankCount = (key: 'outputCapacitors' | 'inputCapacitors', name: string): StageTape => ({
  path: key,
  name,
  unit: '',
  kind: 'count',
  quantity: key === 'outputCapacitors' ? 'outputCapacitance' : 'inputCapacitance',
  read: (decisions) => decisions[key][0]!.count,
  write: (decisions, value) =>
    decisions[key].map((bank, index) => (index === 0 ? { ...bank, count: Math.max(1, Math.round(value)) } : bank)),
  range: (decisions) => ({ low: 1, high: Math.max(16, decisions[key][0]!.count * 2) }),
});

/** The decisions that the Stage rung shows as tapes. */
export const stageTapes: readonly StageTape[] = [
  {
    path: 'switchingFrequency',
    name: 'Frequency',
    unit: 'Hz',
    kind: 'frequency',
    quantity: 'switchingFrequency',
    series: 'E24',
    read: (decisions) => decisions.switchingFrequency,
    write: (_, value) => value,
    range: () => ({ low: 50e3, high: 3e6 }),
  },
  {
    path: 'inductor.inductance',
    name: 'Inductance',
    unit: 'H',
    kind: 'part',
    quantity: 'inductance',
    series: 'E12',
    read: (decisions) => decisions.inductor.inductance,
    write: (_, value) => value,
    range: (decisions) => ({ low: decisions.inductor.inductance / 10, high: decisions.inductor.inductance * 10 }),
  },
  {
    path: 'phases',
    name: 'Phases',
    unit: '',
    kind: 'count',
    quantity: 'phases',
    read: (decisions) => decisions.phases,
    write: (_, value) => Math.min(8, Math.max(1, Math.round(value))),
    range: () => ({ low: 1, high: 8 }),
  },
  bankCount('outputCapacitors', 'Output bank'),
  bankCount('inputCapacitors', 'Input bank'),
];

/** A decision that is one number, on a tape a decade either side of its value, or from `least` where that is nothing. */
const number = (path: string, quantity: StageQuantity, least: number, most = Infinity): StageTape => {
  const read = (decisions: CompleteDecisions): number => (valueAt(decisions, path) as number | undefined) ?? 0;
  const { name, unit = '' } = fieldOf(`decisions.${path}`)!;
  return {
    path,
    name,
    unit,
    kind: 'part',
    quantity,
    series: 'E24',
    read: (decisions) => Math.max(least, read(decisions)),
    write: (_, value) => Math.min(most, value),
    range: (decisions) => {
      const value = Math.max(least, read(decisions));
      return { low: Math.max(least, value / 10), high: Math.min(most, Math.max(value * 10, least * 100)) };
    },
  };
};

/** Tapes of the decisions that have none of their own on screen until asked for. */
export const moreStageTapes: readonly StageTape[] = [
  number('rippleRatio', 'rippleRatio', 0.02, 2),
  number('inductor.resistance', 'windingResistance', 1e-5),
  number('inductor.saturationCurrent', 'saturationCurrent', 1e-3),
  number('controlSwitch.onResistance', 'controlResistance', 1e-5),
  number('rectifier.onResistance', 'rectifierResistance', 1e-5),
  number('rectifier.forwardVoltage', 'rectifierDrop', 0.01, 5),
  number('rectifier.resistance', 'rectifierResistance', 1e-5),
  number('control.minimumOnTime', 'minimumOnTime', 1e-9),
  number('control.minimumOffTime', 'minimumOffTime', 1e-9),
  number('control.maximumDuty', 'maximumDuty', 0.1, 1),
  number('control.deadTime', 'deadTime', 1e-9),
  number('control.rampAmplitude', 'rampAmplitude', 0.01, 20),
  number('control.rampGain', 'rampGain', 1e-4, 10),
  number('control.currentSenseGain', 'currentSenseGain', 1e-6),
  number('control.slopeCompensation', 'slopeCompensation', 1),
  number('control.currentLimit', 'currentLimit', 1e-3),
  number('control.softStart', 'softStart', 1e-6),
  number('control.rippleInjection.resistor', 'injectedRipple', 1),
  number('coupling.coefficient', 'inductorRipple', 0.01, 0.99),
  number('critical.valleyCurrent', 'inductorValley', 1e-3),
  number('critical.nodeCapacitance', 'inductorValley', 1e-12),
  number('preload', 'lossPreload', 1e-4),
  number('outputFilter.inductance', 'outputRipple', 1e-9),
  number('boostLeg.controlSwitch.onResistance', 'controlResistance', 1e-5),
  number('boostLeg.rectifier.onResistance', 'rectifierResistance', 1e-5),
];
