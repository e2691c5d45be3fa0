import type { Brief, Decisions, Topology } from '../../design/schema.ts';
import type { CompleteDecisions, ControlLimits } from '../../design/complete.ts';
import type { Decide } from '../../design/decide.ts';
import { hasNetwork } from '../../control/compensator.ts';
import { fullStepDeviation } from '../../estimates/loadStep.ts';
import { SCHOOLS } from './inductor.ts';
import { lightLoadByNeed, partsGiven, SMALL_CURRENT } from './mode.ts';

/** Output over the least input past which constant on-time is left no off-time to answer with. Common practice, no source. */
const HIGH_DUTY = 0.8;
/** Part of the load at which the current begins to stop, below which a voltage-mode loop's first zero would stand lower than it is put. Our own. */
const HARDLY_ANY = 0.03;
/**
 * Of the output that a voltage-mode loop gives up while its duty rises out of a current that stops: the filter's resonance
 * over the crossover, by which its gain between the two stands below what would hold the output. Usual, our own.
 */
const GIVEN_UP = 0.22;
/** Ratio of the highest to the lowest input from which a ramp that follows the input pays. Our own. */
const WIDE = 1.5;

/**
 * What the design's own parts speak of; else the method by the stage: a right-half-plane zero leaves voltage mode no
 * crossover above the filter's resonance, which current mode does not have, and phases share only a current that is
 * asked of each. Common practice, no source.
 */
export function chooseMethod(
  given: Decisions,
  brief: Brief,
  { topology, phases, rectifier }: { topology: Topology; phases: number; rectifier: 'synchronous' | 'diode' },
): { value: CompleteDecisions['control']['method']; rule: string } {
  const { control, compensator, conduction } = given;
  const { inputVoltage } = brief;
  if (control?.digital) return { value: 'digital', rule: 'the difference equation given is a digital controller’s' };
  if (control?.onTime !== undefined || control?.rippleInjection)
    return {
      value: 'constant-on-time',
      rule: 'the on-time or ripple network given is a constant on-time controller’s',
    };
  if (control?.currentAmplifier)
    return { value: 'average-current-mode', rule: 'the current amplifier given is average current mode’s' };
  if (control?.currentSenseGain !== undefined || control?.slopeCompensation !== undefined)
    return { value: 'peak-current-mode', rule: 'the current sense given is current mode’s' };
  if (control?.rampGain !== undefined)
    return { value: 'voltage-mode-feedforward', rule: 'the ramp given follows the input' };
  if (control?.rampAmplitude !== undefined) return { value: 'voltage-mode', rule: 'the ramp given is voltage mode’s' };
  if (conduction === 'critical')
    return {
      value: 'peak-current-mode',
      rule: 'critical conduction has no clock that a ramp begins with: each pulse ends at the peak that is asked for',
    };
  if ((topology !== 'buck' || phases > 1) && compensator?.type === 3 && hasNetwork(compensator))
    return { value: 'voltage-mode', rule: 'the network given is voltage mode’s' };
  if (topology !== 'buck')
    return {
      value: 'peak-current-mode',
      rule: 'the right-half-plane zero leaves voltage mode no way past the filter’s resonance, which current mode does not have',
    };
  if (phases > 1)
    return {
      value: 'peak-current-mode',
      rule: 'each phase is asked for the same current: by their resistances alone they would share it badly',
    };
  if (!hasNetwork(compensator) && skipsPulses(given, brief, rectifier))
    return {
      value: 'constant-on-time',
      rule: 'its pulses keep their size and come as the load takes them, where a clock’s would shrink to the controller’s shortest',
    };
  const resting = hasNetwork(compensator) ? undefined : whereItRests(given, brief, rectifier);
  if (resting)
    return {
      value: 'peak-current-mode',
      rule:
        resting === 'step'
          ? 'the load step begins where the current stops, out of which voltage mode finds its duty late: a peak is asked for at once'
          : resting === 'duty'
            ? 'out of a current that stops the duty has far to rise before voltage mode carries all of the load: a peak is asked for at once'
            : 'the load falls so far below where the current stops that voltage mode’s loop has little phase left there: a peak that is asked for keeps its own',
    };
  return inputVoltage.max >= WIDE * inputVoltage.min
    ? {
        value: 'voltage-mode-feedforward',
        rule: 'the input varies widely: a ramp that follows it keeps the crossover where it is',
      }
    : { value: 'voltage-mode', rule: 'the input hardly varies, and so does the crossover' };
}

