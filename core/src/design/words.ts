import { formatQuantity, type Unit } from '../quantity/index.ts';
import { listDifferences, type Difference } from './difference.ts';

/** What entries of a design are called, and their units, by path; a star stands for any place in a list. */
const WORDS: readonly (readonly [path: string, name: string, unit: Unit | 'text'])[] = [
  ['name', 'Name', 'text'],
  ['notes', 'Notes', 'text'],
  ['brief.inputVoltage.min', 'Minimum input', 'V'],
  ['brief.inputVoltage.nominal', 'Nominal input', 'V'],
  ['brief.inputVoltage.max', 'Maximum input', 'V'],
  ['brief.outputVoltage', 'Output voltage', 'V'],
  ['brief.outputCurrent.min', 'Lightest load', 'A'],
  ['brief.outputCurrent.max', 'Full load', 'A'],
  ['brief.outputRipple', 'Output ripple allowed', 'V'],
  ['brief.inputRipple', 'Input ripple allowed', 'V'],
  ['brief.loadStep.from', 'Load step from', 'A'],
  ['brief.loadStep.to', 'Load step to', 'A'],
  ['brief.loadStep.slewRate', 'Load step slew', 'A/s'],
  ['brief.loadStep.deviation', 'Load step, excursion allowed', 'V'],
  ['brief.loadStep.settlingTime', 'Load step, settled within', 's'],
  ['brief.load', 'Load', 'text'],
  ['brief.efficiency', 'Efficiency wanted', '%'],
  ['brief.ambientTemperature', 'Ambient', '°C'],
  ['brief.junctionTemperature', 'Maximum junction temperature', '°C'],
  ['brief.source', 'Source', 'text'],
  ['brief.sourceName', 'Source’s name', 'text'],
  ['brief.sourceResistance', 'Source resistance', 'Ω'],
  ['brief.sourceInductance', 'Source inductance', 'H'],
  ['brief.outputPolarity', 'Output polarity', 'text'],
  ['brief.inputFuse', 'Fuse at the source', 'A'],
  ['brief.keepClear.*.min', 'Band to keep clear, from', 'Hz'],
  ['brief.keepClear.*.max', 'Band to keep clear, to', 'Hz'],
  ['decisions.topology', 'Topology', 'text'],
  ['decisions.phases', 'Phases', ''],
  ['decisions.switchingFrequency', 'Switching frequency', 'Hz'],
  ['decisions.lightLoad', 'Light load', 'text'],
  ['decisions.rippleSchool', 'Ripple-ratio guideline', 'text'],
  ['decisions.rippleRatio', 'Ripple ratio', '%'],
  ['decisions.inductor.inductance', 'Inductance', 'H'],
  ['decisions.inductor.resistance', 'Winding resistance', 'Ω'],
  ['decisions.inductor.saturationCurrent', 'Saturation current', 'A'],
  ['decisions.coupling.coefficient', 'Coupling', ''],
  ['decisions.coupling.polarity', 'Coupling, sense', 'text'],
  ['decisions.coupling.arrangement', 'Coupling, arrangement', 'text'],
  ['decisions.conduction', 'Conduction', 'text'],
  ['decisions.critical.valleyCurrent', 'Negative valley current', 'A'],
  ['decisions.critical.nodeCapacitance', 'Node capacitance', 'F'],
  ['decisions.preload', 'Preload', 'A'],
  ['decisions.controlSwitch.onResistance', 'Control switch, RDS(on)', 'Ω'],
  ['decisions.controlSwitch.voltageRating', 'Control switch, voltage rating', 'V'],
  ['decisions.controlSwitch.bodyDiodeVoltage', 'Control switch, body diode', 'V'],
  ['decisions.rectifier.kind', 'Rectifier', 'text'],
  ['decisions.rectifier.onResistance', 'Rectifier, RDS(on)', 'Ω'],
  ['decisions.rectifier.forwardVoltage', 'Rectifier, forward voltage', 'V'],
  ['decisions.rectifier.resistance', 'Rectifier, dynamic resistance', 'Ω'],
  ['decisions.rectifier.voltageRating', 'Rectifier, voltage rating', 'V'],
  ['decisions.rectifier.bodyDiodeVoltage', 'Rectifier, body diode', 'V'],
  ['decisions.boostLeg.controlSwitch.onResistance', 'Boost leg’s control switch, RDS(on)', 'Ω'],
  ['decisions.boostLeg.rectifier.onResistance', 'Boost leg’s rectifier, RDS(on)', 'Ω'],
  ['decisions.outputCapacitors.*.capacitance', 'Output capacitor', 'F'],
  ['decisions.outputCapacitors.*.esr', 'Output capacitor, ESR', 'Ω'],
  ['decisions.outputCapacitors.*.esl', 'Output capacitor, ESL', 'H'],
  ['decisions.outputCapacitors.*.count', 'Output capacitors in parallel', ''],
  ['decisions.inputCapacitors.*.capacitance', 'Input capacitor', 'F'],
  ['decisions.inputCapacitors.*.esr', 'Input capacitor, ESR', 'Ω'],
  ['decisions.inputCapacitors.*.esl', 'Input capacitor, ESL', 'H'],
  ['decisions.inputCapacitors.*.count', 'Input capacitors in parallel', ''],
  ['decisions.outputFilter.inductance', 'Second-stage filter, inductance', 'H'],
  ['decisions.outputFilter.resistance', 'Second-stage filter, resistance', 'Ω'],
  ['decisions.outputFilter.capacitors.*.capacitance', 'Second-stage filter, capacitor', 'F'],
  ['decisions.outputFilter.feedback', 'Second-stage filter, output sensed', 'text'],
  ['decisions.control.method', 'Control method', 'text'],
  ['decisions.control.currentSenseFilter', 'Current-sense filter', 's'],
  ['decisions.control.referenceVoltage', 'Reference', 'V'],
  ['decisions.control.minimumOnTime', 'Minimum on-time', 's'],
  ['decisions.control.minimumOffTime', 'Minimum off-time', 's'],
  ['decisions.control.maximumDuty', 'Duty limit', '%'],
  ['decisions.control.deadTime', 'Dead time', 's'],
  ['decisions.compensator.dividerTop', 'Divider, top', 'Ω'],
  ['decisions.compensator.dividerBottom', 'Divider, bottom', 'Ω'],
];
const BY_PATH = new Map(WORDS.map(([path, name, unit]) => [path, { name, unit }]));

