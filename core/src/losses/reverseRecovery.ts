import { along } from '../numbers/along.ts';
import type { RectifierValues } from './values.ts';

/**
 * Charge that a rectifier gives back as the control switch takes over, W of one leg: f·Vb·n_r·Q_rr, in continuous
 * conduction with current flowing forward; nothing where it has stopped before. Common practice, no source; the charge
 * is the data sheet's, at the current that it is relieved of where that is given; it rises with temperature and slope.
 * @param on A, in the inductor as it happens
 */
export function reverseRecovery(
  rectifier: RectifierValues,
  { hard, on, blocking, frequency }: { hard: boolean; on: number; blocking: number; frequency: number },
): number | undefined {
  const { count = 1 } = rectifier;
  const charge = recoveredCharge(rectifier, on);
  if (charge === undefined) return undefined;
  return hard ? frequency * blocking * count * charge : 0;
}

/** C that one device gives back from a current (A of the whole leg) as its data sheet has it. */
export function recoveredCharge(rectifier: RectifierValues, on: number): number | undefined {
  const { reverseRecoveryCharge, reverseRecoveryCurve, count = 1 } = rectifier;
  return reverseRecoveryCurve ? along(reverseRecoveryCurve, Math.max(0, on) / count) : reverseRecoveryCharge;
}
