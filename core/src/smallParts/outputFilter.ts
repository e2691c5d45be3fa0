import type { Brief, CapacitorBank, Decisions } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { damped } from '../control/secondSection.ts';
import { stepToSize } from '../estimates/loadStep.ts';
import { lumped } from '../estimates/outputBank.ts';
import { preferredUp } from '../quantity/index.ts';
import { allowedOutputRipple } from '../stage/sizing/banks.ts';
import { ceramicFor } from '../shelf/usual/capacitors.ts';

/** Part of the allowed output voltage drop that a second section's winding may take. Our own starting point. */
const DROP_SHARE = 0.002;
/** Ceramics of the second bank, at least and at most. */
const CERAMICS = [2, 24] as const;
/** Part of the load step's deviation that the section itself may take; the bank before it has the rest. Our own. */
const STEP_SHARE = 0.25;

/**
 * A second LC section that brings the ripple down to what is wanted and shares the load step with the bank: its L·C is
 * what attenuates at the ripple's own frequency (all phases'), its √(L/C) what a quarter of the step's deviation allows,
 * and a capacitor with resistance of its own takes its resonance down, so that the loop need not stay below it. Its
 * winding drops 0.2 % of the output at full load. Common practice, no source.
 * @param wanted V peak to peak at the load; a tenth of the ripple allowed when not given
 */
export function suggestOutputFilter(
  brief: Brief,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
  wanted = allowedOutputRipple(brief) / 10,
): NonNullable<Decisions['outputFilter']> {
  const ripple = Math.max(wanted, ...points.map((point) => point.outputCapacitor.ripple));
  const ceramic = ceramicFor(brief.outputVoltage);
  const omega = 2 * Math.PI * decisions.switchingFrequency * decisions.phases;
  const attenuation = Math.max(4, (1.25 * ripple) / wanted + 1);
  const { step, deviation } = stepToSize(brief);
  const capacitance = step > 0 ? (Math.sqrt(attenuation) * step) / (omega * STEP_SHARE * deviation) : 0;
  const count = Math.min(CERAMICS[1], Math.max(CERAMICS[0], Math.ceil(capacitance / ceramic.capacitance)));
  const bank: CapacitorBank = { ...ceramic, count };
  const section = {
    inductance: preferredUp(attenuation / (omega ** 2 * bank.capacitance * count), 'E6'),
    resistance: preferredUp((DROP_SHARE * brief.outputVoltage) / brief.outputCurrent.max / 2, 'E12'),
    capacitors: [bank],
  };
  return damped(section, lumped(decisions.outputCapacitors), brief.outputVoltage);
}
