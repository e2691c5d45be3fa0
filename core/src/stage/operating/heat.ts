import { boardRise, thermalPath, type HeatSink, type ThermalStep } from '../../losses/cooling.ts';
import type { CompleteDecisions } from '../../design/complete.ts';

/** Places of a stage that have a temperature of their own. */
export type HeatPlace = 'controlSwitch' | 'rectifier' | 'boostControlSwitch' | 'boostRectifier' | 'inductor';
/** °C of one device; a place is absent where nothing tells its temperature. */
export type Temperatures = Partial<Record<HeatPlace, number>>;

/** °C at which data sheets give a resistance. */
const REFERENCE = 25;
/** K within which heat and resistance have settled (a few millionths of a resistance), where the next pass is likely to be the last, and the passes after which they do not settle. */
const SETTLED = 1e-3;
const NEARLY = 1;
const MOST_PASSES = 60;
/** K above the ambient past which a place has run away: nothing that is sold is whole there. */
const BEYOND = 2000;

interface Device {
  count: number;
  /** K/W to the ambient, and the steps it is the sum of; undefined where nothing tells it */
  resistance: number | undefined;
  path: ThermalStep[];
  /** 1/K of its electrical resistance */
  coefficient: number;
}

/** The devices of a stage, each with what its data sheet says of its heat. */
export function devicesOf(decisions: CompleteDecisions): Partial<Record<HeatPlace, Device>> {
  const { controlSwitch, rectifier, boostLeg, inductor, cooling } = decisions;
  const sinks = cooling?.heatSinks;
  const of = (
    device: {
      count?: number | undefined;
      thermalResistance?: number | undefined;
      junctionToCase?: number | undefined;
    },
    coefficient: number | undefined,
    sink: HeatSink | undefined,
  ): Device => {
    const path = thermalPath(device, cooling, sink);
    return {
      count: device.count ?? 1,
      resistance: path.length > 0 ? path.reduce((sum, step) => sum + step.resistance, 0) : undefined,
      path,
      coefficient: coefficient ?? 0,
    };
  };
  const switched = (device: NonNullable<CompleteDecisions['boostLeg']>['controlSwitch'], sink: HeatSink | undefined) =>
    of(device ?? {}, device?.onResistanceTemperature, sink);
  const rectifying = (device: CompleteDecisions['rectifier'], sink: HeatSink | undefined): Device =>
    of(device, device.kind === 'diode' ? 0 : device.onResistanceTemperature, sink);
  return {
    controlSwitch: switched(controlSwitch, sinks?.controlSwitch),
    rectifier: rectifying(rectifier, sinks?.rectifier),
    inductor: of({ thermalResistance: inductor.thermalResistance }, inductor.resistanceTemperature, undefined),
    ...(decisions.topology === 'four-switch-buck-boost'
      ? {
          boostControlSwitch: switched(boostLeg?.controlSwitch ?? controlSwitch, sinks?.boostControlSwitch),
          boostRectifier: rectifying(boostLeg?.rectifier ?? rectifier, sinks?.boostRectifier),
        }
      : {}),
  };
}

/**
 * K that each place stands above the ambient by what everything else on the board loses: the board's own rise for each
 * watt. Nothing where the design does not tell the board's area.
 */
export function warmedBy(decisions: CompleteDecisions, heat: Heat, place: HeatPlace | undefined): number {
  const { cooling, phases } = decisions;
  if (!cooling?.boardArea) return 0;
  const devices = devicesOf(decisions);
  const places = Object.keys(devices) as HeatPlace[];
  const all = places.reduce(
    (sum, at) => sum + (heat[at]?.total ?? 0) * (phases * devices[at]!.count - (at === place ? 1 : 0)),
    heat.others ?? 0,
  );
  return boardRise(cooling) * all;
}

/** Resistance at a temperature (°C) over that at 25 °C; as given where the temperature is not known. */
export function hotter(coefficient: number | undefined, temperature: number | undefined): number {
  return Math.max(0, 1 + (coefficient ?? 0) * ((temperature ?? REFERENCE) - REFERENCE));
}

/**
 * The decisions as the circuit has them: devices in parallel as one, resistances at their temperatures. The same object
 * where nothing differs from what is given.
 */
export function effective(decisions: CompleteDecisions, temperatures: Temperatures): CompleteDecisions {
  const devices = devicesOf(decisions);
  const factorOf = (place: HeatPlace): number => {
    const { count, coefficient } = devices[place] ?? { count: 1, coefficient: 0 };
    return hotter(coefficient, temperatures[place]) / count;
  };
  const places = Object.keys(devices) as HeatPlace[];
  if (places.every((place) => factorOf(place) === 1) && !decisions.control.senseResistance) return decisions;
  const { controlSwitch, rectifier, boostLeg, inductor } = decisions;
  const sense = decisions.control.senseResistance ?? 0;
  const switched = <T extends { onResistance?: number | undefined }>(device: T, place: HeatPlace): T =>
    device.onResistance === undefined ? device : { ...device, onResistance: device.onResistance * factorOf(place) };
  const rectifying = (device: CompleteDecisions['rectifier'], place: HeatPlace): CompleteDecisions['rectifier'] =>
    device.kind === 'diode'
      ? device.resistance === undefined
        ? device
        : { ...device, resistance: device.resistance * factorOf(place) }
      : switched(device, place);
  return {
    ...decisions,
    controlSwitch: switched(controlSwitch, 'controlSwitch'),
    rectifier: rectifying(rectifier, 'rectifier'),
    // the current sense stands in series with the winding
    inductor: { ...inductor, resistance: inductor.resistance * factorOf('inductor') + sense },
    ...(devices.boostControlSwitch
      ? {
          boostLeg: {
            ...boostLeg,
            controlSwitch: switched(boostLeg?.controlSwitch ?? controlSwitch, 'boostControlSwitch'),
            rectifier: rectifying(boostLeg?.rectifier ?? rectifier, 'boostRectifier'),
          },
        }
      : {}),
  };
}

