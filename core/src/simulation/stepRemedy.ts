import type { Design } from '../design/schema.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { steppedPoints, type SteppedPoint } from './stepTargets.ts';

/** Times the bank that is looked for at most, how near to what is allowed, and how often it is tried. Our own. */
const MOST = 12;
const NEAR = 0.04;
const ROUNDS = 8;

/** As it is told: a tenth up. */
const told = (factor: number): number => Math.min(MOST, Math.ceil(factor * 10 - 1e-9) / 10);

/** V by which the output moves at most, both ways of a step. */
const movedAt = ({ undershoot, overshoot }: Pick<SteppedPoint, 'undershoot' | 'overshoot'>): number =>
  Math.max(undershoot, overshoot);

/**
 * How much more output capacitance a load step takes that is missed in simulation, found by simulating it, in words;
 * nothing where it holds.
 * @param points the step as designed, at its inputs
 */
export function* stepRemedy(design: Design, points: readonly SteppedPoint[]): Generator<undefined, string | undefined> {
  const required = design.brief.loadStep?.deviation;
  if (required === undefined || points.length === 0) return undefined;
  const worst = Math.max(...points.map(movedAt));
  if (worst <= required) return undefined;
  const { outputCapacitors } = completeDecisions(design).decisions;
  function* excessOf(factor: number): Generator<undefined, number> {
    const larger = outputCapacitors.map((bank) => ({
      ...bank,
      capacitance: bank.capacitance * factor,
      esr: bank.esr / factor,
      esl: bank.esl / factor,
    }));
    const going = steppedPoints({ ...design, decisions: { ...design.decisions, outputCapacitors: larger } });
    let step = going.next();
    for (; !step.done; step = going.next()) yield undefined;
    const { points: moved, trouble } = step.value;
    if (trouble !== undefined) return Infinity;
    return Math.log(Math.max(...moved.map(movedAt)) / required!);
  }
  let [low, above] = [1, Math.log(worst / required)];
  let high: number | undefined;
  // an excursion falls about as its bank grows
  let next = told((worst / required) * 1.1);
  for (let round = 0; round < ROUNDS; round += 1) {
    const found: number = yield* excessOf(next);
    if (found <= 0) high = next;
    else if (next >= MOST) break;
    else [low, above] = [next, found];
    next = told(high === undefined ? low * Math.exp(1.3 * Math.min(1, above)) : Math.sqrt(low * high));
    if (high !== undefined && (found > -NEAR || next >= high)) break;
  }
  return high === undefined
    ? `Simulated, no output capacitance up to ${MOST} times this one holds the load step: a smaller inductance, another control method or more frequency is needed, or the step or what is allowed has to change.`
    : `Simulated, ${high.toFixed(1)} times the output capacitance, its ESR in proportion, holds the load step at every input.`;
}
