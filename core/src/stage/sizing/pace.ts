import { preferredDown, preferredNearest, formatQuantity } from '../../quantity/index.ts';
import { once, type Decide } from '../../design/decide.ts';
import { blindClimb } from '../../control/protection.ts';
import { settingFor, sizingCorners, worstRipple } from '../../estimates/corners.ts';
import { zeroVoltageValley } from '../../estimates/zeroVoltage.ts';
import type { TopologyModel } from '../../topology/index.ts';
import type { Brief, Decisions } from '../../design/schema.ts';
import { likelyOperation, losslessConditions, type Estimate } from '../../estimates/estimate.ts';
import type { SizedSwitch } from '../../estimates/switchLoss.ts';
import { windingFor } from '../../shelf/usual/inductors.ts';
import { allowedLoss, WINDING_SHARE } from './banks.ts';
import { chooseFrequency, USUAL_FREQUENCY, usualFrequency, type FrequencyChoice } from './frequency.ts';
import { wantedSaturation } from './inductor.ts';
import { SMALL_CURRENT } from './mode.ts';
import { isFar, PULSED_DUTY, pulsedInductance, switchedVoltage } from './pulses.ts';
import { dutyEnds, type StageShape } from './shape.ts';
import { needsOf, sizeSwitches } from './switches.ts';

/* How fast it runs and what its inductor is: frequency and inductance, and what they make of its currents. */

/** Part of the loss allowed that switches and windings together may take; the rest is for core, controller and banks. Our own starting point. */
const POWER_SHARE = 0.8;

/** A stage that has its frequency and its inductance. */
export interface Pace {
  switchingFrequency: number;
  inductance: number;
  /** what closed forms of the stage are asked with */
  base: Parameters<typeof sizingCorners>[1];
  /** the worst corners by estimate */
  at: () => Estimate[];
  /** A, of one inductor, average, at most */
  largestCurrent: () => number;
}

export function decidePace(shape: StageShape, decide: Decide): Pace {
  const { brief, given, model, phases, control, pulsed } = shape;
  const switchingFrequency = decide('switchingFrequency', given.switchingFrequency, () => decideFrequency(shape));
  const base = { topology: model.id, phases, control, switchingFrequency, coupling: given.coupling };
  const unit = once(() => sizingCorners(brief, base, 1));
  const largestCurrent = once(() => Math.max(...unit().map((at) => at.inductorAverage)));
  const curve = given.inductor?.inductanceCurve;
  const inductance = decide('inductor.inductance', given.inductor?.inductance, () =>
    curve
      ? { value: curve[0]![1], rule: 'the beginning of its curve over current' }
      : decideInductance(shape, switchingFrequency, unit, largestCurrent),
  );
  const at = once(() => sizingCorners(brief, base, inductance, pulsed));
  return { switchingFrequency, inductance, base, at, largestCurrent };
}

/** Hz, to start from. */
export const usualFrequencyFor = (shape: StageShape): number =>
  usualFrequency(
    switchedVoltage(shape),
    shape.pulsed || isFar(shape.brief, shape.model),
    shape.rippleSchool === 'small-and-fast',
  );

/** The choice of a free frequency from the stage's shape, with the losses that a first sizing at each expects. */
export function frequencyFor(shape: StageShape): FrequencyChoice {
  const { brief, model, control, pulsed } = shape;
  const { low, high } = dutyEnds(shape);
  const fourSwitch = model.switches === 4; // its transition takes over near full duty
  return chooseFrequency({
    usual: usualFrequencyFor(shape),
    smallestDuty: low.duty,
    largestDuty: fourSwitch || pulsed ? 0 : high.duty,
    minimumOnTime: fourSwitch || pulsed ? 0 : control.minimumOnTime,
    minimumOffTime: control.minimumOffTime,
    keepClear: brief.keepClear,
    // what a stage this small loses is its controller’s own current
    loss: isSmall(shape)
      ? undefined
      : { at: (frequency) => expectedLoss(shape, frequency), allowed: POWER_SHARE * allowedLoss(brief) },
  });
}

function isSmall({ brief, model, phases, control, given }: StageShape): boolean {
  const base = { topology: model.id, phases, control, switchingFrequency: USUAL_FREQUENCY, coupling: given.coupling };
  return sizingCorners(brief, base, 1).every((at) => at.inductorAverage < SMALL_CURRENT);
}

function decideFrequency(shape: StageShape): { value: number; rule: string } {
  const { frequency, limitedBy } = frequencyFor(shape);
  const { low, high } = dutyEnds(shape);
  const words = {
    wish: 'usual for integrated silicon, low for efficiency',
    voltage: `usual where ${formatQuantity(switchedVoltage(shape), 'V', { digits: 2 })} are switched${shape.pulsed ? ', in pulses' : isFar(shape.brief, shape.model) ? ', several times the load’s current' : ''}`,
    loss: 'the highest at which switches and windings are expected to stay within their share of the loss, or lose least',
    'on-time': `on-time at ${formatQuantity(low.input, 'V')} a quarter above its limit`,
    'off-time': `off-time at ${formatQuantity(high.input, 'V')} a quarter above its limit`,
    band: 'the nearest whose harmonics stay out of the bands to keep clear',
  };
  return { value: frequency, rule: words[limitedBy] };
}

