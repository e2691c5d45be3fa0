import type { Brief, Decisions } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { hasAmplifier, hasNetwork } from './compensator.ts';

/*
 * What a controller is set to where nothing is said: the small parts round a chosen one are made for it, and a stand-in
 * in simulation starts and limits by it.
 */

/** Part of itself by which a current limit may lie off where nothing is said. Common practice, no source. */
export const LIMIT_TOLERANCE = 0.1;
/** Times the largest peak of one phase's current at which it is limited at most, and what saturation has to spare. Common practice, no source. */
const LIMIT = { above: 1.3, spare: 1.12 };

/**
 * A by which a current climbs past its limit in a short circuit: the shortest pulse comes whole, with all of the input across
 * the inductance.
 */
export const blindClimb = (
  { inputVoltage }: Brief,
  inductance: number,
  { minimumOnTime }: Pick<CompleteDecisions['control'], 'minimumOnTime'>,
): number => (inputVoltage.max * minimumOnTime) / inductance;

/**
 * A, the current limit of one phase, by one rule for limit and inductor: saturation stands above the limit's upper tolerance,
 * and above what a short circuit climbs to, with a tenth to spare where that leaves the lower tolerance above the peak.
 * @param climb A past the limit, as {@link blindClimb} has it
 */
export function currentLimitFor(
  peak: number,
  saturationCurrent: number,
  climb: number,
  tolerance = LIMIT_TOLERANCE,
): number {
  const below = saturationCurrent / LIMIT.spare;
  return Math.max(peak / (1 - tolerance), Math.min(LIMIT.above * peak, below / (1 + tolerance), below - climb));
}

/** A that an inductor's saturation is to have over a peak, so that the limit fits between. */
export const saturationOver = (peak: number, climb: number): number =>
  LIMIT.spare * Math.max(((1 + LIMIT_TOLERANCE) * peak) / (1 - LIMIT_TOLERANCE), peak / (1 - LIMIT_TOLERANCE) + climb);

/**
 * s and periods that a soft start takes at least, part of the full load that charging the bank may take, and part of the
 * output by which it may stand ahead of the rising reference. Common practice, no source.
 */
const SOFT = { least: 3e-3, periods: 400, part: 0.2, ahead: 0.02 };

/**
 * s of the soft start: an op-amp's output follows the reference at its input through the feedback's capacitors, and what
 * charges them is the output's lead over it, R₁ C dV/dt.
 */
export function softStartFor(
  brief: Brief,
  { control, switchingFrequency, outputCapacitors, compensator }: CompleteDecisions,
): number {
  const charge = outputCapacitors.reduce((sum, bank) => sum + bank.capacitance * bank.count, 0) * brief.outputVoltage;
  const { amplifier, dividerTop = 0, feedbackCapacitor = 0, shuntCapacitor = 0 } = compensator ?? {};
  const kept =
    amplifier === 'op-amp' ? dividerTop * (feedbackCapacitor + shuntCapacitor) * control.referenceVoltage : 0;
  return Math.max(
    SOFT.least,
    SOFT.periods / switchingFrequency,
    charge / (SOFT.part * brief.outputCurrent.max),
    kept / (SOFT.ahead * brief.outputVoltage),
  );
}

/** Whether the design says nothing of what closes its loop, so that what the rules decide stands in. */
export const isStandIn = (own: Decisions, { control }: Pick<CompleteDecisions, 'control'>): boolean =>
  hasAmplifier(control) ? !hasNetwork(own.compensator) : own.control?.method === undefined;

/** Whether soft start and current limit are decided where nothing is said: of a stand-in, and of a controller from the shelf, whose small parts a file need not name. */
export const isCompleted = (own: Decisions, decisions: Pick<CompleteDecisions, 'control'>): boolean =>
  isStandIn(own, decisions) || decisions.control.partId !== undefined;

/** Times what asks for a whole period or for the limit's current at which an amplifier's output ends. Common practice, no source. */
const HEADROOM = 1.2;

/**
 * V at which an amplifier's output ends that is decided by rule: above it asks for all there is, and an ideal one would wind
 * up without an end. Undefined where the method has none.
 * @param inputVoltage V, the highest that there is
 * @param period s
 */
export function amplifierEnd(
  {
    method,
    rampAmplitude = 1,
    rampGain = 0,
    currentSenseGain = 0,
    slopeCompensation = 0,
    currentLimit = Infinity,
  }: CompleteDecisions['control'],
  inputVoltage: number,
  period: number,
): number | undefined {
  const all = {
    'voltage-mode': rampAmplitude,
    'voltage-mode-feedforward': rampGain * inputVoltage,
    'peak-current-mode': currentSenseGain * currentLimit + slopeCompensation * period,
    'average-current-mode': currentSenseGain * currentLimit,
  }[method as string];
  return all !== undefined && all > 0 && all < Infinity ? HEADROOM * all : undefined;
}
