export * from './quantity/index.ts';
export * from './design/index.ts';
export { cornersOf, solve, worstVerdict, type Result, type SolveOptions } from './solve.ts';
export { loadRipple, type OperatingPoint, type Losses, type SwitchStress } from './operating/operatingPoint.ts';
export type { CompleteDecisions, Corner } from './operating/stage.ts';
export { waveformsAt, type Waveforms } from './operating/waveforms.ts';
export { SCHOOLS } from './sizing/inductor.ts';
export { suggestLoadStep } from './sizing/banks.ts';
export type { DecidedBy } from './sizing/complete.ts';
export { addUpTree, type PowerTree, type Rail, type Source } from './project/powerTree.ts';
export { lossScopeWords, type LossScope } from './losses/scope.ts';
export { newDesign } from './design/new.ts';
export type { LinearAlternative } from './sizing/linearRegulator.ts';
export { type Target, type Verdict } from './verdict/targets.ts';
export type { Notice } from './verdict/notices.ts';
export { explain, listQuantities, type Explanation, type QuantityId, type Scene } from './explain/index.ts';
export {
  assess,
  compareTopologies,
  type Alternative,
  type SwitchDemand,
  type TopologyComparison,
} from './explore/topologies.ts';
export { cancellation } from './sizing/interleaving.ts';

export { zeroVoltageValley } from './sizing/zeroVoltage.ts';
export { coupledRipple, transientFactor } from './sizing/coupling.ts';
export {
  dutySpan,
  linePlaces,
  loadPlaces,
  modeMap,
  pointsAlong,
  ratioAgainstDuty,
  type Axis,
  type Curve,
  type ModePlace,
} from './explore/curves.ts';
export {
  adjustableDivider,
  dividerAccuracy,
  dividerPairs,
  suggestRange,
  timingPairs,
  type AdjustableDivider,
  type DividerPair,
  type TimingPair,
} from './sizing/smallParts.ts';
export { suggestOutputFilter } from './sizing/outputFilter.ts';
export { estimate, losslessConditions } from './sizing/estimate.ts';
export { topologyModel, TOPOLOGIES, type SwitchNode, type TopologyModel } from './topology/index.ts';
export { TOPOLOGY_WORDS } from './verdict/notices.ts';
export { balanceOf, type Balance } from './explore/balance.ts';
export { dutyCurves, LIGHT_LOADS, lightLoadCurves, lineCurves, type LightLoad } from './explore/sweeps.ts';
export { picturesOf, type Pictures } from './explore/pictures.ts';
export {
  findTape,
  setTape,
  stepTape,
  tapeOf,
  tapesFor,
  TAPES,
  type TapeDefinition,
  type TapeStretch,
} from './explore/tape.ts';
