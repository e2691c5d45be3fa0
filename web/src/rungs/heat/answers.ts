import {
  LIGHT_LOADS,
  lightLoadCurve,
  linePlaces,
  loadPlaces,
  loadProfile,
  pointsAlong,
  type LightLoad,
  type LoadShare,
  type OperatingPoint,
  type Part,
  type PartsView,
  type Result,
} from '@yundro/core';
import type { Design } from '@yundro/core';
import { filled } from '../../workers/filled.ts';
import type { Long } from '../../workers/long.ts';

/** What the Heat rung draws: what there is so far. */
export interface HeatAnswer {
  /** with every free place filled */
  design: Design;
  result: Result;
  places: PartsView['places'];
  /** each light-load policy over load, at nominal input */
  overLoad: { policy: LightLoad; points: HeatPoint[] }[];
  /** rows of the map, one an input */
  map: { inputVoltage: number; points: HeatPoint[] }[];
  energy: Energy | undefined;
}

/** What is kept of a point of a sweep. */
export interface HeatPoint {
  outputCurrent: number;
  frequency: number;
  ripple: number;
  efficiency: number;
  losses: [name: string, loss: number][];
  total: number;
  outputPower: number;
  hottest: number | undefined;
}

/** The load profile as energy. */
export interface Energy {
  profile: LoadShare[];
  assumed: boolean;
  /** W on average: at the output, and lost */
  delivered: number;
  lost: number;
  /** s that the brief's battery lasts */
  lasts: number | undefined;
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
    ripple: (point.outputFilter ?? point.outputCapacitor).ripple,
    efficiency: point.efficiency,
    losses: Object.entries(each),
    total,
    outputPower: point.outputPower,
    hottest: temperatures.length > 0 ? Math.max(...temperatures) : undefined,
  };
}

/** These are asked with the shelf's parts, which the worker reads by itself. */
export const heatAnswers = {
  /** Every corner of another state of the design, its free places filled as this shelf fills them. */
  heatThen(design: Design, parts: readonly Part[]): OperatingPoint[] {
    return filled(design, parts).result.operatingPoints;
  },
};

export const heatLongAnswers = {
  *heat(design: Design, parts: readonly Part[]): Long<HeatAnswer> {
    const { design: whole, result, places } = filled(design, parts);
    const { brief } = whole;
    const steps = 2 + LIGHT_LOADS.length + LINES;
    let done = 1;
    let soFar: HeatAnswer = { design: whole, result, places, overLoad: [], map: [], energy: undefined };
    yield { part: done / steps, soFar };
    const { profile, assumed } = loadProfile(brief);
    const shares = profile.flatMap(({ current, share }) => {
      const [point] = pointsAlong(whole, 'outputCurrent', [current], brief.inputVoltage.nominal);
      return point ? [{ share, point }] : [];
    });
    const average = (of: (point: OperatingPoint) => number): number =>
      shares.reduce((sum, { share, point }) => sum + share * of(point), 0);
    const delivered = average((point) => point.outputPower);
    const lost = average((point) => point.losses.total);
    const { batteryEnergy } = brief;
    const lasts = batteryEnergy === undefined ? undefined : batteryEnergy / (delivered + lost);
    soFar = { ...soFar, energy: { profile, assumed, delivered, lost, lasts } };
    done += 1;
    yield { part: done / steps, soFar };
    for (const policy of LIGHT_LOADS) {
      const points = lightLoadCurve(whole, policy, POINTS).map(kept);
      soFar = { ...soFar, overLoad: [...soFar.overLoad, { policy, points }] };
      done += 1;
      yield { part: done / steps, soFar };
    }
    const loads = loadPlaces(brief, LOADS);
    for (const inputVoltage of linePlaces(brief, LINES)) {
      const points = pointsAlong(whole, 'outputCurrent', loads, inputVoltage).map(kept);
      soFar = { ...soFar, map: [...soFar.map, { inputVoltage, points }] };
      done += 1;
      yield { part: Math.min(1, done / steps), soFar };
    }
    return soFar;
  },
};
