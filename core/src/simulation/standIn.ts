import type { Corner } from '../design/corner.ts';
import type { Brief, Decisions, Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/format.ts';
import { solvedCorner } from '../stage/operating/operatingPoint.ts';
import { followingDuty } from '../stage/operating/patterns.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { clockingOf } from '../topology/ofDesign.ts';
import { hasAmplifier, hasNetwork, sensesCurrent } from '../control/compensator.ts';
import { blindClimb, currentLimitFor, LIMIT_TOLERANCE, softStartFor } from '../control/protection.ts';
import { topologyModel, type Operation } from '../topology/index.ts';
import { SKIPPED_BELOW, type ControlLaw } from './modulator.ts';

/*
 * What a controller has that the design does not say: soft start, current limit, the ends of its amplifier, and the pulses
 * that it leaves out. A design that gives its network says the rest itself, to the file format's letter.
 */

/** Whether the design says nothing of what closes its loop, so that what the rules decide stands in. */
export const isStandIn = (own: Decisions, { control }: Pick<CompleteDecisions, 'control'>): boolean =>
  hasAmplifier(control) ? !hasNetwork(own.compensator) : own.control?.method === undefined;

/** Whether soft start and current limit are taken by rule where nothing is said: of a stand-in, and of a controller from the shelf, whose small parts a file need not name. */
export const isCompleted = (own: Decisions, decisions: Pick<CompleteDecisions, 'control'>): boolean =>
  isStandIn(own, decisions) || decisions.control.partId !== undefined;

/** The current limit of one phase that a design has, A, and the part of itself by which it may lie off; undefined where it has none. */
export function limitOf(
  { brief, decisions: own }: Design,
  decisions: CompleteDecisions,
): { current: number; tolerance: number } | undefined {
  const { currentLimit, currentLimitTolerance: tolerance = LIMIT_TOLERANCE } = decisions.control;
  if (currentLimit !== undefined) return { current: currentLimit, tolerance };
  if (!isCompleted(own, decisions)) return undefined;
  const current = limitByRule(brief, decisions, highestPeak(brief, decisions));
  return current === undefined ? undefined : { current, tolerance };
}

/** A; undefined where nothing flows. */
function limitByRule(
  brief: Brief,
  { control, inductor, topology }: CompleteDecisions,
  peak: number,
): number | undefined {
  if (!(peak > 0)) return undefined;
  const climb = topology === 'boost' ? 0 : blindClimb(brief, inductor.inductance, control);
  return currentLimitFor(peak, inductor.saturationCurrent, climb, control.currentLimitTolerance);
}

/** Has a modulator with a clock leave out the pulses that ask for too little: for less than the policy for light load gives, or the shortest that there is. */
export function leavesPulsesOut(
  modulator: ControlLaw,
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
  operation: Operation,
): void {
  const period = 1 / decisions.switchingFrequency;
  const { conditions, cells } = operation;
  const { fromInput = 0, toOutput = 0 } = cells.control ?? {};
  /** V/s at the comparator while a pulse lasts */
  const slopeAt = (input: number, output: number): number =>
    ({
      'peak-current-mode':
        (modulator.currentSenseGain * (fromInput * input - toOutput * output)) / decisions.inductor.inductance +
        modulator.slopeCompensation,
      'voltage-mode-feedforward': (modulator.rampGain * input) / period,
    })[modulator.method as string] ?? modulator.rampAmplitude / period;
  const { fullLoad } = clockingOf(brief, decisions).pulses ?? {};
  // the pulses that the stage is solved with
  if (decisions.lightLoad === 'pulse-skipping' && fullLoad !== undefined)
    modulator.leastPulse = (inputVoltage, outputVoltage) => {
      const there = { ...operation, conditions: { ...conditions, inputVoltage, outputVoltage } };
      const lasts = Math.max(0, followingDuty(there, fullLoad) || 0) * period;
      return {
        lasts,
        asks: lasts * slopeAt(inputVoltage, outputVoltage),
        rises: (lasts * (fromInput * inputVoltage - toOutput * outputVoltage)) / decisions.inductor.inductance,
      };
    };
  const shortest = modulator.leastPulse?.(corner.inputVoltage, brief.outputVoltage).lasts ?? modulator.minimumOnTime;
  if (modulator.leastPulse ?? !sensesCurrent(modulator))
    modulator.floor = SKIPPED_BELOW * shortest * slopeAt(corner.inputVoltage, brief.outputVoltage);
}

/** A, one phase's at full load, at the worse end of the input; 0 where neither has a steady state. */
export function highestPeak(brief: Brief, decisions: CompleteDecisions): number {
  const { inputVoltage, outputCurrent } = brief;
  const model = topologyModel(decisions.topology);
  const at = (volts: number): number =>
    solvedCorner(model, brief, decisions, { inputVoltage: volts, outputCurrent: outputCurrent.max }).point
      ?.inductorCurrent.peak ?? 0;
  return Math.max(at(inputVoltage.min), at(inputVoltage.max));
}

/** Times what asks for a whole period or for the limit's current at which a stand-in amplifier's output ends. Common practice, no source. */
const HEADROOM = 1.2;

/**
 * V between which a stand-in amplifier's output stays: below it asks for no pulse, above for all there is. An ideal one
 * would wind up without an end.
 * @param inputVoltage V, the highest that there is; Infinity where the upper end is left open
 */
export function limitsOf(modulator: ControlLaw, inputVoltage: number, period: number) {
  const all = {
    'voltage-mode': modulator.rampAmplitude,
    'voltage-mode-feedforward': modulator.rampGain * inputVoltage,
    'peak-current-mode': modulator.currentSenseGain * modulator.currentLimit + modulator.slopeCompensation * period,
    'average-current-mode': modulator.currentSenseGain * modulator.currentLimit,
  }[modulator.method as string];
  const whole = inputVoltage < Infinity ? all : undefined;
  return {
    outputMinimum: modulator.floor,
    ...(whole !== undefined && whole > 0 && whole < Infinity ? { outputMaximum: HEADROOM * whole } : {}),
  };
}

/** What a controller has that the design does not say: soft start and current limit. @returns the words for it */
export function completed(
  modulator: ControlLaw,
  decisions: CompleteDecisions,
  brief: Brief,
  peakOf: () => number,
): string[] {
  const words: string[] = [];
  const { control } = decisions;
  if (control.softStart === undefined) {
    modulator.softStart = softStartFor(brief, decisions);
    words.push(`Its soft start takes ${formatQuantity(modulator.softStart, 's')}.`);
  }
  if (control.currentLimit === undefined) {
    const limit = limitByRule(brief, decisions, peakOf());
    if (limit !== undefined) {
      modulator.currentLimit = limit;
      // a comparator blind at each pulse's start would let a short circuit climb from pulse to pulse
      modulator.valleyCurrentLimit = Math.min(modulator.valleyCurrentLimit, modulator.currentLimit);
      words.push(
        `It limits each phase’s current at ${formatQuantity(modulator.currentLimit, 'A')} and gives no pulse while it stands above that.`,
      );
    }
  }
  return words;
}
