import {
  billOf,
  holdPart,
  lightLoadCurve,
  lossesOfPlace,
  driveMap,
  pairMap,
  rectifierAlternatives,
  rankPlace,
  solve,
  viewParts,
  type BillLine,
  type Design,
  type DriveMap,
  type PairMap,
  type Part,
  type PartsView,
  type Place,
  type Ranked,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';
import type { InForce, Standing } from '../../workers/standing.ts';

/** The stage with its places filled, and its bill of materials. */
export interface PartsAnswer extends PartsView {
  bill: BillLine[];
  /** of the whole bill, m²; undefined where a part does not say */
  cost: number | undefined;
  area: number | undefined;
}

/** The sum of a figure; undefined where any is not known. */
function sumOf(bill: readonly BillLine[], of: (line: BillLine) => number | undefined): number | undefined {
  return bill.reduce<number | undefined>((total, line) => {
    const value = of(line);
    return total === undefined || value === undefined ? undefined : total + value;
  }, 0);
}

/** These are asked with the shelf's parts, which the worker reads by itself. */
export const partsAnswers = {
  parts({ given, choice }: InForce, shelf: readonly Part[]): PartsAnswer {
    const view = viewParts(given, shelf, choice);
    const bill = billOf(view);
    return { ...view, bill, cost: sumOf(bill, (line) => line.cost), area: sumOf(bill, (line) => line.area) };
  },
  rank(design: Design, shelf: readonly Part[], place: Place): Ranked[] {
    return rankPlace(design, place, shelf);
  },
  pairs(design: Design, shelf: readonly Part[]): PairMap | undefined {
    return pairMap(design, shelf);
  },
  drive(design: Design, shelf: readonly Part[]): DriveMap | undefined {
    return driveMap(design, shelf);
  },
  /** The design with one part held in a place, or with all that were chosen. */
  withPart(design: Design, shelf: readonly Part[], place: Place, id: string): Design {
    const part = shelf.find((one) => one.id === id);
    return part ? holdPart(design, place, part, shelf) : design;
  },
};

/** A stage with one kind of rectifier over load. */
export interface RectifierCurve {
  kind: 'synchronous' | 'diode';
  words: string;
  x: number[];
  efficiency: number[];
  /** W lost in the rectifier itself */
  loss: number[];
}

/** What a rectifier loses, its recovery in the other switch among it. */
const RECTIFIER_LOSSES = [...lossesOfPlace('rectifier'), 'reverseRecovery', 'boostReverseRecovery'] as const;
const POINTS = 21;

export const partsLongAnswers = {
  /** The best synchronous rectifier and the best diode over load, all else alike. */
  *rectifiers(_design: Design, { given, parts }: Standing): Long<RectifierCurve[]> {
    const curves: RectifierCurve[] = [];
    for (const { kind, design: made, words, filled: fits } of rectifierAlternatives(given, parts)) {
      if (fits) {
        const { lightLoad } = solve(made).decisions;
        const points = lightLoadCurve(made, lightLoad, POINTS);
        curves.push({
          kind,
          words,
          x: points.map(({ outputCurrent }) => outputCurrent),
          efficiency: points.map(({ efficiency }) => efficiency),
          loss: points.map(({ losses }) => RECTIFIER_LOSSES.reduce((sum, name) => sum + (losses[name] ?? 0), 0)),
        });
      }
      yield { part: kind === 'synchronous' ? 0.5 : 1, soFar: curves.slice() };
    }
    return curves;
  },
};
