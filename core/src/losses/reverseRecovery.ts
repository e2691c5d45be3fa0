import type { RectifierValues } from './values.ts';

/**
 * Charge that a rectifier gives back as the control switch takes over, W of one leg: f·Vb·n_r·Q_rr, in continuous
 * conduction with current flowing forward; nothing where it has stopped before. Common practice, no source; the charge
 * is the data sheet's, and rises with temperature, current and slope.
 */
export function reverseRecovery(
  rectifier: RectifierValues,
  { hard, blocking, frequency }: { hard: boolean; blocking: number; frequency: number },
): number | undefined {
  const { reverseRecoveryCharge, count = 1 } = rectifier;
  if (reverseRecoveryCharge === undefined) return undefined;
  return hard ? frequency * blocking * count * reverseRecoveryCharge : 0;
}
