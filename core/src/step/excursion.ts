import type { Design } from '../design/schema.ts';
import { conditionsAt, type CompleteDecisions } from '../stage/operating/stage.ts';
import { transientFactor } from '../stage/sizing/coupling.ts';
import { deliveredSlew, estimate, type Estimate } from '../stage/sizing/estimate.ts';
import { meansPulses } from '../stage/sizing/mode.ts';
import { sizingCorners } from '../stage/sizing/corners.ts';
import { reachOf, sectionOf, type Reached } from '../stage/sizing/reach.ts';
import { loopExcursion, lumped, slewExcursion } from '../stage/sizing/outputBank.ts';
import { topologyModel } from '../topology/index.ts';

/** What does not change from one input or bank to another, found once for each set of decisions. */
interface Known {
  corners: readonly Estimate[];
  reach: ReturnType<typeof reachOf>;
  pulsed: boolean;
}
const KNOWN = new WeakMap<CompleteDecisions, Known>();

/** The slews of the delivered current, A/s, and the loop that can be had. */
type Step = { up: number; down: number } & Reached;
const STEPS = new WeakMap<CompleteDecisions, Map<number, Step>>();

function knownOf({ brief, decisions: given }: Design, decisions: CompleteDecisions): Known {
  const found = KNOWN.get(decisions);
  if (found) return found;
  const pulsed = meansPulses(brief, given, decisions.topology);
  const { inductor, phases, control, outputFilter } = decisions;
  const corners = sizingCorners(brief, decisions, inductor.inductance, pulsed);
  const inductance = (inductor.inductance * transientFactor(decisions)) / phases;
  const reach = reachOf(control.method, decisions, corners, inductance, sectionOf(outputFilter));
  const made = { corners, reach, pulsed };
  KNOWN.set(decisions, made);
  return made;
}

/** The same decisions with another bank at the output, on which neither corners nor reach depend. */
export function withBank(
  design: Design,
  decisions: CompleteDecisions,
  outputCapacitors: CompleteDecisions['outputCapacitors'],
): CompleteDecisions {
  const changed = { ...decisions, outputCapacitors };
  KNOWN.set(changed, knownOf(design, decisions));
  return changed;
}

/** What a load step meets at an input voltage; both ways of the step and every verdict on it ask for the same. */
export function stepAt(design: Design, decisions: CompleteDecisions, inputVoltage: number): Step {
  let found = STEPS.get(decisions);
  if (!found) STEPS.set(decisions, (found = new Map<number, Step>()));
  let step = found.get(inputVoltage);
  if (!step) found.set(inputVoltage, (step = stepOf(design, decisions, inputVoltage)));
  return step;
}

function stepOf(design: Design, decisions: CompleteDecisions, inputVoltage: number): Step {
  const { brief } = design;
  const model = topologyModel(decisions.topology);
  const { corners, reach, pulsed } = knownOf(design, decisions);
  const at = conditionsAt(brief, decisions, { inputVoltage, outputCurrent: brief.outputCurrent.max });
  // all phases move together
  const conditions = { ...at, inductance: at.inductance * transientFactor(decisions) };
  const slew = (direction: 'up' | 'down'): number =>
    deliveredSlew(model, conditions, direction, decisions.control.maximumDuty);
  const here = corners.filter((corner) => corner.inputVoltage === inputVoltage);
  const found = reach(lumped(decisions.outputCapacitors));
  const reached = (here.length > 0 ? here : [estimate(model, conditions)]).map((corner) => found.at(corner));
  const slowest = reached.reduce((least, one) => (one.crossover < least.crossover ? one : least));
  // a current that starts from nothing in each period has no inertia
  return { up: pulsed ? Infinity : slew('up'), down: pulsed ? Infinity : slew('down'), ...slowest };
}

/** Where a step is met: the input, and the ripple that stands on it. V. */
export interface StepPoint {
  inputVoltage: number;
  outputCapacitor: { ripple: number };
}

/**
 * Estimate of the load step's excursion from the average before it, V: the worse of what the inductor's slew and what the
 * loop that can be had allow, and half the ripple on top. The Scope rung simulates the real one.
 */
export function predictExcursion(
  direction: 'down' | 'up',
  design: Design,
  decisions: CompleteDecisions,
  { inputVoltage, outputCapacitor: { ripple } }: StepPoint,
): number {
  const { loadStep, outputVoltage } = design.brief;
  if (!loadStep) return 0;
  const step = Math.abs(loadStep.to - loadStep.from);
  const { capacitance, resistance } = lumped(decisions.outputCapacitors);
  const section = sectionOf(decisions.outputFilter);
  const whole = capacitance + section.capacitance;
  const at = stepAt(design, decisions, inputVoltage);
  const slew = direction === 'down' ? at.up : at.down;
  const bySlew = slew > 0 ? slewExcursion(step, slew, whole, resistance) : outputVoltage;
  return Math.max(bySlew, loopExcursion(step, at.crossover, whole, resistance)) + step * section.impedance + ripple / 2;
}
