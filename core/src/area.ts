import { cornersOf, type Corner } from './design/corner.ts';
import type { Fault } from './design/index.ts';
import type { Design } from './design/schema.ts';
import type { Quantity } from './explain/form.ts';
import type { Series, Unit } from './quantity/index.ts';
import type { Notice } from './verdict/notice.ts';
import type { RungId, Target } from './verdict/target.ts';

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

/** What is told on the way of something that takes longer: of its work, 0 to 1, and what there is. */
export interface Onward<Found> {
  part: number;
  soFar: Found;
}

/** Where a target is looked at: the rung, and the run of it that is opened there. */
export interface LookedAt {
  rung: RungId;
  run?: string;
}

/**
 * An area that takes longer and finds many numbers on a solved design: a generator that tells its progress and is halted
 * where it stands. What it has not found yet is open.
 * @template Found what it finds, and what it has of it on the way
 * @template Scene what its quantities look at
 */
export interface LongArea<Found, Scene, Decisions, Q extends string, Explains extends string = Q> {
  id: string;
  /** part of the whole judgement's work, roughly */
  share: number;
  /** whether what it has on its way is judged already */
  tellsOnTheWay: boolean;
  compute: (asked: {
    design: Design;
    decisions: Decisions;
    at?: Partial<Corner> | undefined;
  }) => Generator<Onward<Found>, Found>;
  quantities: Readonly<Record<Q, Quantity<Scene>>>;
  /** what it holds the design to; without anything found all of it open for the reason given */
  targets: (design: Design, decisions: Decisions, found: Found | undefined, why: string) => Target<Explains>[];
  warnings: (found: Found) => Notice[];
  lookedAt: (targetId: string) => LookedAt;
}

/** A long area as far as it has come: what it holds the design to, and what it says of it. */
export interface Judged<Q extends string> {
  share: number;
  targets: Target<Q>[];
  warnings: Notice[];
  lookedAt: (targetId: string) => LookedAt;
  /** runs it, telling the part of its work that is done */
  asked: (at: Partial<Corner> | undefined) => Generator<number>;
}

/** A long area as the judge runs it, whatever it finds. */
export function standing<Found, Scene, Decisions, Q extends string, E extends string>(
  area: LongArea<Found, Scene, Decisions, Q, E>,
) {
  const { id, quantities, share, lookedAt } = area;
  return {
    id,
    quantities,
    begin(design: Design, decisions: Decisions, why: string): Judged<E> {
      const judged: Judged<E> = {
        share,
        targets: area.targets(design, decisions, undefined, why),
        warnings: [],
        lookedAt,
        *asked(at) {
          const going = area.compute({ design, decisions, at });
          for (;;) {
            const step = going.next();
            if (step.done) {
              judged.targets = area.targets(design, decisions, step.value, why);
              judged.warnings = area.warnings(step.value);
              return;
            }
            if (area.tellsOnTheWay) judged.targets = area.targets(design, decisions, step.value.soFar, why);
            yield step.value.part;
          }
        },
      };
      return judged;
    },
  };
}

/** Corners that a caller asks for: all of line and load, or the one named. */
export const cornersAsked = (design: Design, at: Partial<Corner> | undefined): Corner[] =>
  at
    ? [
        {
          inputVoltage: at.inputVoltage ?? design.brief.inputVoltage.nominal,
          outputCurrent: at.outputCurrent ?? design.brief.outputCurrent.max,
        },
      ]
    : cornersOf(design);