/**
 * Whether the current of a buck of one phase stops where voltage mode does badly with it: at the lighter end of its load
 * step, below half the ripple that its inductance is chosen for, at a load that is hardly any, or where the step from the
 * lightest load to all of it would take the output too far down meanwhile.
 */
function whereItRests(
  given: Decisions,
  brief: Brief,
  rectifier: 'synchronous' | 'diode',
): 'step' | 'load' | 'duty' | undefined {
  const { loadStep, outputCurrent, outputVoltage } = brief;
  if (partsGiven(given)) return undefined;
  const ripple = (given.rippleRatio ?? SCHOOLS.general.ratio) * Math.max(outputCurrent.max, SMALL_CURRENT);
  const steps = loadStep !== undefined && Math.min(loadStep.from, loadStep.to) < ripple / 2;
  const falls = outputCurrent.min < (HARDLY_ANY * ripple) / 2;
  // below the border the duty goes as the root of the load
  const part = Math.sqrt(Math.min(1, outputCurrent.min / (ripple / 2)));
  const droops = GIVEN_UP * (1 - part) * outputVoltage > fullStepDeviation(brief);
  if (!steps && !falls && !droops) return undefined;
  const need = { topology: 'buck', rectifier, inductorCurrent: outputCurrent.max } as const;
  if ((given.lightLoad ?? lightLoadByNeed(brief, given, need)?.value) === 'forced-pwm') return undefined;
  return steps ? 'step' : falls ? 'load' : 'duty';
}

/** Whether a buck of one phase lets pulses fall away at light load, as far as that is known before its parts are. */
function skipsPulses(given: Decisions, brief: Brief, rectifier: 'synchronous' | 'diode'): boolean {
  if (rectifier === 'diode' || partsGiven(given) || brief.outputVoltage > HIGH_DUTY * brief.inputVoltage.min)
    return false;
  const { lightLoad } = given;
  const need = { topology: 'buck', rectifier, inductorCurrent: brief.outputCurrent.max } as const;
  return (lightLoad ?? lightLoadByNeed(brief, given, need)?.value) === 'pulse-skipping';
}

/** The controller's limits until one is chosen: usual ones. Common practice, no source. */
export function completeLimits(given: Decisions, brief: Brief, topology: Topology, decide: Decide): ControlLimits {
  // what adds ripple waits for the bank that it is added to
  const { rippleInjection: _, ...control } = given.control ?? {};
  return {
    ...control,
    referenceVoltage: decide('control.referenceVoltage', control.referenceVoltage, () => ({
      value: Math.min(0.8, brief.outputVoltage),
      rule: 'usual for integrated controllers',
    })),
    minimumOnTime: decide('control.minimumOnTime', control.minimumOnTime, () => ({
      value: 80e-9,
      rule: 'usual for integrated controllers',
    })),
    minimumOffTime: decide('control.minimumOffTime', control.minimumOffTime, () => ({
      value: 120e-9,
      rule: 'usual for integrated controllers',
    })),
    maximumDuty: decide('control.maximumDuty', control.maximumDuty, () => ({
      value: 0.97,
      rule:
        topology === 'boost'
          ? 'an over-driven boost only shorts its source: its duty is limited short of 1'
          : 'what a bootstrapped high side leaves to recharge itself',
    })),
    deadTime: decide('control.deadTime', control.deadTime, () => ({
      value: 0,
      rule: 'no driver chosen yet: its loss is left out until it is known',
    })),
  };
}
