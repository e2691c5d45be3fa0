import type { Onward } from '../area.ts';
import type { Brief, Decisions, Design } from '../design/schema.ts';
import { loadRipple, type OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { linePlaces, loadPlaces, pointsAlong } from './curves.ts';
import { LIGHT_LOADS, lightLoadCurve } from './sweeps.ts';

/* What a design loses over its loads, its line and its time: of a design whose places are filled, for it tells the parts'. */

/** What is kept of a point of a sweep. */
export interface HeatPoint {
  outputCurrent: number;
  frequency: number;
  ripple: number;
  efficiency: number;
  losses: [name: string, loss: number][];
  total: number;
  outputPower: number;
  /** °C of the hottest place; undefined where none is known */
  hottest: number | undefined;
}

/** A load and the part of the time that it is drawn. */
interface Share {
  current: number;
  share: number;
}

/** The load profile as energy. */
export interface Energy {
  /** W on average: at the output, and lost */
  delivered: number;
  lost: number;
  /** s that the brief's battery lasts; undefined where it has none */
  lasts: number | undefined;
}

export interface HeatOverLoad {
  energy: Energy | undefined;
  /** each light-load policy over load, at nominal input */
  overLoad: { policy: NonNullable<Decisions['lightLoad']>; points: HeatPoint[] }[];
  /** rows of the map, one an input */
  map: { inputVoltage: number; points: HeatPoint[] }[];
}

/** Points of a curve over load; places of the map. */
const POINTS = 17;
const LINES = 5;
const LOADS = 8;

function kept(point: OperatingPoint): HeatPoint {
  const { total, ...each } = point.losses;
  const temperatures = Object.values(point.temperatures ?? {});
  return {
    outputCurrent: point.outputCurrent,
    frequency: point.switchingFrequency,
    ripple: loadRipple(point),
    efficiency: point.efficiency,
    losses: Object.entries(each),
    total,
    outputPower: point.outputPower,
    hottest: temperatures.length > 0 ? Math.max(...temperatures) : undefined,
  };
}

/** W that a load profile takes and loses on average, at the nominal input, and how long a battery lasts at it. */
export function energyOf(design: Design, profile: readonly Share[]): Energy {
  const { inputVoltage, batteryEnergy }: Brief = design.brief;
  let [delivered, lost] = [0, 0];
  for (const { current, share } of profile) {
    const [point] = pointsAlong(design, 'outputCurrent', [current], inputVoltage.nominal);
    delivered += share * (point?.outputPower ?? 0);
    lost += share * (point?.losses.total ?? 0);
  }
  return { delivered, lost, lasts: batteryEnergy === undefined ? undefined : batteryEnergy / (delivered + lost) };
}

/** Energy over the profile, then each policy over load, then the map over line and load: as they are found. */
export function* heatOverLoad(
  design: Design,
  profile: readonly Share[],
): Generator<Onward<HeatOverLoad>, HeatOverLoad> {
  const steps = 1 + LIGHT_LOADS.length + LINES;
  let done = 0;
  let soFar: HeatOverLoad = { energy: energyOf(design, profile), overLoad: [], map: [] };
  const told = (): Onward<HeatOverLoad> => {
    done += 1;
    return { part: Math.min(1, done / steps), soFar };
  };
  yield told();
  for (const policy of LIGHT_LOADS) {
    const points = lightLoadCurve(design, policy, POINTS).map(kept);
    soFar = { ...soFar, overLoad: [...soFar.overLoad, { policy, points }] };
    yield told();
  }
  const loads = loadPlaces(design.brief, LOADS);
  for (const inputVoltage of linePlaces(design.brief, LINES)) {
    const points = pointsAlong(design, 'outputCurrent', loads, inputVoltage).map(kept);
    soFar = { ...soFar, map: [...soFar.map, { inputVoltage, points }] };
    yield told();
  }
  return soFar;
}
