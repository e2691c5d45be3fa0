import type { Cells } from '../network/circuit.ts';
import type { Topology } from '../design/schema.ts';

/** The resistances and drops of one leg's switches. */
export interface LegData {
  /** Ω */
  controlResistance: number;
  /** Ω; of the synchronous switch, or the diode's slope */
  rectifierResistance: number;
  /** V; 0 for a synchronous switch */
  rectifierDrop: number;
  /** V; drops of the body diodes that conduct in the dead time: the rectifier's, for positive inductor current, and the control switch's, for negative */
  bodyDiodeDrop: number;
  controlBodyDiodeDrop: number;
  /** whether the rectifier is a diode, which carries the current in a dead time as it does after it */
  diode?: boolean | undefined;
}

/** The resistances and drops of one phase's switches, as a topology needs them to lay out its network. */
export interface SwitchData extends LegData {
  /** the second leg of a four-switch stage */
  boostLeg: LegData;
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
  /** largest duty of the buck leg and smallest of the boost leg that the controller can give: a four-switch stage's regions */
  largestDuty: number;
  smallestBoostDuty: number;
}

export type SwitchNode = 'near' | 'far' | 'between';
export type Region = 'buck' | 'buck-boost' | 'boost';

/** The textbook forms of a two-state stage. All take the conditions of the stage that they are asked about. */
export interface ClosedForms {
  /** CCM duty with resistances and drops, from the averaged network; NaN when no duty gives the output */
  ccmDuty(conditions: StageConditions): number;
  /** DCM on-time and rectifier time as fractions of the period, lossless but for the rectifier's drop */
  dcmDuties(conditions: StageConditions): { duty: number; rectifierDuty: number };
  /** A, average of one phase's inductor current in CCM */
  inductorAverage(conditions: StageConditions, duty: number): number;
  /** A, peak to peak, straight ramps, for a duty */
  inductorRipple(conditions: StageConditions, duty: number): number;
  /** output over input voltage in CCM at a duty into a resistive load (Ω, of one phase's share), winding and switches included */
  ratioWithLosses(conditions: StageConditions, duty: number, resistance: number): number;
  /** K = 2L/(R·T) below which the stage is discontinuous at a duty */
  criticalK(duty: number): number;
  /** ratio in DCM, lossless */
  dcmRatio(duty: number, k: number): number;
  /** Hz, right-half-plane zero of control to output at a duty into a resistance; undefined when there is none */
  rightHalfPlaneZero(duty: number, resistance: number, inductance: number): number | undefined;
}

/** The duties of a four-switch stage while both its legs switch: one leg's is fixed at its limit, the other's is found. */
export interface Transition {
  duty: number;
  boostDuty: number;
  open: 'duty' | 'boostDuty';
}

/** One way of running a topology: its switch states for one phase, and the conditions its closed forms see. */
export interface Operation {
  region?: Region;
  cells: Cells;
  forms: ClosedForms;
  /** the stage's conditions with a resting leg's resistance and drop moved into winding and output */
  conditions: StageConditions;
  transition?: Transition;
  /** whether the duty found belongs to this way of running */
  accepts?: (duty: number) => boolean;
  /** what the found duty is: the buck leg's (and plain topologies'), or the boost leg's */
  dutyOf: 'control' | 'boostControl';
}

/** What only a topology knows: its switched network and the textbook forms beside it. */
export interface TopologyModel {
  id: Topology;
  name: string;
  /** ratio of output to input voltage for lossless CCM at a duty, and its inverse (control switch; four-switch: both legs together) */
  idealRatio(duty: number): number;
  idealDuty(ratio: number): number;
  /** duty of lossless CCM at which the inductor's ripple is largest for a fixed output voltage */
  worstRippleDuty: number;
  /** ways of running at these conditions, the likeliest first; the first that holds is taken */
  operations(conditions: StageConditions): Operation[];
  /** where current is chopped rather than smoothed by the inductor */
  pulsating: { input: boolean; output: boolean };
  /** switches of one phase */
  switches: number;
  /** V, ideal static stress of the control switch and rectifier */
  switchStress(inputVoltage: number, outputVoltage: number): { control: number; rectifier: number };
  /** the nodes that switch: at the inductor's input end, its output end, or the one end that is joined to both */
  switchNodes: readonly SwitchNode[];
  /** whether the output is below return */
  inverts: boolean;
}
