import type { Blocking, Cell, Conduction, Device } from '../network/circuit.ts';

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
