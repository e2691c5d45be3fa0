import type { Design } from '../design/schema.ts';
import { along } from '../numbers/along.ts';
import { thermalPath, type Cooling, type HeatSink } from '../losses/cooling.ts';
import { coreLossDensity } from '../losses/core.ts';
import { leakage } from '../losses/leakage.ts';
import { recoveredCharge } from '../losses/reverseRecovery.ts';
import { acResistance } from '../losses/winding.ts';
import { formatQuantity } from '../quantity/index.ts';
import { offered } from '../shelf/shelf.ts';
import type { Controller, Converter, Diode, Inductor, Mosfet, Part } from '../shelf/part.ts';
import { allowedLoss } from '../stage/sizing/banks.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { topologyModel } from '../topology/index.ts';
import {
  controllerReasons,
  converterReasons,
  diodeReasons,
  inductorReasons,
  mosfetReasons,
  type ControllerPlace,
  type Derating,
  type InductorPlace,
  type Reasons,
} from './fits.ts';
import { rankPairs, type Counted, type Drive, type Pairs } from './pairs.ts';
import { most, pointsOf, stressesAt, type LegStress, type StressAt, type Stresses } from './stress.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { diodeValues } from './values.ts';

/** One part as a candidate for a place. */
export interface Candidate<T extends Part = Part> {
  part: T;
  count: number;
  reasons: Reasons;
  /** W of the whole stage over the load profile; undefined where it is not worked out */
  loss: number | undefined;
  /** W at nominal input and full load */
  full: number | undefined;
  cost: number | undefined;
}

/** Loss over the least at which the cheaper part is taken where none stays within its share. Our own starting point. */
const WORTH = 1.12;
/**
 * Parts of the loss allowed at full load that the inductors and the switches may take: the cheapest within its share is
 * what gets built. The rest is for controller, banks and what no data sheet tells. Our own starting point.
 */
export const INDUCTOR_SHARE = 0.25;
export const SWITCH_SHARE = 0.45;
/**
 * Cost of a watt at full load beside that of parts, within the share: what its heat takes to be led away. Without it the
 * cheapest part that just holds would always win. Our own starting point.
 */
const COST_OF_WATT = 0.3;
/** Part of the junction's limit that is left, so that its verdict is "met". */
const SPARE = 0.1;
/** Equal switches in parallel at most. */
export const MOST_PARALLEL = 3;

/** °C that a junction is chosen to stay below. */
const hottestAllowed = (junctionTemperature: number): number => junctionTemperature * (1 - SPARE);

/** Why a junction is too hot, where it is: °C; Infinity is one that runs away by the cause named. */
export function heatReasons(hottest: number, { junctionTemperature }: Design['brief'], runs: string): Reasons {
  const limit = hottestAllowed(junctionTemperature);
  if (!(hottest > limit)) return [];
  const words = Number.isFinite(hottest)
    ? `its junction would reach ${formatQuantity(hottest, '°C')}, a tenth below the limit being ${formatQuantity(limit, '°C')}`
    : `its ${runs} rises with its heat faster than the heat can leave`;
  return [{ by: 'heat', words }];
}

/** The candidate of least cost, with what stands beside it. */
export function cheapest<T extends Candidate>(
  candidates: readonly T[],
  beside: (at: T) => number = () => 0,
): T | undefined {
  let best: T | undefined;
  let least = Infinity;
  for (const at of candidates) {
    const cost = (at.cost ?? Infinity) + beside(at);
    if (best !== undefined && !(cost < least)) continue;
    best = at;
    least = cost;
  }
  return best;
}

/** Cost of placing one more part on the board, beside its own. Our own starting point. */
const PLACING = 0.06;