/** W that switches and windings of a stage sized for a frequency are expected to lose at worst, by the parts that can be had. */
function expectedLoss(shape: StageShape, frequency: number): number {
  const { brief, model, phases, control, pulsed, given } = shape;
  const base = { topology: model.id, phases, control, switchingFrequency: frequency, coupling: given.coupling };
  const unit = (): Estimate[] => sizingCorners(brief, base, 1);
  const largest = (): number => Math.max(...unit().map((at) => at.inductorAverage));
  const inductance = given.inductor?.inductance ?? decideInductance(shape, frequency, unit, largest).value;
  const at = sizingCorners(brief, base, inductance, pulsed);
  const peak = Math.max(...at.map((corner) => corner.peak));
  const average = Math.max(...at.map((corner) => corner.inductorAverage));
  const rms = pulsed
    ? Math.max(...at.map((corner) => Math.hypot(corner.controlRms, corner.rectifierRms)))
    : Math.max(...at.map((corner) => Math.hypot(corner.inductorAverage, corner.inductorRipple / Math.sqrt(12))));
  const climb = model.id === 'boost' ? 0 : blindClimb(brief, inductance, control);
  const saturation = wantedSaturation(average, peak, climb);
  const winding = windingFor(inductance, saturation, rms, (WINDING_SHARE * allowedLoss(brief)) / phases);
  const needs = needsOf(brief, model.id, at);
  const sized = sizeSwitches(needs, frequency, phases, true);
  const of = ({ conduction, switching }: SizedSwitch): number => conduction + needs.legs * switching;
  const second = shape.rectifier === 'synchronous' ? of(sized.rectifier) : 0; // a diode’s loss is the same at any frequency
  return phases * (rms ** 2 * winding.resistance + of(sized.control) + second);
}

/** H at which critical conduction is no slower than the clock named in any corner, with what its current goes below zero. @param unit corners at 1 H and that clock */
function criticalInductance({ brief, given, model, rectifier }: StageShape, unit: readonly Estimate[]): number {
  const of = (valley: number): number =>
    Math.min(...unit.map((at) => at.inductorRipple / (2 * (at.inductorAverage + valley))));
  let inductance = of(0);
  // a valley that is to swing the node over depends on the inductance in turn
  for (let round = 0; round < 4; round += 1) inductance = of(valleyOf(brief, given, model, rectifier, inductance));
  return inductance;
}

/** A below zero that the current of critical conduction goes: as it is held, or as swings the node over. */
export function valleyOf(
  { inputVoltage, outputVoltage }: Brief,
  { conduction, critical }: Decisions,
  model: TopologyModel,
  rectifier: 'synchronous' | 'diode',
  inductance: number,
): number {
  if (conduction !== 'critical' || rectifier !== 'synchronous') return 0;
  const { valleyCurrent, nodeCapacitance } = critical ?? {};
  if (valleyCurrent !== undefined || nodeCapacitance === undefined) return valleyCurrent ?? 0;
  return zeroVoltageValley(model.id, inputVoltage.max, outputVoltage, inductance, nodeCapacitance);
}

function decideInductance(
  shape: StageShape,
  frequency: number,
  unit: () => Estimate[],
  largestCurrent: () => number,
): { value: number; rule: string } {
  const { brief, model, rippleRatio, given, pulsed } = shape;
  if (pulsed) {
    const { inputVoltage, outputVoltage, outputCurrent } = brief;
    return {
      value: preferredDown(pulsedInductance(brief, model, frequency), 'E6'),
      rule:
        `pulses that stop in each period: a duty of ${PULSED_DUTY * 100} % at ${formatQuantity(inputVoltage.min, 'V')} and full load, next E6 down ` +
        `(${formatQuantity(outputVoltage, 'V')}, ${formatQuantity(outputCurrent.max, 'A')})`,
    };
  }
  if (given.conduction === 'critical') {
    return {
      value: preferredDown(Math.max(1e-12, criticalInductance(shape, unit())), 'E6'),
      rule: `critical conduction: at full load no slower than ${formatQuantity(frequency, 'Hz')} over the line, next E6 down`,
    };
  }
  const worst = worstRipple(unit());
  const carried = Math.max(largestCurrent(), SMALL_CURRENT);
  const words =
    carried > largestCurrent()
      ? `of ${formatQuantity(carried, 'A')}, for which parts are made: a larger one resonates with itself`
      : model.id === 'buck'
        ? undefined
        : `of the ${formatQuantity(carried, 'A')} it carries at most`;
  // where the duty is at an end of its range the shortest pulse makes the ripple
  const { minimumOnTime, minimumOffTime } = shape.control;
  const shortest =
    (model.id === 'buck' ? brief.outputVoltage * minimumOffTime : brief.inputVoltage.max * minimumOnTime) /
    (rippleRatio * carried);
  const wanted = worst.inductorRipple / (rippleRatio * carried);
  if (wanted < shortest)
    return {
      value: preferredNearest(shortest, 'E6'),
      rule: `${Math.round(rippleRatio * 100)} % ripple in the controller’s shortest pulse, which is longer than what is asked for, nearest E6`,
    };
  return {
    value: preferredNearest(wanted, 'E6'),
    rule: `${Math.round(rippleRatio * 100)} % ripple at ${formatQuantity(worst.inputVoltage, 'V')}${words ? ` ${words}` : ''}, nearest E6`,
  };
}

/** s; on-time in discontinuous conduction at the lightest load, where it is shortest over the line. */
export function shortestPulse(
  { brief, model, phases, control }: StageShape,
  frequency: number,
  inductance: number,
): number {
  const setting = settingFor(control, phases, frequency, inductance);
  return Math.min(
    ...[brief.inputVoltage.min, brief.inputVoltage.max].map((input) => {
      const { forms, conditions } = likelyOperation(
        model,
        losslessConditions(brief, input, setting, brief.outputCurrent.min),
      );
      return forms.dcmDuties(conditions).duty / frequency;
    }),
  );
}
