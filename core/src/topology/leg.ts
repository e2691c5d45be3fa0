import type { Blocking, Cell, Cells, Conduction, Device } from '../network/circuit.ts';
import type { StageConditions } from './topology.ts';

/** A cell from its connections and the devices that carry its current. */
export function cell(
  fromInput: 0 | 1,
  toOutput: 0 | 1,
  conducting: readonly Conduction[],
  blocking: readonly Blocking[],
): Cell {
  let resistance = 0;
  let drop = 0;
  for (const device of conducting) {
    resistance += device.resistance;
    drop += device.drop;
  }
  return { fromInput, toOutput, resistance, drop, blocked: false, conducting, blocking };
}

/** The cell in which no device of the phase carries current. */
export function idleCell(blocking: readonly Blocking[]): Cell {
  return { fromInput: 0, toOutput: 0, resistance: 0, drop: 0, blocked: true, conducting: [], blocking };
}

export function channel(device: Device, resistance: number, drop = 0): Conduction {
  return { device, resistance, drop, dead: false };
}

/** A body diode carrying current in the direction that counts positive in the winding (1), or against it (−1). */
export function bodyDiode(device: Device, drop: number, sign: 1 | -1): Conduction {
  return { device, resistance: 0, drop: sign * drop, dead: true };
}

export function across(device: Device, input: number, output: number, current = 0, constant = 0): Blocking {
  return { device, input, output, current, constant };
}

/**
 * The cells of a stage with one leg, its idle one apart.
 * @param ends how the winding is connected to input and output while the control switch conducts and while the rectifier does
 * @param blocked parts of input and output voltage across the one while the other conducts
 */
export function cellsOfLeg(
  c: StageConditions,
  { control, rectifier }: Record<'control' | 'rectifier', readonly [fromInput: 0 | 1, toOutput: 0 | 1]>,
  blocked: readonly [input: 0 | 1, output: 0 | 1],
): Cells {
  return {
    control: cell(
      ...control,
      [channel('control', c.controlResistance)],
      [across('rectifier', ...blocked, -c.controlResistance)],
    ),
    rectifier: cell(
      ...rectifier,
      [channel('rectifier', c.rectifierResistance, c.rectifierDrop)],
      [across('control', ...blocked, c.rectifierResistance, c.rectifierDrop)],
    ),
    // in a dead time the winding goes on through a body diode, the control switch's where its current flows back
    deadForward: cell(
      ...rectifier,
      [bodyDiode('rectifier', c.bodyDiodeDrop, 1)],
      [across('control', ...blocked, 0, c.bodyDiodeDrop)],
    ),
    deadReverse: cell(
      ...control,
      [bodyDiode('control', c.controlBodyDiodeDrop, -1)],
      [across('rectifier', ...blocked, 0, c.controlBodyDiodeDrop)],
    ),
  };
}
