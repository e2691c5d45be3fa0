import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { conditionsAt } from '../topology/ofDesign.ts';
import { transientFactor } from '../estimates/coupling.ts';
import { estimate, type Estimate } from '../estimates/estimate.ts';
import { meansPulses } from '../stage/sizing/pulses.ts';
import { deliveredSlew, lateAt, lateCurrent, uncutCrossover, type Direction, type Slew } from '../estimates/slew.ts';
import { sizingCorners } from '../estimates/corners.ts';
import { hasAmplifier, sensesCurrent } from '../control/compensator.ts';
import { rampOf } from '../estimates/loadStep.ts';
import { crossoverLimitOf, type Reached } from '../control/crossoverLimit.ts';
import { sectionOf } from '../control/secondSection.ts';
import {
  joinedExcursion,
  loopExcursion,
  lumped,
  rampFactor,
  RECOVERS,
  slewExcursion,
  type Lumped,
} from '../estimates/outputBank.ts';
import { topologyModel } from '../topology/index.ts';

/** What does not change from one input or bank to another, found once for each set of decisions. */
interface Known {
  corners: readonly Estimate[];
  reach: ReturnType<typeof crossoverLimitOf>;
  pulsed: boolean;
}
const KNOWN = new WeakMap<CompleteDecisions, Known>();

/** The slews of the delivered current, what the loop has to make up for first, A, and the loop that can be had. */
export type Step = { up: Slew; down: Slew; late: number } & Reached;
const STEPS = new WeakMap<CompleteDecisions, Map<number, Step>>();

function knownOf({ brief, decisions: given }: Design, decisions: CompleteDecisions): Known {
  const found = KNOWN.get(decisions);
  if (found) return found;
  const pulsed = meansPulses(brief, given, decisions.topology);
  const { inductor, phases, control, outputFilter } = decisions;
  const corners = sizingCorners(brief, decisions, inductor.inductance, pulsed);
  const inductance = (inductor.inductance * transientFactor(decisions)) / phases;
  const uncut =
    control.method === 'digital'
      ? corners.map(({ inputVoltage }) => uncutCrossover(brief, decisions, inputVoltage))
      : undefined;
  const reach = crossoverLimitOf(
    control.method,
    decisions,
    corners,
    inductance,
    sectionOf(outputFilter),
    uncut && ((bank) => Math.min(...uncut.map((at) => at(bank)))),
  );
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

const stepOfLoad = ({ loadStep }: Design['brief']): number => (loadStep ? Math.abs(loadStep.to - loadStep.from) : 0);

/** The output bank with what stands behind a second section. */
function wholeBank({ outputCapacitors, outputFilter }: CompleteDecisions): Lumped {
  const bank = lumped(outputCapacitors);
  return { ...bank, capacitance: bank.capacitance + sectionOf(outputFilter).capacitance };
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
  const { corners, reach, pulsed } = knownOf(design, decisions);
  const slew = (direction: Direction): Slew => deliveredSlew(brief, decisions, inputVoltage, direction);
  const here = corners.filter((corner) => corner.inputVoltage === inputVoltage);
  const found = reach(lumped(decisions.outputCapacitors));
  const own = (): Estimate => {
    const at = conditionsAt(brief, decisions, { inputVoltage, outputCurrent: brief.outputCurrent.max });
    return estimate(topologyModel(decisions.topology), {
      ...at,
      inductance: at.inductance * transientFactor(decisions),
    });
  };
  const reached = (here.length > 0 ? here : [own()]).map((corner) => found.at(corner));
  const slowest = reached.reduce((least, one) => (one.crossover < least.crossover ? one : least));
  // a current that starts from nothing in each period has no inertia
  const without = { slew: Infinity, duty: 0, drop: 0 };
  return pulsed
    ? { up: without, down: without, late: 0, ...slowest }
    : {
        up: slew('up'),
        down: slew('down'),
        late: lateAt(lateCurrent(brief, decisions, inputVoltage), slowest.crossover),
        ...slowest,
      };
}

/** Where a step is met: the input, and the ripple that stands on it. V. */
export interface StepPoint {
  inputVoltage: number;
  outputCapacitor: { ripple: number };
}

/** Hz at which the loop takes back what is left of a step: its network's first zero, no higher than it crosses over. */
function recoveryOf({ control, compensator }: CompleteDecisions, crossover: number): number {
  const { feedbackResistor, feedbackCapacitor } = compensator ?? {};
  if (hasAmplifier(control) && feedbackResistor && feedbackCapacitor) {
    const zero = Math.min(crossover, 1 / (2 * Math.PI * feedbackResistor * feedbackCapacitor));
    // with a voltage alone to go by the loop falls by its square there: it takes back sooner
    return sensesCurrent(control) ? zero : Math.sqrt(zero * crossover);
  }
  return hasAmplifier(control) || control.method === 'digital' ? RECOVERS * crossover : crossover;
}

/** V that a load step moves the output by: what the slew and what the loop alone would leave, and what a section behind the bank adds. */
export function excursionParts(
  direction: 'down' | 'up',
  { brief }: Design,
  decisions: CompleteDecisions,
  at: Step,
): { bySlew: number; byLoop: number; byEsr: number; beyond: number; left: number } {
  const step = stepOfLoad(brief);
  const ramp = brief.loadStep ? rampOf(brief.loadStep) : 0;
  const left = rampFactor(recoveryOf(decisions, at.crossover), ramp);
  const { capacitance, resistance } = wholeBank(decisions);
  const { slew } = direction === 'down' ? at.up : at.down;
  return {
    bySlew: slew > 0 ? slewExcursion(step, slew, capacitance, resistance, ramp) : brief.outputVoltage,
    byLoop: left * loopExcursion(step + at.late, at.crossover, capacitance, resistance),
    byEsr: left * step * resistance,
    beyond: left * step * sectionOf(decisions.outputFilter).impedance,
    left,
  };
}

/**
 * Estimate of the load step's excursion from the average before it, V: what the inductor's slew and what the loop that can
 * be had allow, joined, and half the ripple on top. The Scope rung simulates the real one.
 */
export function predictExcursion(
  direction: 'down' | 'up',
  design: Design,
  decisions: CompleteDecisions,
  { inputVoltage, outputCapacitor: { ripple } }: StepPoint,
): number {
  if (!design.brief.loadStep) return 0;
  const at = stepAt(design, decisions, inputVoltage);
  const { bySlew, byLoop, byEsr, beyond } = excursionParts(direction, design, decisions, at);
  return joinedExcursion(bySlew, byLoop, byEsr) + beyond + ripple / 2;
}
