import type { SwitchValues, DriverValues } from './values.ts';

/**
 * Loss in a control switch while current and voltage overlap at its edges, W of one leg:
 * f·½·Vb·(i_on·t_on + i_off·t_off), each time the charge from threshold through the plateau over the current that the
 * driver has for it at the plateau. Piecewise-linear edges: holds while the driver, not the load, sets their length.
 * Common practice; the two charges and the plateau are the data sheet's own.
 * @param on A, as the switch turns on (0 where it is not positive), and @param off as it turns off
 * @param blocking V across it while it is off
 * @returns undefined where its data are not there
 */
export function overlap(
  device: SwitchValues,
  driver: DriverValues,
  { on, off, blocking, frequency }: { on: number; off: number; blocking: number; frequency: number },
): number | undefined {
  const times = edgeTimes(device, driver);
  return times && 0.5 * frequency * blocking * (Math.max(0, on) * times.rise + Math.max(0, off) * times.fall);
}

/** s that a control switch takes to turn on and off; undefined where its data are not there. */
export function edgeTimes(device: SwitchValues, driver: DriverValues): { rise: number; fall: number } | undefined {
  const { gateDrainCharge, postThresholdGateCharge, plateauVoltage, gateResistance = 0, count = 1 } = device;
  const { gateVoltage, driverPullUpResistance, driverPullDownResistance } = driver;
  if (
    gateDrainCharge === undefined ||
    postThresholdGateCharge === undefined ||
    plateauVoltage === undefined ||
    gateVoltage === undefined ||
    driverPullUpResistance === undefined ||
    driverPullDownResistance === undefined
  )
    return undefined;
  const charge = (postThresholdGateCharge + gateDrainCharge) * count;
  const inner = gateResistance / count;
  return {
    rise: (charge * (driverPullUpResistance + inner)) / (gateVoltage - plateauVoltage),
    fall: (charge * (driverPullDownResistance + inner)) / plateauVoltage,
  };
}
