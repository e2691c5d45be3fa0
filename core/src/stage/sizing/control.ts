import type { Brief, Decisions, Topology } from '../../design/schema.ts';
import type { CompleteDecisions } from '../operating/stage.ts';
import type { Decide } from '../../design/decide.ts';

/** The controller's limits until one is chosen: usual ones. Common practice, no source. */
export function completeControl(
  given: Decisions,
  brief: Brief,
  topology: Topology,
  decide: Decide,
): CompleteDecisions['control'] {
  const { control } = given;
  return {
    ...control,
    method: decide('control.method', control?.method, () => ({
      value: 'voltage-mode',
      rule: 'the simplest to reason about; the Loop rung weighs the others',
    })),
    referenceVoltage: decide('control.referenceVoltage', control?.referenceVoltage, () => ({
      value: Math.min(0.8, brief.outputVoltage),
      rule: 'usual for integrated controllers',
    })),
    minimumOnTime: decide('control.minimumOnTime', control?.minimumOnTime, () => ({
      value: 80e-9,
      rule: 'usual for integrated controllers',
    })),
    minimumOffTime: decide('control.minimumOffTime', control?.minimumOffTime, () => ({
      value: 120e-9,
      rule: 'usual for integrated controllers',
    })),
    maximumDuty: decide('control.maximumDuty', control?.maximumDuty, () => ({
      value: 0.97,
      rule:
        topology === 'boost'
          ? 'an over-driven boost only shorts its source: its duty is limited short of 1'
          : 'what a bootstrapped high side leaves to recharge itself',
    })),
    deadTime: decide('control.deadTime', control?.deadTime, () => ({
      value: 0,
      rule: 'no driver chosen yet: its loss is left out until it is known',
    })),
  };
}