/** One difference between two designs, in words with units. */
export interface Change {
  path: string;
  name: string;
  from: string;
  to: string;
}

/** What an entry is called; its path where it has no name of its own. */
export function nameOfEntry(path: string): string {
  return wordsOf(path).name;
}

function wordsOf(path: string): { name: string; unit: Unit | 'text' } {
  const general = path.replace(/\.\d+(?=\.|$)/gu, '.*');
  const place = /\.(\d+)\./u.exec(path)?.[1];
  const found = BY_PATH.get(general);
  if (!found) return { name: path.replace(/^decisions\.|^brief\./u, ''), unit: 'text' };
  return place === undefined ? found : { ...found, name: `${found.name}, ${Number(place) + 1}` };
}

function text(value: unknown, unit: Unit | 'text', path: string): string {
  if (value === undefined) return path.startsWith('decisions.') ? 'free' : 'none';
  if (typeof value === 'number' && unit !== 'text') return formatQuantity(value, unit, { digits: 4 });
  if (typeof value === 'string') return value.length > 60 ? `${value.slice(0, 57)}…` : value.replace(/-/gu, ' ');
  if (typeof value === 'number') return String(value);
  return JSON.stringify(value).slice(0, 60);
}

/** Every leaf of a value that stands on one side alone, so that each is told by its own name. */
function leaves(difference: Difference): Difference[] {
  const { path, left, right } = difference;
  const whole = left ?? right;
  if ((left !== undefined && right !== undefined) || typeof whole !== 'object' || whole === null) return [difference];
  return Object.entries(whole).flatMap(([key, value]: [string, unknown]) =>
    leaves({
      path: `${path}.${key}`,
      left: left === undefined ? undefined : value,
      right: right === undefined ? undefined : value,
    }),
  );
}

/** What changed from one design to another, each entry by its name with units, in the designs' own order. */
export function describeChanges(from: unknown, to: unknown): Change[] {
  return listDifferences(from, to)
    .flatMap(leaves)
    .map(({ path, left, right }) => {
      const { name, unit } = wordsOf(path);
      return { path, name, from: text(left, unit, path), to: text(right, unit, path) };
    });
}