/**
 * W that heats one device of each place, the part of it that rises with its resistance, and W/K of what rises by
 * itself; `others` is what heats the board beside them all.
 */
export type Heat = Partial<Record<HeatPlace, { total: number; conduction: number; slope?: number }>> & {
  others?: number;
};

/**
 * Solves a corner with heat and resistance settled on each other: each pass solves with the temperatures that the last
 * one's losses give, taken further by each place's own gain. Losses that rise with temperature faster than the heat can
 * leave do not settle: that place has run away, keeps its resistance as given and has no temperature.
 * @param ambient °C
 * @param solveAt a corner with given temperatures, and what heats each place in it; `whole` where all of it is wanted,
 * `roughly` where the pass cannot be the last
 */
export function settle<T extends { point: object | undefined; state: object | undefined; heat: Heat; whole: boolean }>(
  decisions: CompleteDecisions,
  ambient: number,
  solveAt: (temperatures: Temperatures, wanted: { whole: boolean; roughly: boolean }) => T,
): { solved: T; temperatures: Temperatures } {
  const devices = devicesOf(decisions);
  const places = (Object.keys(devices) as HeatPlace[]).filter((place) => devices[place]!.resistance !== undefined);
  const gone = new Set<HeatPlace>();
  for (;;) {
    const alive = places.filter((place) => !gone.has(place));
    const bends = alive.filter((place) => devices[place]!.coefficient !== 0 || leaks(decisions, place));
    let at: Temperatures = Object.fromEntries(alive.map((place) => [place, ambient]));
    let last: { at: Temperatures; gives: Temperatures } | undefined;
    let ran: HeatPlace | undefined;
    // the first pass is whole for what it leaves to the others, the second hardly ever the last
    let whole = true;
    const bent = decisions.inductor.inductanceCurve !== undefined;
    let roughly = bent && bends.length > 0;
    for (let pass = 0; ran === undefined; pass += 1) {
      const solved = solveAt(at, { whole, roughly });
      if (!solved.state || (solved.whole && !solved.point)) return { solved, temperatures: {} };
      const { heat } = solved;
      const gives: Temperatures = Object.fromEntries(
        alive.map((place) => [
          place,
          ambient + devices[place]!.resistance! * (heat[place]?.total ?? 0) + warmedBy(decisions, heat, place),
        ]),
      );
      const miss = bends.reduce((most, place) => Math.max(most, Math.abs(gives[place]! - at[place]!)), 0);
      if (miss <= SETTLED && solved.whole && !roughly) return { solved, temperatures: gives };
      const hottest = bends.reduce((worst, place) => (gives[place]! > gives[worst]! ? place : worst), bends[0]!);
      if (pass >= MOST_PASSES || gives[hottest]! > ambient + BEYOND) ran = hottest;
      const { at: from, gives: gave } = last ?? {};
      last = { at, gives };
      const gainOf = (place: HeatPlace): number =>
        from && from[place] !== last!.at[place]
          ? (gives[place]! - gave![place]!) / (last!.at[place]! - from[place]!)
          : expectedGain(devices[place]!, heat[place], last!.at[place]!);
      at = Object.fromEntries(alive.map((place) => [place, further(last!.at[place]!, gives[place]!, gainOf(place))]));
      whole = pass > 0 && miss < NEARLY;
      roughly = bent && !whole;
    }
    gone.add(ran);
  }
}

/** K that a place grows hotter by for each K it is taken to be hotter: its conduction rises with its resistance. */
function expectedGain({ resistance, coefficient }: Device, heat: Heat[HeatPlace], temperature: number): number {
  const factor = 1 + coefficient * (temperature - REFERENCE);
  const { conduction = 0, slope = 0 } = heat ?? {};
  return factor > 0 ? (resistance ?? 0) * ((conduction * coefficient) / factor + slope) : 0;
}

/** Whether a place is a diode whose leakage rises with its heat. */
function leaks({ rectifier, boostLeg }: CompleteDecisions, place: HeatPlace): boolean {
  const of = (device: CompleteDecisions['rectifier']): boolean =>
    device.kind === 'diode' && (device.leakageCurrent ?? 0) > 0;
  if (place === 'rectifier') return of(rectifier);
  return place === 'boostRectifier' && of(boostLeg?.rectifier ?? rectifier);
}

/** The step towards what gives itself, where the gain between passes is below one; else the pass's own answer. */
function further(at: number, gives: number, gain: number): number {
  return gain > -1 && gain < 0.95 ? at + (gives - at) / (1 - gain) : gives;
}
