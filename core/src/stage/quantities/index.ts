import type { Quantity } from '../../explain/form.ts';
import { LOSSES } from '../../losses/mechanisms.ts';
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

/** What the table of all corners shows of the stage, in its order. */
export const STAGE_FIGURES: readonly StageQuantity[] = [
  'duty',
  'boostDuty',
  'switchingFrequency',
  'onTime',
  'inductorRipple',
  'inductorPeak',
  'inductorRms',
  'controlRms',
  'controlBlocking',
  'rectifierRms',
  'rectifierBlocking',
  'boostControlRms',
  'boostRectifierRms',
  'inputCapacitorRms',
  'inputRipple',
  'outputCapacitorRms',
  'outputRipple',
  'loadRipple',
  ...LOSSES.map(({ quantity }) => quantity),
  'temperatureControl',
  'temperatureRectifier',
  'temperatureBoostControl',
  'temperatureBoostRectifier',
  'temperatureInductor',
  'outputCapacitorCore',
  'inputCapacitorCore',
  'outputCapacitorLife',
  'inputCapacitorLife',
  'lossTotal',
  'inputAverage',
  'efficiency',
];
