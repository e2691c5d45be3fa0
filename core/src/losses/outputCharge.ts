import { along } from '../numbers/along.ts';
import type { RectifierValues, SwitchValues } from './values.ts';

/** C of a device at a voltage: by its curve where it brings one, else the charge given for the voltage in use. */
function chargeAt(device: SwitchValues | RectifierValues, voltage: number): number | undefined {
  return device.outputChargeCurve ? along(device.outputChargeCurve, voltage) : device.outputCharge;
}

/**
 * Energy of the output charges that a turn-on dissipates, W of one leg. Against a current that flows forward it is
 * f·½·Vb·(n_c·Q_c + n_r·Q_r); after a rest the control switch still has the voltage v on which the ring died away, and the
 * same capacitances lose f·½·(n_c·Q_c + n_r·Q_r)/Vb·v²; a negative current has turned the node over before, and nothing is
 * lost. Half the charge times voltage takes the charge as that of a constant capacitance. Common practice, no source.
 * @returns undefined where neither device brings its charge
 */
export function outputCharge(
  control: SwitchValues,
  rectifier: RectifierValues,
  {
    hard,
    rested,
    blocking,
    frequency,
  }: { hard: boolean; rested: number | undefined; blocking: number; frequency: number },
): number | undefined {
  const first = chargeAt(control, blocking);
  const second = chargeAt(rectifier, blocking);
  if (first === undefined && second === undefined) return undefined;
  const charge = (control.count ?? 1) * (first ?? 0) + (rectifier.count ?? 1) * (second ?? 0);
  if (rested !== undefined && blocking > 0) return (0.5 * frequency * charge * rested ** 2) / blocking;
  return hard ? 0.5 * frequency * blocking * charge : 0;
}
