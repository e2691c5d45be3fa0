import type { RectifierValues, SwitchValues } from './values.ts';

/**
 * Energy of the output charges that a hard turn-on dissipates, W of one leg: f·½·Vb·(n_c·Q_c + n_r·Q_r). Only where the
 * control switch turns on against a current that flows forward: a negative current has turned the node over before.
 * Half the charge times voltage takes the charge as that of a constant capacitance. Common practice, no source.
 * @returns undefined where neither device brings its charge
 */
export function outputCharge(
  control: SwitchValues,
  rectifier: RectifierValues,
  { hard, blocking, frequency }: { hard: boolean; blocking: number; frequency: number },
): number | undefined {
  if (control.outputCharge === undefined && rectifier.outputCharge === undefined) return undefined;
  const charge =
    (control.count ?? 1) * (control.outputCharge ?? 0) + (rectifier.count ?? 1) * (rectifier.outputCharge ?? 0);
  return hard ? 0.5 * frequency * blocking * charge : 0;
}
