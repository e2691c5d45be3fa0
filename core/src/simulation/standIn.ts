import type { Corner } from '../design/corner.ts';
import type { Brief } from '../design/schema.ts';
import { followingDuty } from '../stage/operating/patterns.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { clockingOf } from '../topology/ofDesign.ts';
import { sensesCurrent } from '../control/compensator.ts';
import type { Operation } from '../topology/index.ts';
import { SKIPPED_BELOW, type ControlLaw } from './modulator.ts';

/*
 * What a controller does that the design does not say: the pulses that it leaves out. A design that gives its network says
 * the rest itself, to the file format's letter.
 */

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
