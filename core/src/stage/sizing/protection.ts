import type { CompleteDecisions } from '../../design/complete.ts';
import type { Decide } from '../../design/decide.ts';
import { hasAmplifier, sensesCurrent } from '../../control/compensator.ts';
import {
  amplifierEnd,
  blindClimb,
  currentLimitFor,
  isCompleted,
  isStandIn,
  softStartFor,
} from '../../control/protection.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { expectedPeak } from './path.ts';
import type { Pace } from './pace.ts';
import type { StageShape } from './shape.ts';

/* What a controller is set to beside its loop: soft start, current limit, the ends of its amplifier. */

const upTo = (value: number, digits: number): number => {
  const unit = 10 ** (Math.floor(Math.log10(value)) - digits + 1);
  return Number((Math.ceil(value / unit - 1e-9) * unit).toPrecision(digits));
};

/**
 * The decisions with the protection that a controller has which is decided by rule or comes from the shelf. A file that
 * gives its own network or method says the rest itself, to the letter, and gets nothing besides.
 */
export function decideProtection(
  shape: StageShape,
  pace: Pace,
  whole: CompleteDecisions,
  decide: Decide,
): CompleteDecisions {
  const { brief, given, model } = shape;
  if (!isCompleted(given, whole)) return whole;
  const { control: own = {} } = given;
  const softStart = decide('control.softStart', own.softStart, () => ({
    value: upTo(softStartFor(brief, whole), 2),
    rule: 'charging the bank takes a fifth of full load, the amplifier stays ahead by little; 3 ms and 400 periods at least',
  }));
  let control: CompleteDecisions['control'] = { ...whole.control, softStart };
  const peak = expectedPeak(shape, pace, whole.lightLoad);
  if (own.currentLimit !== undefined || (peak > 0 && peak < Infinity)) {
    const climb = model.id === 'boost' ? 0 : blindClimb(brief, whole.inductor.inductance, control);
    const currentLimit = decide('control.currentLimit', own.currentLimit, () => ({
      value: Number(
        currentLimitFor(peak, whole.inductor.saturationCurrent, climb, control.currentLimitTolerance).toPrecision(3),
      ),
      rule: `at most 1.3 times the peak of ${formatQuantity(peak, 'A')}, with its tolerance above that and below saturation`,
    }));
    control = { ...control, currentLimit };
    // a comparator blind at each pulse’s start would let a short circuit climb from pulse to pulse; a limit that a file gives
    // alone is one of its own, to the letter, but where the controller is the shelf’s
    if (own.currentLimit === undefined || control.partId !== undefined)
      control.valleyCurrentLimit = decide('control.valleyCurrentLimit', own.valleyCurrentLimit, () => ({
        value: currentLimit,
        rule: 'no pulse while the current stands above the limit: a short circuit does not climb from pulse to pulse',
      }));
  }
  const { compensator } = whole;
  // a ramp over a period that follows the current, and ramps handed over from leg to leg, have no highest control voltage of their own
  const bounded = (given.conduction !== 'critical' || sensesCurrent(control)) && model.switches !== 4;
  if (!compensator || !hasAmplifier(control) || !isStandIn(given, whole)) return { ...whole, control };
  const end = bounded ? amplifierEnd(control, brief.inputVoltage.max, 1 / whole.switchingFrequency) : undefined;
  return {
    ...whole,
    control,
    compensator: {
      outputMinimum: 0,
      ...(end === undefined ? {} : { outputMaximum: upTo(end, 3) }),
      ...compensator,
    },
  };
}
