import type { Brief, CapacitorBank, Decisions } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { preferredUp } from '../quantity/index.ts';
import { allowedOutputRipple } from '../stage/sizing/banks.ts';
import { ceramicFor } from '../shelf/usual/capacitors.ts';

/** Part of the allowed output voltage drop that a second section's winding may take. Our own starting point. */
const DROP_SHARE = 0.002;
/** Capacitance of the second bank over one ceramic's. */
const CERAMICS = 2;

/**
 * A second LC section that brings the ripple down to what is wanted: two ceramics, and the inductor whose divider
 * with them, (ω²LC) at the ripple's own frequency (all phases'), gives the attenuation; its winding drops 0.2 % of the
 * output at full load. The corner stays below half that frequency. Common practice, no source.
 * @param wanted V peak to peak at the load; a tenth of the ripple allowed when not given
 */
export function suggestOutputFilter(
  brief: Brief,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
  wanted = allowedOutputRipple(brief) / 10,
): NonNullable<Decisions['outputFilter']> {
  const ripple = Math.max(wanted, ...points.map((point) => point.outputCapacitor.ripple));
  const bank: CapacitorBank = { ...ceramicFor(brief.outputVoltage), count: CERAMICS };
  const omega = 2 * Math.PI * decisions.switchingFrequency * decisions.phases;
  const attenuation = Math.max(4, (1.25 * ripple) / wanted + 1);
  const inductance = preferredUp(attenuation / (omega ** 2 * bank.capacitance * bank.count), 'E6');
  return {
    inductance,
    resistance: preferredUp((DROP_SHARE * brief.outputVoltage) / brief.outputCurrent.max / 2, 'E12'),
    capacitors: [bank],
  };
}