/** The cheapest candidate whose loss at full load stays within its share; where none does, the cheapest near the least loss. */
export function worthwhile<T extends Candidate>(
  fitting: readonly T[],
  share: number,
): { candidate: T; words: string } | undefined {
  const within = fitting.filter(({ full }) => (full ?? Infinity) <= share);
  const cheap = cheapest(within, ({ full }) => COST_OF_WATT * (full ?? 0));
  if (cheap)
    return {
      candidate: cheap,
      words: `the best for its cost of ${fitting.length} that fit whose loss at full load, ${formatQuantity(cheap.full ?? 0, 'W')}, stays within its share of ${formatQuantity(share, 'W')}`,
    };
  const least = Math.min(...fitting.map(({ loss }) => loss ?? Infinity));
  const near = cheapest(fitting.filter(({ loss }) => (loss ?? Infinity) <= WORTH * least));
  return (
    near && {
      candidate: near,
      words: `none of ${fitting.length} that fit stays within its share of the loss, ${formatQuantity(share, 'W')}: the cheapest within ${Math.round((WORTH - 1) * 100)} % of the least`,
    }
  );
}

/** V that each switch stands at most, drops of diodes with it, ringing apart; one part serves both legs of a four-switch stage. */
export function blockedBy(
  { brief }: Design,
  { topology }: CompleteDecisions,
  points: readonly OperatingPoint[],
): { control: number; rectifier: number } {
  const model = topologyModel(topology);
  const stress = model.switchStress(brief.inputVoltage.max, brief.outputVoltage);
  const found = (of: 'controlSwitch' | 'rectifier'): number =>
    Math.max(
      0,
      ...points.flatMap((point) =>
        [point[of], ...(point.boostLeg ? [point.boostLeg[of]] : [])].map(({ blockingVoltage }) => blockingVoltage),
      ),
    );
  const control = Math.max(stress.control, found('controlSwitch'));
  const rectifier = Math.max(stress.rectifier, found('rectifier'));
  const higher = Math.max(control, rectifier);
  return model.switches === 4 ? { control: higher, rectifier: higher } : { control, rectifier };
}

/** What was sought, and by what how many were ruled out. */
export function soughtWords(what: string, candidates: readonly Candidate[]): string {
  if (candidates.length === 0) return `the shelf has no ${what}`;
  const counts = new Map<string, number>();
  for (const { reasons } of candidates)
    for (const by of new Set(reasons.map((reason) => reason.by))) counts.set(by, (counts.get(by) ?? 0) + 1);
  const by = [...counts].sort(([, a], [, b]) => b - a).map(([name, count]) => `${count} by ${name}`);
  return `no ${what} on the shelf fits: of ${candidates.length}, ${by.join(', ')}`;
}

function switchWords(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
  blocking: number,
  by: Derating,
): string {
  const { gateVoltage } = driveOf(decisions);
  const found = offered(parts, 'mosfet').map((part): Candidate => ({
    part,
    count: 1,
    reasons: mosfetReasons(part, { blocking, rms: 0, gateVoltage }, 1, design.brief, by),
    loss: undefined,
    full: undefined,
    cost: part.cost,
  }));
  return soughtWords('switch', found);
}

/** Gate voltages of usual drivers, V. Common practice, no source. */
export const GATE_VOLTAGES = [4.5, 5, 6, 8, 10, 12];

/** The gate drive of a design; a usual one where its controller is not known. Common practice, no source. */
export function driveOf({ control, controlSwitch }: Pick<CompleteDecisions, 'control' | 'controlSwitch'>): Drive {
  const high = (controlSwitch.voltageRating ?? 0) > 40;
  return {
    gateVoltage: control.gateVoltage ?? (high ? 10 : 5),
    pullUp: control.driverPullUpResistance ?? 2,
    pullDown: control.driverPullDownResistance ?? 1,
    deadTime: control.deadTime,
  };
}

/** Times the resistance by rule that a part which is yet to be bought may have: its winding or channel is hot. Common practice, no source. */
const HOT = 2;

