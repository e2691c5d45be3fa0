import type { DriverValues } from './values.ts';

/** What the controller itself draws from the input, W. @param inputVoltage V */
export function controllerLoss({ quiescentCurrent }: DriverValues, inputVoltage: number): number | undefined {
  return quiescentCurrent === undefined ? undefined : quiescentCurrent * inputVoltage;
}

/** What the feedback divider takes from the output, W: Vout²/(top + bottom). @param outputVoltage V */
export function dividerLoss(top: number, bottom: number, outputVoltage: number): number {
  return outputVoltage ** 2 / (top + bottom);
}
