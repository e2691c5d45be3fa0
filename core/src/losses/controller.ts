import type { DriverValues } from './values.ts';

/** What the controller itself draws from the input, W. @param inputVoltage V */
export function controllerLoss({ quiescentCurrent }: DriverValues, inputVoltage: number): number | undefined {
  return quiescentCurrent === undefined ? undefined : quiescentCurrent * inputVoltage;
}
