import { briefRung } from './brief/rung.ts';
import { heatRung } from './heat/rung.ts';
import { loopRung } from './loop/rung.ts';
import { scopeRung } from './scope/rung.ts';
import { partsRung } from './parts/rung.ts';
import type { Rung } from './rung.ts';
import { stageRung } from './stage/rung.ts';
import { topologyRung } from './topology/rung.ts';

/** The ladder: the order of work. */
export const RUNGS: readonly Rung[] = [briefRung, topologyRung, stageRung, partsRung, heatRung, loopRung, scopeRung];
