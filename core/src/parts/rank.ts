import type { Design } from '../design/schema.ts';
import type { Mosfet, Part } from '../shelf/part.ts';
import { formatQuantity } from '../quantity/index.ts';
import { offered } from '../shelf/shelf.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import {
  blockedBy,
  controllerCandidates,
  diodeCandidates,
  driveOf,
  GATE_VOLTAGES,
  heatReasons,
  inductorCandidates,
  MOST_PARALLEL,
  pairCandidates,
  type Candidate,
} from './candidates.ts';
import { chooseParts } from './choose.ts';
import { opened, type Place } from './places.ts';
import type { Counted, Pairs } from './pairs.ts';
import { capacitorReasons, mosfetReasons, deratingOf, type Derating, type Reason } from './fits.ts';
import { most, pointsOf, stressesAt, type Stresses } from './stress.ts';
import { leftOf } from './values.ts';

/** A part's worth in a place, for tables and plots. */
export interface Ranked {
  part: Part;
  count: number;
  reasons: Reason[];
  /** W of the whole stage over the load profile, with the mate that stands beside it; undefined where not worked out */
  loss: number | undefined;
  full: number | undefined;
  cost: number | undefined;
  /** m² of board and m of height, of all of them */
  area: number | undefined;
  height: number | undefined;
  /** F that are left of a capacitor */
  effective?: number;
}

/** Those of some places, ordered by x, that no other beats in both: each lower than all before it. */
export function frontOf<T extends { x: number; y: number }>(places: readonly T[]): T[] {
  let best = Infinity;
  return places.filter(({ y }) => {
    if (y >= best) return false;
    best = y;
    return true;
  });
}

/** Every part of the kind that a place takes, fitting ones first and by their loss; what rules each other out stands with it. */
export function rankPlace(
  design: Design,
  place: Place,
  parts: readonly Part[],
  by: Derating = deratingOf(design.decisions),
): Ranked[] {
  // what stands in the place is not what is wanted of it
  const open: Design = { ...design, decisions: opened(design.decisions, place) };
  const { decisions } = completeDecisions(open);
  const stresses = stressesAt(open, decisions);
  const found = candidatesFor(open, decisions, stresses, place, parts, by);
  const weight = ({ reasons, loss, cost }: Candidate): number =>
    reasons.length > 0 ? 1e9 + reasons.length : (loss ?? cost ?? 0);
  return found
    .sort((a, b) => weight(a) - weight(b))
    .map(({ part, count, reasons, loss, full, cost, ...rest }) => {
      const { length, width, height } = part;
      return {
        part,
        count,
        reasons,
        // heat that outruns its cooling ends at no figure
        loss: finite(loss),
        full: finite(full),
        cost,
        area: length !== undefined && width !== undefined ? length * width * count * decisions.phases : undefined,
        height,
        ...('effective' in rest ? { effective: rest.effective as number } : {}),
      };
    });
}

const finite = (value: number | undefined): number | undefined =>
  value !== undefined && Number.isFinite(value) ? value : undefined;

/** Loss over the load profile of every pair of a control and a synchronous switch: rows and columns by their resistance. */
export interface PairMap {
  controls: Counted[];
  rectifiers: Counted[];
  /** W, row by row; Infinity where the junctions run away */
  loss: number[][];
  /** the pair that would be taken */
  best: [row: number, column: number];
}

/** Parts along each side of the map. */
const SIDE = 12;

/**
 * Every pair that fits, both places taken as free, thinned to those best with some mate; in parallel where that is best.
 * @returns undefined where the rectifier is a diode, or nothing fits
 */
export function pairMap(design: Design, parts: readonly Part[]): PairMap | undefined {
  const decisions = { ...design.decisions };
  const { decisions: complete } = completeDecisions(design);
  if (complete.rectifier.kind === 'diode') return undefined;
  const by = deratingOf(decisions);
  const ranked = pairCandidates(design, complete, parts, stressesAt(design, complete), by, {
    control: true,
    rectifier: true,
  });
  if (typeof ranked === 'string') return undefined;
  const { pairs } = ranked;
  const { controls, rectifiers, loss } = pairs;
  const at = (i: number, j: number): number => loss[i * rectifiers.length + j]!;
  const least = (count: number, of: (k: number) => number): number =>
    Array.from({ length: count }, (_, k) => of(k)).reduce((low, value) => Math.min(low, value), Infinity);
  const thin = (list: readonly Counted[], worth: (k: number) => number, keep: Counted): number[] => {
    const order = list.map((_, k) => k).sort((a, b) => worth(a) - worth(b));
    const kept = order.slice(0, SIDE);
    const own = list.indexOf(keep);
    if (own >= 0 && !kept.includes(own)) kept[kept.length - 1] = own;
    const ohms = ({ part, count }: Counted): number => (part.onResistance ?? 0) / count;
    return kept.sort((a, b) => ohms(list[a]!) - ohms(list[b]!));
  };
  const rows = thin(controls, (i) => least(rectifiers.length, (j) => at(i, j)), ranked.control);
  const columns = thin(rectifiers, (j) => least(controls.length, (i) => at(i, j)), ranked.rectifier);
  return {
    controls: rows.map((i) => controls[i]!),
    rectifiers: columns.map((j) => rectifiers[j]!),
    loss: rows.map((i) => columns.map((j) => at(i, j))),
    best: [rows.indexOf(controls.indexOf(ranked.control)), columns.indexOf(rectifiers.indexOf(ranked.rectifier))],
  };
}

