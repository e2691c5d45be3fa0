import type { Catalogue } from './explain/form.ts';
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
export const CATALOGUE: Catalogue<Scene, QuantityId> = RECORDS;
