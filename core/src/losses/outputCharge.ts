import { along } from '../numbers/along.ts';
import type { RectifierValues, SwitchValues } from './values.ts';

/** C of a device at a voltage: by its curve where it brings one, else the charge given for the voltage in use. */
function chargeAt(device: SwitchValues | RectifierValues, voltage: number): number | undefined {
  return device.outputChargeCurve ? along(device.outputChargeCurve, voltage) : device.outputCharge;
}

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
  const first = chargeAt(control, blocking);
  const second = chargeAt(rectifier, blocking);
  if (first === undefined && second === undefined) return undefined;
  const charge = (control.count ?? 1) * (first ?? 0) + (rectifier.count ?? 1) * (second ?? 0);
  return hard ? 0.5 * frequency * blocking * charge : 0;
}
