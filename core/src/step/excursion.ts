import type { Design } from '../design/schema.ts';
import { conditionsAt, type CompleteDecisions } from '../stage/operating/stage.ts';
import { transientFactor } from '../stage/sizing/coupling.ts';
import { deliveredSlew, estimate } from '../stage/sizing/estimate.ts';
import { assumedCrossover, loopExcursion, lumped, slewExcursion } from '../stage/sizing/outputBank.ts';
import { topologyModel } from '../topology/index.ts';

/** What a load step meets at an input voltage: the slews of the delivered current (A/s) and the loop assumed (Hz). */
export function stepAt(
  { brief }: Design,
  decisions: CompleteDecisions,
  inputVoltage: number,
): { up: number; down: number; crossover: number; rightHalfPlaneZero: number | undefined } {
  const model = topologyModel(decisions.topology);
  const at = conditionsAt(brief, decisions, { inputVoltage, outputCurrent: brief.outputCurrent.max });
  // all phases move together
  const conditions = { ...at, inductance: at.inductance * transientFactor(decisions) };
  const slew = (direction: 'up' | 'down'): number =>
    deliveredSlew(model, conditions, direction, decisions.control.maximumDuty);
  const { rightHalfPlaneZero } = estimate(model, conditions);
  return {
    up: slew('up'),
    down: slew('down'),
    crossover: assumedCrossover(decisions.switchingFrequency, rightHalfPlaneZero),
    rightHalfPlaneZero,
  };
}

/**
 * First estimate of the load step's excursion, V: the worse of what the inductor's slew and what a loop with the
 * assumed crossover allow. The Loop and Scope rungs replace it by the real loop.
 */
export function predictExcursion(
  direction: 'down' | 'up',
  design: Design,
  decisions: CompleteDecisions,
  inputVoltage: number,
): number {
  const { loadStep, outputVoltage } = design.brief;
  if (!loadStep) return 0;
  const step = Math.abs(loadStep.to - loadStep.from);
  const { capacitance, resistance } = lumped(decisions.outputCapacitors);
  const at = stepAt(design, decisions, inputVoltage);
  const slew = direction === 'down' ? at.up : at.down;
  const bySlew = slew > 0 ? slewExcursion(step, slew, capacitance, resistance) : outputVoltage;
  return Math.max(bySlew, loopExcursion(step, at.crossover, capacitance, resistance));
}
