import { explainBy, type Explanation as Sheet } from './explain/index.ts';
import type { Catalogue, Kind } from './explain/form.ts';
import type { Unit } from './quantity/index.ts';
import { sourceArea } from './source/area.ts';
import { stageArea } from './stage/area.ts';
import type { StageScene } from './stage/scene.ts';
import { stepArea } from './step/area.ts';

/** Every area, in the order of the ladder: each is given what those before it found. */
export const AREAS = [stageArea, stepArea, sourceArea] as const;

export type AreaId = 'stage' | 'step' | 'source';

/** What an explanation may look at: the design, what was found, and the operating point asked about. */
export type Scene = StageScene;

/** Every quantity that a screen or a report may ask about. */
const RECORDS = { ...stageArea.quantities, ...stepArea.quantities, ...sourceArea.quantities };

export type QuantityId = keyof typeof RECORDS;
const CATALOGUE: Catalogue<Scene, QuantityId> = RECORDS;

export type Explanation = Sheet<QuantityId>;

/** Explains one quantity at one operating point; undefined when it has no value there. */
export function explain(scene: Scene, id: QuantityId): Explanation | undefined {
  return explainBy(CATALOGUE, scene, id);
}

/** A quantity's value in a scene; undefined where it has none. */
export function readQuantity(scene: Scene, id: QuantityId): number | undefined {
  return CATALOGUE[id].value(scene);
}

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
