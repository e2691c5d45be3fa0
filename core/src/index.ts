export {
  formatExact,
  formatQuantity,
  digitsApart,
  parseQuantity,
  preferredNext,
  preferredPrevious,
  type Series,
  type Unit,
} from './quantity/index.ts';
export {
  describeChanges,
  fieldName,
  fieldOf,
  type Change,
  free,
  freeAll,
  hold,
  taken,
  isHeld,
  valueAt,
  withValue,
  withoutValue,
  readDesign,
  readDesignText,
  nestedDeeper,
  structureFault,
  writeDesignText,
  type Fault,
  designJsonSchema,
  MAXIMUM_BYTES,
  MAXIMUM_DEPTH,
  type Brief,
  type CapacitorBank,
  type Decisions,
  type Design,
  type Rectifier,
  type RippleSchool,
  type Topology,
} from './design/index.ts';
export { solve, type Result } from './solve.ts';
export { heatOverLoad, type Energy, type HeatOverLoad, type HeatPoint } from './explore/heat.ts';
export { resultsApart } from './apart.ts';
export { judge, judging, type Depth, type Judging, type JudgeOptions, type Verdicts } from './judge.ts';
export { cornersOf, type Corner } from './design/corner.ts';
export {
  UNJUDGED,
  VERDICTS,
  worstVerdict,
  type Advice,
  type RungId,
  type Target,
  type Verdict,
} from './verdict/target.ts';
export type { QuantityId } from './areas.ts';
export { describeQuantity, explain, listQuantities, tellQuantity, type Explanation } from './catalogue.ts';
export { loadRipple, type OperatingPoint } from './stage/operating/operatingPoint.ts';
export type { CompleteDecisions } from './design/complete.ts';
export { BODY_DIODE_VOLTAGE } from './topology/ofDesign.ts';
export { viewCorner, waveformsAt, type CornerView, type Waveforms } from './stage/operating/waveforms.ts';
export { completeDecisions } from './stage/sizing/complete.ts';
export type { DecidedBy } from './design/decide.ts';
export { SCHOOLS } from './stage/sizing/inductor.ts';
export { suggestLoadStep } from './estimates/loadStep.ts';
export { addUpTree, type PowerTree, type Rail, type Source } from './project/powerTree.ts';
export { lossScopeWords } from './losses/scope.ts';
export { newDesign } from './design/new.ts';
export type { LinearAlternative } from './estimates/linearRegulator.ts';
export { assess, compareTopologies, topologyDesigns, type Alternative } from './explore/topologies.ts';
export { cancellation } from './estimates/interleaving.ts';

export { linePlaces, loadPlaces, pointsAlong, type Axis, type Curve } from './explore/curves.ts';
export {
  adjustableDivider,
  dividerPairs,
  suggestRange,
  timingPairs,
  type AdjustableDivider,
  type DividerPair,
  type TimingPair,
} from './smallParts/smallParts.ts';
export { pairOf, type Pair } from './explore/twoStages.ts';
export { suggestOutputFilter } from './smallParts/outputFilter.ts';
export { estimate, losslessConditions } from './estimates/estimate.ts';
export { topologyModel } from './topology/index.ts';
export { inverts, TOPOLOGY_WORDS } from './topology/words.ts';
export { balanceOf, type Balance } from './explore/balance.ts';
export { dutyCurves, LIGHT_LOADS, lightLoadCurve, lineCurves, type LightLoad } from './explore/sweeps.ts';
export { figuresAt, tabulate, type Figures, type FiguresById } from './explore/figures.ts';
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
export { chooseParts, type Choice } from './parts/choose.ts';
export { holdBuilt, keepParts } from './parts/kept.ts';
export { namedParts } from './parts/named.ts';
export { nearestFor } from './parts/nearest.ts';
export { DECISION, PLACES, type Place } from './parts/places.ts';
export { CLASS_KEYS, nearestOf, type Nearest } from './shelf/classes.ts';
export { loadProfile, type LoadShare } from './parts/profile.ts';
export { demoShelf, offered, readPart, readShelfText, writeShelfText, type Shelf } from './shelf/shelf.ts';
export { PART_KINDS, type Part, type PartKind } from './shelf/part.ts';
export { parseWhere, type Where } from './shelf/where.ts';
export { solveChosen, solveFromShelf, type ShelfResultOf } from './parts/solve.ts';
export { columnsOf, guarded, readTable, writeTable, type Column, type ReadRow } from './shelf/table.ts';
export { readCurve, writeCurve } from './shelf/curve.ts';
export {
  capacitorFrom,
  fitCapacitor,
  impedanceOf,
  readTouchstone,
  writeTouchstone,
  type Fixture,
} from './shelf/touchstone.ts';
export {
  driveMap,
  frontOf,
  pairMap,
  rankPlace,
  rectifierAlternatives,
  type DriveMap,
  type PairMap,
  type Ranked,
} from './parts/rank.ts';
export { USUAL_DERATING, type Derating } from './parts/fits.ts';
export { billOf, holdPart, viewParts, type BillLine, type PartsView, type PlaceView } from './parts/view.ts';
export { lossesOfPlace, lossQuantity, lossWords } from './losses/mechanisms.ts';
export { TEMPERATURE_OF } from './stage/quantities/heat.ts';
export { laddersOf, type Ladder } from './stage/operating/ladder.ts';
export { rankPairs, type Counted } from './parts/pairs.ts';
export { stressesAt } from './parts/stress.ts';
export { simulate, simulating } from './simulation/simulate.ts';
export { SCENARIOS, type Excursion, type Scenario, type SimulateOptions, type Simulation } from './simulation/run.ts';
export { usualSteps, type LoadStep } from './simulation/steps.ts';
export { SCENARIO_WORDS, scenarioCautions } from './simulation/words.ts';
export type { Measured, Waveforms as SimulatedWaveforms } from './simulation/meter.ts';
export { placeNetwork, placeOnFeatures, type Placed, type Wanted } from './loop/placement.ts';
export { moveSampled, type Factored, type SampledCorner } from './loop/factored.ts';
export type { DigitalParts } from './control/digital.ts';
export { FORM_WORDS, placeDigital, scaledTo, type DigitalForm, type PlacedDigital } from './loop/digital.ts';
export { optimiseNetwork, USUALLY_HELD, type Held, type Objective, type Optimised } from './loop/optimise.ts';
export { compareLoops, type ComparedCorner, type Comparison, type ComparisonOf } from './loop/compared.ts';
export { witnessesAt, type Witnesses } from './loop/witnesses.ts';
export { steppedOf, type PredictedStep } from './loop/predicted.ts';
export { inputFilterOf, type InputFilter } from './loop/inputFilter.ts';
export {
  fitLoop,
  injectionSheet,
  simulatedMeasurement,
  UNCERTAIN,
  type Fit,
  type InjectionSheet,
  type MeasuredLoop,
  type Uncertain,
} from './loop/measured.ts';
export {
  loopCorners,
  loopHere,
  loopTargets,
  metByStep,
  withNetwork,
  worstThrough,
  type LoopCorner,
  type LoopCorners,
} from './loop/corners.ts';
export { moveCorner, NETWORK_CORNERS, NETWORK_PARTS, networkCorners, type NetworkCorner } from './loop/network.ts';
export type { CompensatorParts } from './simulation/amplifier.ts';
export { loop, type ResponseCurve, type LoopResult } from './loop/loop.ts';
export { SimulationError } from './simulation/modulator.ts';
export { isLoopQuantity } from './loop/quantities.ts';