/** The best pair of switches at each gate voltage and dead time. */
export interface DriveMap {
  /** V and s, rising; the design's own among them */
  gateVoltages: number[];
  deadTimes: number[];
  /** W over the load profile of the pair that would be taken, by gate voltage, then dead time; Infinity where none fits */
  loss: number[][];
  /** that pair in words, in the same order */
  pairs: string[][];
  /** where the least of all stands; and the design, where it has a dead time */
  best: [gateVoltage: number, deadTime: number];
  own: [gateVoltage: number, deadTime: number] | undefined;
}

/** Dead times at each edge, s. Common practice, no source. */
const DEAD_TIMES = [5e-9, 10e-9, 20e-9, 40e-9, 80e-9];

/**
 * How the pair's total goes with what drives it: one's charge, the other's resistance and the body diode in the dead time
 * pull against each other. The stage's currents are those of the design as it stands.
 * @returns undefined where the rectifier is a diode, or nothing fits anywhere
 */
export function driveMap(design: Design, parts: readonly Part[]): DriveMap | undefined {
  const { decisions } = completeDecisions(design);
  if (decisions.rectifier.kind === 'diode') return undefined;
  const by = deratingOf(design.decisions);
  const stresses = stressesAt(design, decisions);
  const drive = driveOf(decisions);
  const withOwn = (list: readonly number[], own: number): number[] =>
    [...new Set([...list, ...(own > 0 ? [own] : [])])].sort((a, b) => a - b);
  const gateVoltages = withOwn(GATE_VOLTAGES, drive.gateVoltage);
  const deadTimes = withOwn(DEAD_TIMES, drive.deadTime);
  const pairs: string[][] = [];
  let best: DriveMap['best'] | undefined;
  const loss = gateVoltages.map((gateVoltage, g): number[] => {
    pairs.push([]);
    return deadTimes.map((deadTime) => {
      const driven = { ...decisions, control: { ...decisions.control, gateVoltage, deadTime } };
      const ranked = pairCandidates(design, driven, parts, stresses, by, { control: true, rectifier: true });
      if (typeof ranked === 'string') {
        pairs[g]!.push(ranked);
        return Infinity;
      }
      const { controls, rectifiers, loss: all } = ranked.pairs;
      pairs[g]!.push(
        [ranked.control, ranked.rectifier].map(({ part, count }) => `${count} × ${part.name}`).join(' with '),
      );
      return all[controls.indexOf(ranked.control) * rectifiers.length + rectifiers.indexOf(ranked.rectifier)]!;
    });
  });
  loss.forEach((row, g) =>
    row.forEach((watts, d) => {
      if (Number.isFinite(watts) && (!best || watts < loss[best[0]]![best[1]]!)) best = [g, d];
    }),
  );
  const own: DriveMap['own'] =
    drive.deadTime > 0 ? [gateVoltages.indexOf(drive.gateVoltage), deadTimes.indexOf(drive.deadTime)] : undefined;
  return best && { gateVoltages, deadTimes, loss, pairs, best, own };
}

/** The stage with a synchronous rectifier and with a diode, each the best that the shelf has, all else the same. */
export function rectifierAlternatives(
  design: Design,
  parts: readonly Part[],
): { kind: 'synchronous' | 'diode'; design: Design; words: string; filled: boolean }[] {
  return (['synchronous', 'diode'] as const).map((kind) => {
    const open: Design = { ...design, decisions: { ...design.decisions, rectifier: { kind } } };
    const choice = chooseParts(open, parts);
    const place = choice.chosen.find((at) => at.place === 'rectifier');
    return {
      kind,
      design: choice.design,
      filled: place?.filled ?? false,
      words: place?.parts.map(({ part, count }) => `${count} × ${part.name}`).join(', ') || (place?.words ?? ''),
    };
  });
}

