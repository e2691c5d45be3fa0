import { briefRung } from './brief/rung.ts';
import { laterRungs } from './later/later.tsx';
import type { Rung } from './rung.ts';
import { stageRung } from './stage/rung.ts';
import { topologyRung } from './topology/rung.ts';

/** The ladder: the order of work. */
export const RUNGS: readonly Rung[] = [briefRung, topologyRung, stageRung, ...laterRungs];
