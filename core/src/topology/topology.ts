import type { Cell, CellName } from '../network/circuit.ts';
import type { Topology } from '../design/schema.ts';

/** The resistances and drops of one phase's switches, as a topology needs them to lay out its network. */
export interface SwitchData {
  /** Ω */
  controlResistance: number;
  /** Ω; of the synchronous switch, or the diode's slope */
  rectifierResistance: number;
  /** V; 0 for a synchronous switch */
  rectifierDrop: number;
  /** V; drop of the body diodes that conduct in the dead time */
  bodyDiodeDrop: number;
}

/** The conditions that closed forms of an operating point start from. SI units; output as a magnitude. */
export interface StageConditions extends SwitchData {
  inputVoltage: number;
  outputVoltage: number;
  /** A, of the whole stage */
  outputCurrent: number;
  phases: number;
  switchingFrequency: number;
  inductance: number;
  windingResistance: number;
  /** s, at each of the two edges; 0 with a diode */
  deadTime: number;
}

/** What only a topology knows: its switched network and the textbook forms beside it. */
export interface TopologyModel {
  id: Topology;
  name: string;
  /** the network's switch states for one phase */
  cells(data: SwitchData): Record<CellName, Cell>;
  /** ratio of output to input voltage for lossless CCM at a duty, and its inverse */
  idealRatio(duty: number): number;
  idealDuty(ratio: number): number;
  /** CCM duty with resistances and drops, from the averaged network; NaN when no duty gives the output */
  ccmDuty(conditions: StageConditions): number;
  /** DCM on-time and rectifier time as fractions of the period, lossless but for the rectifier's drop */
  dcmDuties(conditions: StageConditions): { duty: number; rectifierDuty: number };
  /** A, average of one phase's inductor current in CCM */
  inductorAverage(conditions: StageConditions, duty: number): number;
  /** A, peak to peak, straight ramps, for a duty */
  inductorRipple(conditions: StageConditions, duty: number): number;
}
