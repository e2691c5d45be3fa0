import type { Decisions } from '../design/schema.ts';

/** Data-sheet values of a switch, of a rectifier of either kind, of a driver and of an inductor, each of one device. */
export type SwitchValues = NonNullable<Decisions['controlSwitch']>;
export type RectifierValues = NonNullable<Decisions['rectifier']>;
export type DriverValues = NonNullable<Decisions['control']>;
export type InductorValues = NonNullable<Decisions['inductor']>;
export type SnubberValues = NonNullable<Decisions['snubber']>;

/** What a leg that switches does at a corner. */
export interface LegAt {
  /** A in the inductor as the control switch turns on and off */
  on: number;
  off: number;
  /** whether it turns on in continuous conduction against a current that flows forward */
  hard: boolean;
  /** V across the control switch after a rest, once the ring has died; undefined where there is no rest */
  rested: number | undefined;
  /** V across the control switch while it is off */
  blocking: number;
  /** turn-ons a second */
  frequency: number;
  inputVoltage: number;
  /** V, magnitude */
  outputVoltage: number;
  /** of its rectifier: part of the period for which it conducts, V across it while it does not, °C */
  blocked: Blocked;
}

export interface Blocked {
  conducts: number;
  blocking: number;
  temperature: number | undefined;
}