/** What a controller would have to do in a complete design. */
function controllerPlace(design: Design, decisions: CompleteDecisions, stresses: Stresses): ControllerPlace {
  const { brief, decisions: given } = design;
  const { topology, inductor, controlSwitch } = decisions;
  const switchingOf = ({ corners }: Stresses): StressAt[] =>
    corners.filter(
      ({ corner, legs }) =>
        corner.outputCurrent === brief.outputCurrent.max && legs[0]!.switches && topology !== 'four-switch-buck-boost',
    );
  const switching = switchingOf(stresses);
  const everyLoad =
    topology === 'four-switch-buck-boost' ? switching : stresses.corners.filter(({ legs }) => legs[0]!.switches);
  const hot = (ohms: number, held: number | undefined): number => held ?? HOT * ohms;
  const drooping = switchingOf(
    stressesAt(design, {
      ...decisions,
      inductor: { ...inductor, resistance: hot(inductor.resistance, given.inductor?.resistance) },
      controlSwitch: {
        ...controlSwitch,
        onResistance: hot(controlSwitch.onResistance, given.controlSwitch?.onResistance),
      },
    }),
  );
  const below = topology === 'inverting-buck-boost' ? brief.outputVoltage : 0;
  return {
    topology,
    phases: decisions.phases,
    frequency: decisions.switchingFrequency,
    synchronous: decisions.rectifier.kind === 'synchronous',
    // at a fixed frequency no drop lengthens the lightest load's pulse
    shortestOnTime: Math.min(
      Infinity,
      ...(decisions.lightLoad === 'forced-pwm' ? everyLoad : switching).map(({ point }) => point.onTime),
    ),
    shortestOffTime: Math.min(Infinity, ...drooping.map(({ point }) => point.offTime)),
    largestDuty: Math.max(0, ...drooping.map(({ point }) => point.duty)),
    inputVoltage: { min: brief.inputVoltage.min, max: brief.inputVoltage.max + below },
    method: given.control?.method,
    lightLoad: given.lightLoad ?? decisions.lightLoad,
  };
}

export function controllerCandidates(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
): Candidate<Controller | Converter>[] {
  const stresses = stressesAt(design, decisions);
  const place = controllerPlace(design, decisions, stresses);
  const own = ({ quiescentCurrent = 0 }: Controller | Converter): number =>
    quiescentCurrent * design.brief.inputVoltage.nominal;
  const { phases } = decisions;
  const carries = most(stresses.corners, ({ point }) => point.inductorCurrent.peak);
  const inner = (part: Converter, { legs }: StressAt): number =>
    phases *
    legs.reduce(
      (sum, leg) =>
        sum +
        leg.controlRms ** 2 * (part.controlResistance ?? 0) +
        leg.rectifierRms ** 2 * (part.rectifierResistance ?? 0),
      0,
    );
  return [
    ...offered(parts, 'controller').map((part) => ({
      part,
      count: 1,
      reasons: controllerReasons(part, place, design.brief),
      loss: own(part),
      full: own(part),
      cost: part.cost,
    })),
    // what is known of its switches is their resistance: their switching loss stays unknown, and is said to be
    ...offered(parts, 'converter').map((part) => ({
      part,
      count: 1,
      reasons: [
        ...controllerReasons(part, place, design.brief),
        ...converterReasons(part, {
          brings: design.decisions.controlSwitch !== undefined || isNumbered(design.decisions.rectifier),
          synchronous: place.synchronous,
          current: design.brief.outputCurrent.max / phases,
          peak: carries,
        }),
      ],
      loss: own(part) + stresses.profile.reduce((sum, stress) => sum + stress.share * inner(part, stress), 0),
      full: own(part) + Math.max(0, ...stresses.full.map((stress) => inner(part, stress))),
      cost: part.cost,
    })),
  ];
}

/** Whether a rectifier says more than its kind. */
const isNumbered = (rectifier: Design['decisions']['rectifier']): boolean =>
  rectifier !== undefined && Object.keys(rectifier).some((key) => key !== 'kind');

function inductorPlace(design: Design, decisions: CompleteDecisions, stresses: Stresses): InductorPlace {
  return {
    inductance: decisions.inductor.inductance,
    saturation: decisions.inductor.saturationCurrent,
    rms: most(stresses.corners, ({ point }) => point.inductorCurrent.rms),
    frequency: design.decisions.switchingFrequency ?? decisions.switchingFrequency,
    coupled: decisions.coupling && {
      windings: windingsOf(decisions),
      coefficient: decisions.coupling.coefficient,
    },
  };
}

/** Phases whose windings share a core. */
export const windingsOf = ({ coupling, phases }: Pick<CompleteDecisions, 'coupling' | 'phases'>): number =>
  !coupling ? 1 : coupling.arrangement === 'one-core' ? phases : 2;

