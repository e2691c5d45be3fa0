import {
  billOf,
  holdPart,
  rankPlace,
  viewParts,
  type BillLine,
  type Design,
  type Part,
  type PartsView,
  type Place,
  type Ranked,
} from '@yundro/core';

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
    const view = viewParts(design, shelf);
    const bill = billOf(view);
    return { ...view, bill, cost: sumOf(bill, (line) => line.cost), area: sumOf(bill, (line) => line.area) };
  },
  rank(design: Design, shelf: readonly Part[], place: Place): Ranked[] {
    return rankPlace(viewParts(design, shelf).design, place, shelf);
  },
  /** The design with one part held in a place, or with all that were chosen. */
  withPart(design: Design, shelf: readonly Part[], place: Place, id: string): Design {
    const part = shelf.find((one) => one.id === id);
    return part ? holdPart(design, place, part, shelf) : design;
  },
};
