import type { DecidedBy } from '../design/decide.ts';
import type { Design } from '../design/schema.ts';
import type { Unit } from '../quantity/index.ts';
import type { SetFunction } from './expression.ts';

/** What an explanation looks at: at least the design and which rule decided what; each area's own looks at more. */
export interface Scene {
  design: Design;
  result: { decided: readonly DecidedBy[] };
}

/** What a quantity is, for its colour and its cursor. */
export type Kind = 'voltage' | 'current' | 'power' | 'frequency' | 'time' | 'ratio' | 'part';

/**
 * A textbook form of a quantity, kept as data: one expression, which is both evaluated and typeset. It names other
 * quantities by their ids, and figures and parts that the form itself explains.
 */
export interface Form {
  /** what the quantity is, from the others */
  expression: string;
  /** how the quantity stands to the expression: equal unless said */
  relation?: '=' | '\\le' | '\\ge' | '\\approx';
  /** figures of the moment that are no quantities of their own; without a symbol they stand as numbers everywhere */
  figures?: Readonly<Record<string, { value: number; unit: Unit; symbol?: string }>>;
  /** parts of the expression that are set behind it under a symbol of their own, in the order in which they build on one another */
  where?: Readonly<Record<string, { symbol: string; expression: string }>>;
  functions?: Readonly<Record<string, SetFunction>>;
  /** what it assumes and the mode it holds for */
  holds: string;
  source: string;
}

/** A quantity of a design: what it is called, where its value is found and, where it is computed, by which form. */
export interface Quantity<S = Scene> {
  name: string;
  symbol: string;
  unit: Unit;
  kind: Kind;
  value: (scene: S) => number | undefined;
  /** how it was found, in words, where no form computes it */
  told?: (scene: S) => string | undefined;
  /** the form that explains it at this point; none for what the person gave */
  form?: (scene: S) => Form | undefined;
  /** the decision or brief entry that sets it, as a path in the document */
  setBy?: string;
  /** true when the value shown was measured on the exact waveform and the form only approximates it */
  exact?: boolean;
}

/** Every quantity that may be asked about, by its id. */
export type Catalogue<S, Q extends string = string> = Readonly<Record<Q, Quantity<S>>>;

export const ERICKSON = (chapter: string): string =>
  `Erickson and Maksimović, Fundamentals of Power Electronics, ${chapter} (recalled from memory)`;
export const PRACTICE = 'Common practice, no source';