function candidatesFor(
  design: Design,
  decisions: CompleteDecisions,
  stresses: Stresses,
  place: Place,
  parts: readonly Part[],
  by: Derating,
): Candidate[] {
  switch (place) {
    case 'controller':
      return controllerCandidates(design, decisions, parts);
    case 'inductor':
      return inductorCandidates(design, decisions, parts, stresses, by);
    case 'controlSwitch':
    case 'rectifier':
      return place === 'rectifier' && decisions.rectifier.kind === 'diode'
        ? diodeCandidates(design, decisions, parts, stresses, by)
        : switchCandidates(design, decisions, stresses, place, parts, by);
    case 'outputCapacitors':
    case 'inputCapacitors': {
      const bias = place === 'outputCapacitors' ? design.brief.outputVoltage : design.brief.inputVoltage.max;
      return offered(parts, 'capacitor').map((part) => ({
        part,
        count: 1,
        reasons: capacitorReasons(part, bias, design.brief, by),
        loss: undefined,
        full: undefined,
        cost: part.cost,
        effective: (part.capacitance ?? 0) * leftOf(part, bias),
      }));
    }
  }
}

/** Switches of one place with the best mate that the other place has, or with the one that stands there. */
function switchCandidates(
  design: Design,
  decisions: CompleteDecisions,
  stresses: Stresses,
  place: 'controlSwitch' | 'rectifier',
  parts: readonly Part[],
  by: Derating,
): Candidate[] {
  const other = place === 'controlSwitch' ? decisions.rectifier : decisions.controlSwitch;
  const ranked = pairCandidates(design, decisions, parts, stresses, by, {
    control: place === 'controlSwitch' || other.partId === undefined,
    rectifier: decisions.rectifier.kind === 'synchronous' && (place === 'rectifier' || other.partId === undefined),
  });
  const blocking = blockedBy(design, decisions, pointsOf(stresses))[
    place === 'controlSwitch' ? 'control' : 'rectifier'
  ];
  const rms = most(stresses.corners, ({ legs }) =>
    Math.max(...legs.map((leg) => (place === 'controlSwitch' ? leg.controlRms : leg.rectifierRms))),
  );
  const { gateVoltage } = driveOf(decisions);
  return offered(parts, 'mosfet').map((part): Candidate => {
    let first: Candidate | undefined;
    // as many in parallel as it takes for their junctions to stay cool; where no number does, what one alone lacks
    for (let count = 1; count <= MOST_PARALLEL; count += 1) {
      const reasons = mosfetReasons(part, { blocking, rms, gateVoltage }, count, design.brief, by);
      const worth =
        reasons.length > 0 || typeof ranked === 'string' ? undefined : withBestMate(ranked.pairs, place, part, count);
      if (worth) reasons.push(...heatReasons(worth.temperature, design.brief, 'resistance'));
      else if (reasons.length === 0 && typeof ranked !== 'string')
        reasons.push({
          by: 'class',
          words: `rated ${formatQuantity(part.voltageRating ?? 0, 'V')}, of another class than the ${formatQuantity(blocking, 'V')} that it blocks`,
        });
      const candidate: Candidate = {
        part,
        count,
        reasons,
        loss: worth && Number.isFinite(worth.loss) ? worth.loss : undefined,
        full: undefined,
        cost: part.cost === undefined ? undefined : part.cost * count * decisions.phases,
      };
      if (reasons.length === 0) return candidate;
      first ??= candidate;
    }
    return first!;
  });
}

/** W over the profile and °C at worst of so many of a part in a place, with the mate that makes the least of both. */
function withBestMate(
  pairs: Pairs,
  place: 'controlSwitch' | 'rectifier',
  part: Mosfet,
  count: number,
): { loss: number; temperature: number } | undefined {
  const controls = place === 'controlSwitch';
  const [own, mates] = controls ? [pairs.controls, pairs.rectifiers] : [pairs.rectifiers, pairs.controls];
  const at = own.findIndex((one) => one.part.id === part.id && one.count === count);
  if (at < 0) return undefined;
  let [loss, best] = [Infinity, 0];
  for (let mate = 0; mate < mates.length; mate += 1) {
    const both = pairs.loss[controls ? at * mates.length + mate : mate * own.length + at]!;
    if (both < loss) [loss, best] = [both, mate];
  }
  return { loss, temperature: controls ? pairs.controlTemperature(at, best) : pairs.rectifierTemperature(at) };
}
