import type { Vector } from '../numbers/linear.ts';
import type { AmplifierMode } from './amplifier.ts';
import { CELL_CODES, type Roles, type Setup } from './modulator.ts';

/** `turning` and `through` are a four-switch stage's while both its legs switch: between charge and release. */
export type Gate = 'on' | 'turning' | 'through' | 'dead' | 'rectifier' | 'off';
export type Path = 'forward' | 'reverse' | 'idle';

/** No moment: the reference stands, no dead time runs, nothing rests. */
export const NONE = -1;

/** What one phase's switches are told, and what its current does where they leave it to decide. */
export interface Phase {
  gate: Gate;
  path: Path;
  /** s: when its present pulse began, how long that lasts at least by the policy for light load, and its next clock */
  since: number;
  least: number;
  clock: number;
  /** s: end of a dead time, and the moment before the next clock at which its rectifier is let go */
  deadUntil: number;
  duty: number;
  /** whether its pulse follows the dead time that runs */
  awaits: boolean;
  /** whether its rectifier lets negative current pass where it else blocks it */
  whole: boolean;
  /** critical conduction: whether its pulse of phase 1’s present period is still to come */
  owes: boolean;
  limited: boolean;
  limitedInRow: number;
  pulses: number;
}

/** Phases before anything happens, their clocks apart by a part of the period. */
export function freshPhases({ phases, period }: Pick<Setup, 'phases' | 'period'>): Phase[] {
  return Array.from({ length: phases }, (_, k): Phase => ({
    gate: 'rectifier',
    path: 'idle',
    since: 0,
    least: 0,
    clock: (k * period) / phases,
    deadUntil: NONE,
    duty: 0,
    awaits: false,
    whole: false,
    owes: false,
    limited: false,
    limitedInRow: 0,
    pulses: 0,
  }));
}

/** Whether a phase's pulse goes on: its control switch conducts. */
export const drives = ({ gate }: Phase): boolean => gate === 'on' || gate === 'through' || gate === 'turning';

/** The switch state, by its number, that a phase's rectifier conducts in. */
export function forwardCode({ gate, deadUntil }: Phase, diode: boolean, { transition }: Roles): number {
  if (diode || gate === 'rectifier') return CELL_CODES.rectifier;
  // before the charge both legs are let go, after the passage only one
  return transition && deadUntil === NONE ? CELL_CODES.deadBoth : CELL_CODES.deadForward;
}

/** The switch state that a phase stands in. @param blocks whether its rectifier lets no negative current pass */
export function codeOf(phase: Phase, diode: boolean, roles: Roles, blocks: boolean): number {
  if (phase.gate === 'on') return CELL_CODES.control;
  if (phase.gate === 'through') return CELL_CODES.through;
  if (phase.gate === 'turning') return CELL_CODES.deadThrough;
  if (phase.gate === 'rectifier' && !diode && (!blocks || phase.whole)) return CELL_CODES.rectifier;
  if (phase.path === 'reverse') return CELL_CODES.deadReverse;
  if (phase.path === 'idle') return CELL_CODES.idle;
  return forwardCode(phase, diode, roles);
}

/** What a run can be taken up again from. */
export interface Snapshot {
  state: Vector;
  time: number;
  phases: Phase[];
  levels: number[];
  amplifierModes: AmplifierMode[];
  memory: Vector;
  turn: number;
  segment: number;
  lastEnd: number;
  over: boolean;
  locked: boolean;
  restUntil: number;
  rampFrom: number;
  band: number;
  roles: Roles;
  handedOver: number;
}