export function inductorCandidates(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
  stresses: Stresses,
  by: Derating,
): Candidate<Inductor>[] {
  const place = inductorPlace(design, decisions, stresses);
  const over = (at: readonly StressAt[], part: Inductor): number =>
    decisions.phases *
    at.reduce((sum, stress) => sum + stress.share * inductorLoss(part, stress, decisions.inductor.inductance), 0);
  return offered(parts, 'inductor').map((part) => ({
    part,
    count: 1,
    reasons: inductorReasons(part, place, design.brief, by),
    loss: over(stresses.profile, part),
    full: over(stresses.full, part),
    cost: part.cost === undefined ? undefined : (part.cost * decisions.phases) / windingsOf(decisions),
  }));
}

/** W of one inductor at a load: winding and core for a triangle of the ripple that its own inductance would give. */
function inductorLoss(part: Inductor, { point }: Stresses['profile'][number], solvedWith: number): number {
  const { average, ripple } = point.inductorCurrent;
  const inductance = part.inductanceCurve
    ? along(part.inductanceCurve, Math.abs(average))
    : (part.inductance ?? solvedWith);
  const swing = (ripple * solvedWith) / inductance;
  const resistance = part.resistance ?? 0;
  const alternating = part.acResistance
    ? acResistance([[0, Math.max(1e-9, resistance)], ...part.acResistance], point.switchingFrequency)
    : resistance;
  const winding = average ** 2 * resistance + (swing ** 2 / 12) * alternating;
  const { turns, coreArea, coreVolume, steinmetzK: k, steinmetzAlpha: alpha, steinmetzBeta: beta } = part;
  if (!turns || !coreArea || !coreVolume || !k || !alpha || !beta || swing === 0) return winding;
  const peak = (inductance * swing) / (turns * coreArea);
  const period = 1 / point.switchingFrequency;
  const on = Math.min(0.98, Math.max(0.02, point.duty)) * period;
  const flux = { time: [0, on, period], value: [-peak / 2, peak / 2, -peak / 2] };
  return winding + coreVolume * coreLossDensity(flux, { k, alpha, beta });
}

/** A part with the way that its heat has in this design in place of its data sheet's. */
function cooledBy<T extends Mosfet | Diode>(part: T, cooling: Cooling | undefined, sink: HeatSink | undefined): T {
  const path = thermalPath(part, cooling, sink);
  return path.length === 0
    ? part
    : { ...part, thermalResistance: path.reduce((sum, { resistance }) => sum + resistance, 0) };
}

export function diodeCandidates(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
  stresses: Stresses,
  by: Derating,
): Candidate<Diode>[] {
  const { rectifier: blocking } = blockedBy(design, decisions, pointsOf(stresses));
  const average = most(stresses.corners, ({ legs }) => Math.max(...legs.map((leg) => leg.rectifierAverage)));
  const { ambientTemperature: ambient } = design.brief;
  const { cooling } = decisions;
  return offered(parts, 'diode').flatMap((part) => {
    const cooled = cooledBy(part, cooling, cooling?.heatSinks?.rectifier);
    return [1, 2].map((count) => {
      const hottest = most(stresses.corners, ({ legs, point }) =>
        Math.max(...legs.map((leg) => diodeHeat(cooled, count, leg, point, ambient).temperature)),
      );
      return {
        part,
        count,
        reasons: [
          ...diodeReasons(part, { blocking, average }, count, design.brief, by),
          ...heatReasons(hottest, design.brief, 'leakage'),
        ],
        loss: decisions.phases * diodeLoss(cooled, count, stresses.profile, ambient),
        full: decisions.phases * diodeLoss(cooled, count, stresses.full, ambient),
        cost: part.cost === undefined ? undefined : (part.cost + PLACING) * count * decisions.phases,
      };
    });
  });
}

/** W of one phase's diodes over loads with their shares. */
function diodeLoss(part: Diode, count: number, at: readonly StressAt[], ambient: number): number {
  let loss = 0;
  for (const { legs, share, point } of at)
    for (const leg of legs) loss += share * diodeHeat(part, count, leg, point, ambient).loss;
  return loss;
}

