import type { DriverValues, RectifierValues, SwitchValues } from './values.ts';

/** C that the gates of one leg take each time it switches, a diode's being 0; undefined where neither brings its own. */
function gateCharges(control: SwitchValues, rectifier: RectifierValues): number | undefined {
  const other = rectifier.kind === 'synchronous' ? rectifier.gateCharge : undefined;
  if (control.gateCharge === undefined && other === undefined) return undefined;
  return (control.count ?? 1) * (control.gateCharge ?? 0) + (rectifier.count ?? 1) * (other ?? 0);
}

/** What charging and discharging the gates draws, W of one leg that switches: f·Vg·(n_c·Qg + n_r·Qg). */
export function gateDrive(
  control: SwitchValues,
  rectifier: RectifierValues,
  { gateVoltage }: DriverValues,
  frequency: number,
): number | undefined {
  const charge = gateCharges(control, rectifier);
  return gateVoltage === undefined || charge === undefined ? undefined : frequency * gateVoltage * charge;
}

/**
 * What a linear supply of the gates' voltage takes besides, W of one leg: f·(V − Vg)·(n_c·Qg + n_r·Qg), V being what it is
 * made from; nothing where it is given. Common practice, no source.
 * @returns undefined where the design does not say what it is made from, or a charge is not known
 */
export function gateSupply(
  control: SwitchValues,
  rectifier: RectifierValues,
  driver: DriverValues,
  { frequency, ...at }: { frequency: number; inputVoltage: number; outputVoltage: number },
): number | undefined {
  const charge = gateCharges(control, rectifier);
  const from = gateSource(driver, at);
  if (driver.gateVoltage === undefined || charge === undefined || from === undefined) return undefined;
  return frequency * Math.max(0, from - driver.gateVoltage) * charge;
}

/** V that the gates' supply has to make their voltage from: no limit where it is given; undefined where nothing says. */
export function gateSource(
  { gateSupply: from, gateVoltage }: DriverValues,
  { inputVoltage, outputVoltage }: { inputVoltage: number; outputVoltage: number },
): number | undefined {
  if (from === undefined || gateVoltage === undefined) return undefined;
  return { 'from-input': inputVoltage, 'from-output': outputVoltage, given: gateVoltage }[from];
}
