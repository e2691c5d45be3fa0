import type { Design } from '../design/schema.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import type { Unit } from '../quantity/index.ts';
import type { Result } from '../solve.ts';

/** What an explanation may look at: the design, its result, and the operating point asked about. */
export interface Scene {
  design: Design;
  result: Result;
  point: OperatingPoint;
}

/** What a quantity is, for its colour and its cursor. */
export type Kind = 'voltage' | 'current' | 'power' | 'frequency' | 'time' | 'ratio' | 'part';

/**
 * A textbook form of a quantity, kept as data. `tex` names its inputs as \q{id}: set with symbols it is the formula,
 * set with figures it is the same with this design's numbers.
 */
export interface Form {
  tex: string;
  inputs: readonly string[];
  evaluate: (value: (id: string) => number) => number;
  /** what it assumes and the mode it holds for */
  holds: string;
  source: string;
}

/** A quantity of a design: what it is called, where its value is found and, where it is computed, by which form. */
export interface Quantity {
  name: string;
  symbol: string;
  unit: Unit;
  kind: Kind;
  value: (scene: Scene) => number | undefined;
  /** the form that explains it at this point; none for what the person gave */
  form?: (scene: Scene) => Form | undefined;
  /** the decision or brief entry that sets it, as a path in the document */
  setBy?: string;
  /** true when the value shown was measured on the exact waveform and the form only approximates it */
  exact?: boolean;
}

export const ERICKSON = (chapter: string): string =>
  `Erickson and Maksimović, Fundamentals of Power Electronics, ${chapter} (recalled from memory)`;
export const PRACTICE = 'Common practice, no source';
