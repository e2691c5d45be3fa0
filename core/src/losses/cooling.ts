import type { Decisions } from '../design/schema.ts';

/** What carries the heat away: areas m², m/s, and heat sinks by place. */
export type Cooling = NonNullable<Decisions['cooling']>;
/** K/W of a sink and of the pad below one device. */
export type HeatSink = NonNullable<NonNullable<Cooling['heatSinks']>['controlSwitch']>;

/** One step of the way that heat takes from a device to the ambient. */
export interface ThermalStep {
  /** where it ends, in words */
  to: string;
  /** K/W of one device */
  resistance: number;
}

/** W/(m²·K) of still air, convection and radiation of a warm board together. Common practice, no source. */
const STILL = 10;
/** W/(m²·K) over (m/s ÷ m)^½: laminar flow of air along a flat plate, 0.664·k·Pr^⅓/√ν at 300 K. Recalled from memory. */
const LAMINAR = 3.9;

/**
 * W/(m²·K) from a surface to air: still air and flow add as their cubes (mixed convection; recalled from memory).
 * @param airflow m/s
 * @param length m along the flow
 */
export function filmCoefficient(airflow: number, length: number): number {
  return Math.cbrt(STILL ** 3 + (LAMINAR * Math.sqrt(Math.max(0, airflow) / length)) ** 3);
}

/** W/(m·K) of copper and of the board along its plane; m of the board's thickness; m of one ounce of copper. */
const COPPER = 385;
const LAMINATE = 0.5;
const THICKNESS = 1.6e-3;
const ONE_OUNCE = 35e-6;
/** m of bare board round the copper that still carries heat, and m² that a device heats at once. Common practice, no source. */
const BEYOND = 15e-3;
const FOOTPRINT = 25e-6;
const RINGS = 60;

/**
 * K/W from a device's case over a patch of copper to the air on both sides of the board: rings of equal width from the
 * device outward, each a resistance along the copper and a film to the air. A patch of an inch square, two ounces,
 * gives some 40 K/W, as data sheets have it.
 * @param copperArea m², of the patch under one device
 * @param copperThickness m
 * @param airflow m/s
 */
export function boardResistance(copperArea: number, copperThickness: number, airflow: number): number {
  const inner = Math.sqrt(FOOTPRINT / Math.PI);
  const copper = Math.max(inner, Math.sqrt(copperArea / Math.PI));
  const outer = copper + BEYOND;
  const film = 2 * filmCoefficient(airflow, Math.sqrt(Math.max(copperArea, FOOTPRINT)));
  const bare = LAMINATE * THICKNESS;
  // a ladder from the rim inward: what each ring sees of all beyond it, S
  const step = (outer - inner) / RINGS;
  let beyond = 0;
  for (let ring = RINGS - 1; ring >= 0; ring -= 1) {
    const near = inner + ring * step;
    const far = near + step;
    const sheet = bare + ((near + far) / 2 <= copper ? COPPER * copperThickness : 0);
    const along = (2 * Math.PI * sheet) / Math.log(far / near);
    const outward = beyond + film * Math.PI * (far ** 2 - near ** 2);
    beyond = (along * outward) / (along + outward);
  }
  return 1 / (beyond + film * FOOTPRINT);
}

/** K that a whole board grows warmer by for each watt on it: every device warms every other so. K/W. */
export function boardRise({ boardArea, airflow = 0 }: Cooling): number {
  return boardArea === undefined ? 0 : 1 / (2 * boardArea * filmCoefficient(airflow, Math.sqrt(boardArea)));
}

/**
 * The way of the heat out of one device, from its junction or winding: a heat sink's where it has one, else the copper
 * patch's where the design tells it and the part its junction-to-case; else the data sheet's one resistance to ambient.
 * @returns empty where nothing tells it
 */
export function thermalPath(
  device: { thermalResistance?: number | undefined; junctionToCase?: number | undefined },
  cooling: Cooling | undefined,
  sink: HeatSink | undefined,
): ThermalStep[] {
  const { thermalResistance, junctionToCase } = device;
  const { copperArea, copperThickness = ONE_OUNCE, airflow = 0 } = cooling ?? {};
  if (junctionToCase !== undefined && sink?.thermalResistance !== undefined)
    return [
      { to: 'case', resistance: junctionToCase },
      ...(sink.padResistance === undefined
        ? []
        : [{ to: 'heat sink, through its pad', resistance: sink.padResistance }]),
      { to: 'ambient', resistance: sink.thermalResistance },
    ];
  if (junctionToCase !== undefined && copperArea !== undefined)
    return [
      { to: 'case', resistance: junctionToCase },
      { to: 'ambient, by its copper', resistance: boardResistance(copperArea, copperThickness, airflow) },
    ];
  return thermalResistance === undefined ? [] : [{ to: 'ambient', resistance: thermalResistance }];
}
