import { CATALOGUE, type QuantityId, type Scene } from './areas.ts';
import type { Kind } from './explain/form.ts';
import { explainBy, type Explanation as Sheet } from './explain/index.ts';
import { formatQuantity, type Unit } from './quantity/index.ts';

export type Explanation = Sheet<QuantityId>;

/** Explains one quantity at one operating point; undefined when it has no value there. */
export function explain(scene: Scene, id: QuantityId): Explanation | undefined {
  return explainBy(CATALOGUE, scene, id);
}

/** A quantity's value in a scene; undefined where it has none. */
export function readQuantity(scene: Scene, id: QuantityId): number | undefined {
  return CATALOGUE[id].value(scene);
}

/** A value in words, with the unit that its quantity has. */
export const tellQuantity = (id: QuantityId, value: number): string => formatQuantity(value, CATALOGUE[id].unit);

export function describeQuantity(id: QuantityId): { name: string; symbol: string; unit: Unit; kind: Kind } {
  return CATALOGUE[id];
}

/** Name, symbol and unit of every quantity, for finding one by its words. */
export function listQuantities(): { id: QuantityId; name: string; symbol: string; unit: Unit; kind: Kind }[] {
  return (Object.keys(CATALOGUE) as QuantityId[]).map((id) => {
    const { name, symbol, unit, kind } = CATALOGUE[id];
    return { id, name, symbol, unit, kind };
  });
}
