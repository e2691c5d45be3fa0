import { standing } from './area.ts';
import type { Catalogue } from './explain/form.ts';
import { sourceArea } from './source/area.ts';
import { stageArea } from './stage/area.ts';
import { loopArea } from './loop/area.ts';
import type { LoopScene } from './loop/scene.ts';
import { trialsArea } from './simulation/area.ts';
import { stepArea } from './step/area.ts';

/** Every area that is quick, in the order of the ladder: each is given what those before it found. */
export const AREAS = [stageArea, stepArea, sourceArea] as const;

export type AreaId = 'stage' | 'step' | 'source';

/** Those that take longer, cheapest first: the judge runs them one after another on the solved design. */
export const LONG_AREAS = [standing(loopArea), standing(trialsArea)] as const;

/** What an explanation may look at: the design, what was found, and the operating point asked about. */
export type Scene = LoopScene;

/** Every quantity that a screen or a report may ask about. */
const RECORDS = {
  ...stageArea.quantities,
  ...stepArea.quantities,
  ...sourceArea.quantities,
  ...loopArea.quantities,
};

export type QuantityId = keyof typeof RECORDS;
export const CATALOGUE: Catalogue<Scene, QuantityId> = RECORDS;
