import type { Brief } from '../../design/schema.ts';
import type { CompleteDecisions } from '../operating/stage.ts';

/*
 * What a controller is set to where nothing is said: the small parts round a chosen one are made for it, and a stand-in
 * in simulation starts and limits by it.
 */

/** Times the largest peak of one phase's current at which it is limited. Common practice, no source: 1.3 to 1.6. */
export const LIMIT_ABOVE = 1.3;
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
