import { AREAS, type QuantityId } from '../areas.ts';
import { describeQuantity, readQuantity } from '../catalogue.ts';
import type { Design } from '../design/schema.ts';
import type { DecidedBy } from '../design/decide.ts';
import type { Unit } from '../quantity/index.ts';
import type { Result } from '../solve.ts';
import { lossScopeOf } from '../stage/area.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';

/** One quantity of the catalogue at several operating points. */
export interface Figures {
  id: QuantityId;
  name: string;
  unit: Unit;
  /** undefined where the quantity has no value */
  values: (number | undefined)[];
}

/** The quantities that stand in the table of all corners, area by area. */
const CORNER_FIGURES: readonly QuantityId[] = AREAS.flatMap(({ figures }): readonly QuantityId[] => figures);

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

/** Values with their units, by quantity; those without a value are left out. */
export type FiguresById = Partial<Record<QuantityId, { value: number; unit: Unit }>>;

/** What the drawing of a stage carries. */
const DRAWN_FIGURES: readonly QuantityId[] = [
  'inputVoltage',
  'inputAverage',
  'inputCapacitorRms',
  'inputRipple',
  'controlRms',
  'controlResistance',
  'rectifierRms',
  'rectifierResistance',
  'rectifierDrop',
  'boostControlRms',
  'boostRectifierRms',
  'inductance',
  'windingResistance',
  'inductorRipple',
  'inductorPeak',
  'outputCapacitorRms',
  'outputRipple',
  'loadRipple',
  'outputVoltageAverage',
  'outputCurrent',
  'duty',
  'boostDuty',
  'lossTotal',
  'efficiency',
];

/** Quantities of the catalogue at one operating point. */
export function figuresAt(
  design: Design,
  { decisions, decided }: { decisions: CompleteDecisions; decided: DecidedBy[] },
  point: OperatingPoint,
  ids: readonly QuantityId[] = DRAWN_FIGURES,
): FiguresById {
  const result = { decisions, decided, lossScope: lossScopeOf(decisions, decided, [point]) };
  const found: FiguresById = {};
  for (const id of ids) {
    const value = readQuantity({ design, result, point }, id);
    if (value !== undefined) found[id] = { value, unit: describeQuantity(id).unit };
  }
  return found;
}
