export * from './quantity/index.ts';
export * from './design/index.ts';
export { solve, type Result, type SolveOptions } from './solve.ts';
export { cornersOf, type Corner } from './design/corner.ts';
export { worstVerdict, type Target, type Verdict } from './verdict/target.ts';
export type { Notice } from './verdict/notice.ts';
export { explain, listQuantities, type Explanation, type QuantityId, type Scene } from './areas.ts';
export { loadRipple, type OperatingPoint, type Losses, type SwitchStress } from './stage/operating/operatingPoint.ts';
export type { CompleteDecisions } from './stage/operating/stage.ts';
export { waveformsAt, type Waveforms } from './stage/operating/waveforms.ts';
export { SCHOOLS } from './stage/sizing/inductor.ts';
export { suggestLoadStep } from './stage/sizing/banks.ts';
export type { DecidedBy } from './design/decide.ts';
export { addUpTree, type PowerTree, type Rail, type Source } from './project/powerTree.ts';
export { lossScopeWords, type LossScope } from './losses/scope.ts';
export { newDesign } from './design/new.ts';
export type { LinearAlternative } from './stage/sizing/linearRegulator.ts';
export {
  assess,
  compareTopologies,
  type Alternative,
  type SwitchDemand,
  type TopologyComparison,
} from './explore/topologies.ts';
export { cancellation } from './stage/sizing/interleaving.ts';

export { zeroVoltageValley } from './stage/sizing/zeroVoltage.ts';
export { coupledRipple, transientFactor } from './stage/sizing/coupling.ts';
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
} from './smallParts/smallParts.ts';
export { suggestOutputFilter } from './smallParts/outputFilter.ts';
export { estimate, losslessConditions } from './stage/sizing/estimate.ts';
export { topologyModel, TOPOLOGIES, type SwitchNode, type TopologyModel } from './topology/index.ts';
export { TOPOLOGY_WORDS } from './stage/notices.ts';
export { balanceOf, type Balance } from './explore/balance.ts';
export { dutyCurves, LIGHT_LOADS, lightLoadCurves, lineCurves, type LightLoad } from './explore/sweeps.ts';
export { tabulate, type Figures } from './explore/figures.ts';
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
