import type { Design } from './schema.ts';

/** One corner of line and load: V, A. */
export interface Corner {
  inputVoltage: number;
  outputCurrent: number;
}

/** The corners that every design is held against: input min, nominal, max × load min, max, each once. */
export function cornersOf({ brief }: Pick<Design, 'brief'>): Corner[] {
  const { inputVoltage, outputCurrent } = brief;
  const inputs = [...new Set([inputVoltage.min, inputVoltage.nominal, inputVoltage.max])];
  const loads = [...new Set([outputCurrent.min, outputCurrent.max])];
  return inputs.flatMap((input) => loads.map((load) => ({ inputVoltage: input, outputCurrent: load })));
}

/** The point at nominal input and full load, or the nearest to it that was solved. */
export function nearestNominal<P extends Corner>(nominal: number, points: readonly P[]): P {
  return points.reduce((best, point) => {
    const nearer = Math.abs(point.inputVoltage - nominal) - Math.abs(best.inputVoltage - nominal);
    return nearer < 0 || (nearer === 0 && point.outputCurrent > best.outputCurrent) ? point : best;
  });
}
