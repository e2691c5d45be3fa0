import { devicesOf, warmedBy, type HeatPlace } from './heat.ts';
import { heatOf, type OperatingPoint } from './operatingPoint.ts';
import type { CompleteDecisions } from '../../design/complete.ts';

/** The way of the heat from one device of a place to the ambient. */
export interface Ladder {
  place: HeatPlace;
  /** °C at the junction or winding, then where each step ends */
  rungs: { at: string; temperature: number }[];
  /** W that flow down it */
  heat: number;
  /** K by which everything else on the board warms its foot */
  warmed: number;
}

/** The thermal ladder of every place whose temperature is known. @param ambient °C */
export function laddersOf(decisions: CompleteDecisions, point: OperatingPoint, ambient: number): Ladder[] {
  const devices = devicesOf(decisions);
  const heat = heatOf(decisions, point.losses, { buck: point.losses.deadTimeConduction ?? 0, boost: 0 });
  return (Object.entries(point.temperatures ?? {}) as [HeatPlace, number][]).flatMap(([place, top]) => {
    const { path = [], resistance } = devices[place] ?? {};
    if (!resistance) return [];
    const warmed = warmedBy(decisions, heat, place);
    const flow = (top - ambient - warmed) / resistance;
    let temperature = top;
    const rungs = [{ at: place === 'inductor' ? 'winding' : 'junction', temperature }];
    for (const step of path) {
      temperature -= step.resistance * flow;
      rungs.push({ at: step.to, temperature });
    }
    return [{ place, rungs, heat: flow, warmed }];
  });
}
