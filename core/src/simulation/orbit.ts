import type { Mode } from './mode.ts';
import type { Row } from './rows.ts';

/*
 * What a run did, step by step, in a form in which a small change of its start can be carried through it: over each
 * stretch by the stretch’s exponential, over each edge by how the edge’s own time follows the change.
 * Source of the edge’s rule (the saltation matrix): Leine and Nijmeijer, Dynamics and Bifurcations of Non-Smooth
 * Mechanical Systems, 2004, chapter 7; recalled from memory.
 */

/** What decides when an edge comes. */
export type Timing =
  /** the clock: it does not move */
  | { kind: 'clock' }
  /** so long after another moment: a part of the period that is the digital controller's duty, or of phase 1's last period */
  | { kind: 'timer'; timer: number; duty: number; ofLast?: number }
  /** a quantity that rises through zero at `rate` V/s: its row, and what a later start of its ramp takes from it */
  | { kind: 'watch'; row: Row; rate: number; timer: number; rampRate: number };

/** Numbers of the moments that a run remembers. */
export class Timers {
  private readonly phases: number;
  constructor(phases: number) {
    this.phases = phases;
  }
  /** a phase's pulse, and the end of its dead time */
  since(k: number): number {
    return k;
  }
  dead(k: number): number {
    return this.phases + k;
  }
  /** the last pulse's end, whichever phase's */
  get lastEnd(): number {
    return 2 * this.phases;
  }
  /** not a moment: the duty that a digital controller decided */
  get duty(): number {
    return 2 * this.phases + 1;
  }
  get count(): number {
    return 2 * this.phases + 2;
  }
}

export type OrbitStep =
  | { kind: 'carry'; mode: Mode; length: number; from: number }
  | {
      kind: 'edge';
      at: number;
      timing: Timing;
      /** slopes of all states just before and just after */
      before: number[];
      after: number[];
      /** V and A that the output and the input's current lose at it */
      outputDrop: number;
      inputDrop: number;
      /** the same of what is sensed, where that is not the output */
      beforeDrop: number;
      /** what it does to the state at once, in this order */
      jumps: Jump[];
      /** moments that it sets */
      marks: number[];
      /** whether phase 1's period ends with it, which the memory then holds */
      measures?: boolean;
    }
  | { kind: 'sample'; row: Row }
  | { kind: 'decide'; clamped: boolean };

/** Steps of chopped currents that inductive branches take (share of the sum of change·current), and windings put to rest. */
export type Jump =
  | { kind: 'step'; change: number[]; shares: readonly { state: number; share: number }[] }
  | { kind: 'rest'; phase: number };
