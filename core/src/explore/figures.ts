import { AREAS, type QuantityId } from '../areas.ts';
import { describeQuantity, readQuantity } from '../catalogue.ts';
import type { Design } from '../design/schema.ts';
import type { Unit } from '../quantity/index.ts';
import type { Result } from '../solve.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';

/** One quantity of the catalogue at several operating points. */
export interface Figures {
  id: QuantityId;
  name: string;
  unit: Unit;
  /** undefined where the quantity has no value */
  values: (number | undefined)[];
}

/** The quantities that stand in the table of all corners, area by area. */
export const CORNER_FIGURES: readonly QuantityId[] = AREAS.flatMap(({ figures }): readonly QuantityId[] => figures);

/** Quantities of the catalogue at operating points of a solved design, in the order asked; those without any value are left out. */
export function tabulate(
  design: Design,
  result: Result,
  ids: readonly QuantityId[] = CORNER_FIGURES,
  points: readonly OperatingPoint[] = result.operatingPoints,
): Figures[] {
  return ids
    .map((id): Figures => {
      const { name, unit } = describeQuantity(id);
      return { id, name, unit, values: points.map((point) => readQuantity({ design, result, point }, id)) };
    })
    .filter(({ values }) => values.some((value) => value !== undefined));
}
