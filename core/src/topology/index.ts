import type { Topology } from '../design/schema.ts';
import { boost } from './boost.ts';
import { buck } from './buck.ts';
import { fourSwitchBuckBoost } from './fourSwitch.ts';
import { invertingBuckBoost } from './invertingBuckBoost.ts';
import type { TopologyModel } from './topology.ts';

const MODELS: Readonly<Record<Topology, TopologyModel>> = {
  buck,
  boost,
  'inverting-buck-boost': invertingBuckBoost,
  'four-switch-buck-boost': fourSwitchBuckBoost,
};

export const TOPOLOGIES = Object.keys(MODELS) as Topology[];

export function topologyModel(id: Topology): TopologyModel {
  return MODELS[id];
}

export type {
  ClosedForms,
  LegData,
  Operation,
  Region,
  StageConditions,
  SwitchData,
  SwitchNode,
  TopologyModel,
  Transition,
} from './topology.ts';
