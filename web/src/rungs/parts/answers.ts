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
  type BillLine,
  type Design,
  type DriveMap,
  type PairMap,
  type Part,
  type PartsView,
  type Place,
  type Ranked,
} from '@yundro/core';
import { filled } from '../../workers/filled.ts';
import type { Long } from '../../workers/long.ts';

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
  parts(design: Design, shelf: readonly Part[]): PartsAnswer {
    const view = filled(design, shelf);
    const bill = billOf(view);
    return { ...view, bill, cost: sumOf(bill, (line) => line.cost), area: sumOf(bill, (line) => line.area) };
  },
  rank(design: Design, shelf: readonly Part[], place: Place): Ranked[] {
    return rankPlace(filled(design, shelf).design, place, shelf);
  },
  pairs(design: Design, shelf: readonly Part[]): PairMap | undefined {
    return pairMap(filled(design, shelf).design, shelf);
  },
  drive(design: Design, shelf: readonly Part[]): DriveMap | undefined {
    return driveMap(filled(design, shelf).design, shelf);
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
  *rectifiers(design: Design, parts: readonly Part[]): Long<RectifierCurve[]> {
    const curves: RectifierCurve[] = [];
    for (const { kind, design: made, words, filled: fits } of rectifierAlternatives(design, parts)) {
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
