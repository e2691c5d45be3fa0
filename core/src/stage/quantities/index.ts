import type { Quantity } from '../../explain/form.ts';
import type { StageScene } from '../scene.ts';
import { givenQuantities } from './given.ts';
import { operatingQuantities } from './operating.ts';
import { sizingQuantities } from './sizing.ts';

/** Every quantity of the power stage. */
export const stageQuantities = {
  ...givenQuantities,
  ...operatingQuantities,
  ...sizingQuantities,
} as const satisfies Record<string, Quantity<StageScene>>;

export type StageQuantity = keyof typeof stageQuantities;