/** W of a leg's diodes and °C of one: what they conduct, give back and leak, the leakage settled with its heat. */
function diodeHeat(
  part: Diode,
  count: number,
  leg: LegStress,
  { switchingFrequency, rectifierDuty }: StressAt['point'],
  ambient: number,
): { loss: number; temperature: number } {
  const conduction =
    leg.rectifierAverage * (part.forwardVoltage ?? 0) + (leg.rectifierRms ** 2 * (part.resistance ?? 0)) / count;
  const recovered = leg.hard ? leg.blocking * (recoveredCharge(diodeValues(part, count), leg.on) ?? 0) : 0;
  const elsewhere = switchingFrequency * count * (0.5 * leg.charged * (part.outputCharge ?? 0) + recovered);
  const thermal = part.thermalResistance ?? 0;
  let temperature = ambient + (thermal * conduction) / count;
  let leaks = 0;
  for (let pass = 0; pass < MOST_HEAT_PASSES; pass += 1) {
    leaks =
      leakage(diodeValues(part, count), {
        conducts: rectifierDuty,
        blocking: leg.rectifierBlocking,
        temperature,
      })?.loss ?? 0;
    const next = ambient + (thermal * (conduction + leaks)) / count;
    if (!(next < ambient + RUN_AWAY)) return { loss: Infinity, temperature: Infinity };
    if (Math.abs(next - temperature) < 0.01) break;
    temperature = next;
  }
  return { loss: conduction + elsewhere + leaks, temperature };
}
const MOST_HEAT_PASSES = 40;
/** K of rise past which nothing that is sold is whole. */
const RUN_AWAY = 400;

/** The pair that is taken, and all that were ranked. */
export interface RankedPair {
  control: Counted;
  rectifier: Counted;
  words: string;
  pairs: Pairs;
  /** none keeps its junctions cool by its package alone */
  hot?: true;
}

/**
 * Every fitting pair ranked by loss over the profile, and the cheapest within its share whose junctions stay below the limit.
 * @returns why there is none, in words
 */
export function pairCandidates(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
  stresses: Stresses,
  by: Derating,
  free: { control: boolean; rectifier: boolean },
): RankedPair | string {
  const inClass = pairsOf(design, decisions, parts, stresses, by, free, MOST_OF_CLASS);
  if (typeof inClass !== 'string' && !inClass.hot) return inClass;
  const any = pairsOf(design, decisions, parts, stresses, by, free, Infinity);
  return typeof any === 'string' || (typeof inClass !== 'string' && any.hot) ? inClass : any;
}

/** Times the voltage that is asked of a switch, ringing with it, beyond which one is of another class, and V below which none is. Our own starting point. */
const MOST_OF_CLASS = 2.5;
const LOW_VOLTAGE = 60;

