import type { Brief, Decisions, RippleSchool, Topology } from '../../design/schema.ts';
import type { CompleteDecisions } from '../../design/complete.ts';
import type { Decide } from '../../design/decide.ts';
import { settingFor } from '../../estimates/corners.ts';
import { estimate, losslessConditions, tellingInputs } from '../../estimates/estimate.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { topologyModel, type TopologyModel } from '../../topology/index.ts';
import { dutyLimits } from '../../topology/ofDesign.ts';
import { chooseMethod, completeLimits } from './control.ts';
import { USUAL_FREQUENCY } from './frequency.ts';
import { SCHOOLS } from './inductor.ts';
import { chooseRectifier } from './mode.ts';
import { meansPulses } from './pulses.ts';
import { choosePhases } from './phases.ts';

/* What stage it is: topology, phases, rectifier, control method, and the school that names the ripple. */

/** What is known of a stage before its frequency is. */
export interface StageShape {
  brief: Brief;
  model: TopologyModel;
  phases: number;
  control: CompleteDecisions['control'];
  rippleSchool: RippleSchool;
  rippleRatio: number;
  pulsed: boolean;
  rectifier: 'synchronous' | 'diode';
  given: Decisions;
}

/** The first decisions of a design, in the order in which they rest on each other. */
export function decideShape(brief: Brief, given: Decisions, decide: Decide): StageShape {
  const topology = decide<Topology>('topology', given.topology, () => chooseTopology(brief));
  const model = topologyModel(topology);
  const limits = completeLimits(given, brief, topology, decide);
  const pulsed = meansPulses(brief, given, topology);
  const phases = decide('phases', given.phases, () =>
    pulsed
      ? { value: 1, rule: 'one pulse a period' }
      : choosePhases(brief, model, given, dutyLimits(limits, given.switchingFrequency ?? USUAL_FREQUENCY, 0)),
  );
  const { kind } = decide('rectifier', given.rectifier, () => chooseRectifier(brief, given, topology, phases, pulsed));
  const control: CompleteDecisions['control'] = {
    ...limits,
    method: decide('control.method', limits.method, () =>
      chooseMethod(given, brief, { topology, phases, rectifier: kind }),
    ),
  };
  const rippleSchool = decide<RippleSchool>('rippleSchool', given.rippleSchool, () => {
    const value =
      control.method === 'peak-current-mode' || control.method === 'constant-on-time' ? control.method : 'general';
    return { value, rule: 'the school of the control method' };
  });
  const rippleRatio = decide('rippleRatio', given.rippleRatio, () => ({
    value: SCHOOLS[rippleSchool].ratio,
    rule: `${SCHOOLS[rippleSchool].name} school: ${SCHOOLS[rippleSchool].reason}`,
  }));
  return { brief, given, model, phases, control, rippleSchool, rippleRatio, pulsed, rectifier: kind };
}

/** Part of the input that a buck must have left above its output, for drops and minimum off-time. Common practice, no source. */
const HEADROOM = 1.06;

function chooseTopology(brief: Brief): { value: Topology; rule: string } {
  const { inputVoltage, outputVoltage } = brief;
  const volts = (value: number): string => formatQuantity(value, 'V');
  if (brief.outputPolarity === 'negative') return { value: 'inverting-buck-boost', rule: 'the output is below return' };
  if (inputVoltage.min >= outputVoltage * HEADROOM)
    return { value: 'buck', rule: `the input stays above the output, ${volts(inputVoltage.min)} at its lowest` };
  if (inputVoltage.max * HEADROOM <= outputVoltage)
    return { value: 'boost', rule: `the input stays below the output, ${volts(inputVoltage.max)} at its highest` };
  return {
    value: 'four-switch-buck-boost',
    rule: `the input, ${volts(inputVoltage.min)} to ${volts(inputVoltage.max)}, lies on both sides of the output`,
  };
}

/** The inputs at which the smallest and the largest ideal duty stand, of a leg that switches between its limits. */
export function dutyEnds({
  brief,
  model,
  phases,
  control,
}: Pick<StageShape, 'brief' | 'model' | 'phases' | 'control'>): {
  low: { input: number; duty: number };
  high: { input: number; duty: number };
} {
  // a stage that passes its input through has none
  const duties = tellingInputs(model, brief, phases)
    .map((input) => estimate(model, losslessConditions(brief, input, settingFor(control, phases, USUAL_FREQUENCY, 1))))
    .filter(({ region, duty }) => region !== 'buck-boost' && duty > 0)
    .map(({ inputVoltage: input, duty }) => ({ input, duty }));
  return {
    low: duties.reduce((a, b) => (b.duty < a.duty ? b : a), duties[0] ?? { input: brief.inputVoltage.max, duty: 1 }),
    high: duties.reduce((a, b) => (b.duty > a.duty ? b : a), duties[0] ?? { input: brief.inputVoltage.min, duty: 0 }),
  };
}
