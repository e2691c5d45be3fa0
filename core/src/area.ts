import type { Corner } from './design/corner.ts';
import type { Fault } from './design/index.ts';
import type { Design } from './design/schema.ts';
import type { Quantity } from './explain/form.ts';
import type { Series, Unit } from './quantity/index.ts';
import type { Notice } from './verdict/notice.ts';
import type { Target } from './verdict/target.ts';

/** What a caller asks of a design. */
export interface Asked {
  design: Design;
  /** solve this one corner instead of the six of line and load */
  at?: Partial<Corner> | undefined;
  /** remarks from reading the file, passed on as warnings */
  remarks?: readonly Fault[] | undefined;
  /** m² of die that free switches share, where stages are compared */
  silicon?: number | undefined;
}

/** A decision drawn as a measuring tape: how to read it, set it and step it. */
export interface Tape<Decisions, Q extends string> {
  /** the decision, as a path below `decisions` */
  path: string;
  name: string;
  unit: Unit;
  kind: 'frequency' | 'part' | 'count';
  /** the quantity whose Why? explains the value in force */
  quantity: Q;
  /** the series its arrow keys walk; whole numbers when absent */
  series?: Series;
  read: (decisions: Decisions) => number;
  /** the document value that stands for a tape value */
  write: (decisions: Decisions, value: number) => unknown;
  /** ends of the tape */
  range: (decisions: Decisions) => { low: number; high: number };
}

/**
 * What an area of the product brings, all of it in one folder. Areas stand on a ladder: each is given what those below
 * it found, and none reaches up.
 * @template Below what the areas below it found, as far as it needs them
 * @template Own what it finds itself
 * @template Scene what its quantities look at
 */
export interface Area<Below, Own, Scene, Decisions, Q extends string> {
  id: string;
  /** what it decides where the person left it free, and what it computes */
  compute: (asked: Asked, below: Below) => Own;
  /** one record a quantity: what *Why?* and every list of figures go by */
  quantities: Readonly<Record<Q, Quantity<Scene>>>;
  /** those of them that stand in the table of all corners */
  figures: readonly Q[];
  /** what it holds the design to */
  targets: (asked: Asked, found: Below & Own) => Target<Q>[];
  /** what keeps the design from working, or makes a figure doubtful */
  warnings: (asked: Asked, found: Below & Own, targets: readonly Target[]) => Notice[];
  /** hazards */
  cautions: (asked: Asked, found: Below & Own) => Notice[];
  /** its decisions as tapes: those that stand on its screen, and those that are shown where a design has them */
  tapes: readonly Tape<Decisions, Q>[];
  moreTapes: readonly Tape<Decisions, Q>[];
}