function pairsOf(
  design: Design,
  decisions: CompleteDecisions,
  parts: readonly Part[],
  stresses: Stresses,
  by: Derating,
  free: { control: boolean; rectifier: boolean },
  classes: number,
): RankedPair | string {
  const { brief } = design;
  const drive = driveOf(decisions);
  const { phases } = decisions;
  const largest = (of: (leg: Stresses['corners'][number]['legs'][number]) => number): number =>
    most(stresses.corners, ({ legs }) => Math.max(...legs.map(of)));
  const options = (blocking: number, rms: number): Counted[] =>
    offered(parts, 'mosfet').flatMap((part) =>
      Array.from({ length: MOST_PARALLEL }, (_, i) => ({ part, count: i + 1 })).filter(
        ({ count }) =>
          (part.voltageRating ?? 0) <= Math.max(LOW_VOLTAGE, classes * by.ringing * blocking) &&
          mosfetReasons(part, { blocking, rms, gateVoltage: drive.gateVoltage }, count, brief, by).length === 0,
      ),
    );
  const held = (device: object | undefined): Counted[] => [
    {
      part: { kind: 'mosfet', id: 'held', name: 'held', ...device },
      count: (device as { count?: number } | undefined)?.count ?? 1,
    },
  ];
  const { controlSwitch, rectifier, cooling } = decisions;
  const blocked = blockedBy(design, decisions, pointsOf(stresses));
  const cooled = (found: Counted[], sink: HeatSink | undefined): Counted[] =>
    cooling ? found.map(({ part, count }) => ({ count, part: cooledBy(part, cooling, sink) })) : found;
  const controls = cooled(
    free.control
      ? options(
          blocked.control,
          largest((leg) => leg.controlRms),
        )
      : held(controlSwitch),
    cooling?.heatSinks?.controlSwitch,
  );
  const rectifiers = cooled(
    free.rectifier
      ? options(
          blocked.rectifier,
          largest((leg) => leg.rectifierRms),
        )
      : // a diode's own loss is not the pair's, but what it gives back heats the control switch
        held(rectifier.kind === 'synchronous' ? rectifier : { ...rectifier, onResistance: 0, bodyDiodeVoltage: 0 }),
    cooling?.heatSinks?.rectifier,
  );
  if (controls.length === 0) return switchWords(design, decisions, parts, blocked.control, by);
  if (rectifiers.length === 0) return switchWords(design, decisions, parts, blocked.rectifier, by);
  const conditions = { corners: stresses.corners, drive, phases, ambient: brief.ambientTemperature };
  const pairs = rankPairs(controls, rectifiers, { ...conditions, profile: stresses.profile });
  const full = rankPairs(controls, rectifiers, { ...conditions, profile: stresses.full });
  const coolest = hottestAllowed(brief.junctionTemperature);
  const cool = (i: number, j: number): boolean =>
    !(free.rectifier && pairs.rectifierTemperature(j) > coolest) &&
    !(free.control && pairs.controlTemperature(i, j) > coolest);
  const costOf = ({ part, count }: Counted): number => count * ((part.cost ?? 1) + PLACING);
  const [firstCosts, otherCosts] = [controls.map(costOf), rectifiers.map(costOf)];
  const place = (at: number): [number, number] => [Math.floor(at / rectifiers.length), at % rectifiers.length];
  const costAt = (at: number): number => firstCosts[place(at)[0]]! + otherCosts[place(at)[1]]!;
  /** The pair whose junctions stay cool that is least by a score; NaN is none. Heat is asked of those alone that would better the best. */
  const least = (scoreOf: (at: number, cost: number) => number): number | undefined => {
    let best: number | undefined;
    let score = Infinity;
    for (let i = 0, at = 0; i < controls.length; i += 1)
      for (let j = 0; j < rectifiers.length; j += 1, at += 1) {
        const own = scoreOf(at, firstCosts[i]! + otherCosts[j]!);
        if (!(own < score) || !cool(i, j)) continue;
        best = at;
        score = own;
      }
    return best;
  };
  const share = SWITCH_SHARE * allowedLoss(brief);
  let best = least((at, cost) =>
    pairs.loss[at]! < Infinity && full.loss[at]! <= share ? cost + COST_OF_WATT * (full.loss[at]! / phases) : NaN,
  );
  let rule = `whose loss at full load stays within its share, ${formatQuantity(share, 'W')}`;
  if (best === undefined) {
    const first = least((at) => pairs.loss[at]!);
    if (first === undefined) {
      const hot = `${pairs.loss.length} pairs fit, and none keeps its junctions below ${formatQuantity(coolest, '°C')} by its package alone: a heat sink, another frequency or more phases are needed`;
      const at = pairs.loss.reduce((best, loss, k) => (loss < pairs.loss[best]! ? k : best), 0);
      if (!(pairs.loss[at]! < Infinity)) return hot;
      // what a heat sink is put to, and what is judged too hot without
      const [i, j] = place(at);
      return {
        control: controls[i]!,
        rectifier: rectifiers[j]!,
        words: `${hot}; the one that loses least`,
        pairs,
        hot: true,
      };
    }
    const limit = WORTH * pairs.loss[first]!;
    // of those that cost the same the one that loses least
    const cheapest = least((at, cost) => (pairs.loss[at]! <= limit ? cost : NaN));
    const price = costAt(cheapest ?? first);
    best = least((at, cost) => (pairs.loss[at]! <= limit && cost === price ? pairs.loss[at]! : NaN)) ?? first;
    rule = `within ${Math.round((WORTH - 1) * 100)} % of the least, none staying within its share of ${formatQuantity(share, 'W')}`;
  }
  const [i, j] = place(best);
  return {
    control: controls[i]!,
    rectifier: rectifiers[j]!,
    words: `with its mate ${formatQuantity(full.loss[best]!, 'W')} at full load: the best for their cost of ${pairs.loss.length} pairs ${rule}, junctions below ${formatQuantity(coolest, '°C')}`,
    pairs,
  };
}
