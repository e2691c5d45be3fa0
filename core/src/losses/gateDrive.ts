import type { DriverValues, RectifierValues, SwitchValues } from './values.ts';

/** What charging and discharging the gates draws, W of one leg that switches: f·Vg·(n_c·Qg + n_r·Qg), a diode's being 0. */
export function gateDrive(
  control: SwitchValues,
  rectifier: RectifierValues,
  { gateVoltage }: DriverValues,
  frequency: number,
): number | undefined {
  const other = rectifier.kind === 'synchronous' ? rectifier.gateCharge : undefined;
  if (gateVoltage === undefined || (control.gateCharge === undefined && other === undefined)) return undefined;
  const charge = (control.count ?? 1) * (control.gateCharge ?? 0) + (rectifier.count ?? 1) * (other ?? 0);
  return frequency * gateVoltage * charge;
}
