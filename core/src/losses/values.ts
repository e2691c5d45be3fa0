import type { Decisions } from '../design/schema.ts';

/** Data-sheet values of a switch, of a rectifier of either kind, of a driver and of an inductor, each of one device. */
export type SwitchValues = NonNullable<Decisions['controlSwitch']>;
export type RectifierValues = NonNullable<Decisions['rectifier']>;
export type DriverValues = NonNullable<Decisions['control']>;
export type InductorValues = NonNullable<Decisions['inductor']>;

/** What a leg does in one period of a corner. */
export interface LegEdges {
  /** A in the inductor as the control switch turns on and off; undefined where the leg rests */
  on: number;
  off: number;
}
