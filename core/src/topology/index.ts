import type { Topology } from '../design/schema.ts';
import { buck } from './buck.ts';
import type { TopologyModel } from './topology.ts';

const MODELS: Partial<Record<Topology, TopologyModel>> = { buck };

/** The model of a topology, or undefined for one that this release reads but does not solve yet. */
export function topologyModel(id: Topology): TopologyModel | undefined {
  return MODELS[id];
}

export type { StageConditions, SwitchData, TopologyModel } from './topology.ts';
