import type { Decisions, Design } from '../design/schema.ts';
import { formatQuantity, type Unit } from '../quantity/index.ts';
import type { Part } from '../shelf/part.ts';
import type { Result } from '../solve.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { smallPartsFor, type SmallPart } from './controllerParts.ts';
import { blockedBy } from './candidates.ts';
import { lossesOfPlace } from '../losses/mechanisms.ts';
import { chooseParts, type Choice } from './choose.ts';
import { solveChosen } from './solve.ts';
import { DECISION, isGiven, opened, PLACES, type Place } from './places.ts';
import { deratingOf, voltageShare, type Derating } from './fits.ts';

/** One rating and what is used of it, at its worst corner. */
export interface RatingUsed {
  name: string;
  unit: Unit;
  value: number;
  /** what may be used, derating included */
  rating: number;
  /** within, with less than a tenth left where the rating holds no derating, or beyond */
  verdict: 'met' | 'marginal' | 'missed';
}

/** One place of the stage with what stands in it. */
export interface PlaceView {
  place: Place;
  /** whether the design holds it; else the shelf fills it */
  held: boolean;
  /** false where neither the design nor the shelf has a part: a usual one stands in */
  filled: boolean;
  parts: { part: Part; count: number }[];
  /** the shelf has other values than the design was made with */
  newer: boolean;
  words: string;
  ratings: RatingUsed[];
  /** W of the stage at nominal input and full load; °C of the hottest device over all corners */
  loss: number | undefined;
  temperature: number | undefined;
}

/** The stage with its places filled. */
export interface PartsView {
  /** with every part that was chosen written in */
  design: Design;
  result: Result;
  places: PlaceView[];
  /** sentences on what is another with these parts than without */
  anew: string[];
  /** what belongs to the controller that stands, in standard values */
  small: SmallPart[];
}

/**
 * @param parts of the shelf, among which those that the design names are found again
 * @param choice what fills its free places; made where it is not known
 */
export function viewParts(
  design: Design,
  parts: readonly Part[],
  choice: Choice = chooseParts(design, parts),
): PartsView {
  const by = deratingOf(design.decisions);
  const result = solveChosen(design, choice);
  const { nominal } = design.brief.inputVoltage;
  const full = result.operatingPoints
    .filter(({ inputVoltage }) => inputVoltage === nominal)
    .reduce<OperatingPoint | undefined>((a, b) => (a && a.outputCurrent > b.outputCurrent ? a : b), undefined);
  const places = PLACES.map((place): PlaceView => {
    const chosen = choice.chosen.find((at) => at.place === place);
    const standing = chosen?.parts ?? partsIn(choice.design.decisions, place, result.decisions.phases, parts);
    return {
      place,
      held: chosen === undefined,
      filled: chosen?.filled ?? true,
      parts: standing,
      newer: chosen === undefined && standing.some(({ part }) => differs(choice.design.decisions, place, part)),
      words: chosen?.words ?? (standing.length > 0 ? 'held in the design' : 'given in the design, without a part'),
      ratings: ratingsUsedOf(
        place,
        design,
        result,
        standing.map(({ part }) => part),
        by,
      ),
      loss: full && lossIn(place, full),
      temperature: hottest(place, result.operatingPoints),
    };
  });
  const standing = places.find(({ place }) => place === 'controller')?.parts[0]?.part;
  return {
    design: choice.design,
    result,
    places,
    anew: choice.anew,
    small:
      standing?.kind === 'controller' || standing?.kind === 'converter'
        ? smallPartsFor(design.brief, result, standing)
        : [],
  };
}

/** W of a place's own mechanisms; undefined where none of them is known. */
function lossIn(place: Place, { losses }: OperatingPoint): number | undefined {
  const known = lossesOfPlace(place).flatMap((name) => losses[name] ?? []);
  return known.length > 0 ? known.reduce((sum, loss) => sum + loss, 0) : undefined;
}

/** The parts that a design names in a place, found again on the shelf. */
function partsIn(
  decisions: Decisions,
  place: Place,
  phases: number,
  parts: readonly Part[],
): { part: Part; count: number }[] {
  const standing = decisions[DECISION[place]] as
    { partId?: string; count?: number } | { partId?: string; count?: number }[] | undefined;
  const list = Array.isArray(standing) ? standing : standing ? [standing] : [];
  const each = Array.isArray(standing) || place === 'controller' ? 1 : phases;
  return list.flatMap(({ partId, count = 1 }) => {
    const part = partId === undefined ? undefined : parts.find(({ id }) => id === partId);
    return part ? [{ part, count: count * each }] : [];
  });
}

/** Whether the shelf's part says something else than the design holds of it. */
function differs(decisions: Decisions, place: Place, part: Part): boolean {
  const standing = decisions[DECISION[place]];
  if (typeof standing !== 'object' || Array.isArray(standing)) return false;
  const values = part as Record<string, unknown>;
  // what a part's own voltage or derating turns into another number cannot be told apart from an edit
  const plain = [
    'thermalResistance',
    'gateDrainCharge',
    'plateauVoltage',
    'reverseRecoveryCharge',
    'resistance',
    'inductance',
    'saturationCurrent',
    'forwardVoltage',
    'quiescentCurrent',
    'deadTime',
  ];
  return plain.some((key) => {
    const own = (standing as Record<string, unknown>)[key];
    return own !== undefined && values[key] !== undefined && own !== values[key];
  });
}

function hottest(place: Place, points: readonly OperatingPoint[]): number | undefined {
  const names = {
    controlSwitch: ['controlSwitch', 'boostControlSwitch'],
    rectifier: ['rectifier', 'boostRectifier'],
    inductor: ['inductor'],
  } as const;
  if (place !== 'controlSwitch' && place !== 'rectifier' && place !== 'inductor') return undefined;
  const found = points.flatMap(({ temperatures }) => names[place].flatMap((name) => temperatures?.[name] ?? []));
  return found.length > 0 ? Math.max(...found) : undefined;
}

/** Ratings that parts of several kinds carry. */
interface Rated {
  currentRating?: number;
  ratedCurrent?: number;
  inputVoltageMaximum?: number;
}

function ratingsUsedOf(
  place: Place,
  design: Design,
  result: Result,
  parts: readonly Part[],
  by: Derating,
): RatingUsed[] {
  const { brief } = design;
  const { decisions, operatingPoints: points } = result;
  if (points.length === 0) return [];
  const most = (of: (point: OperatingPoint) => number): number => Math.max(...points.map(of));
  const used = (name: string, unit: Unit, value: number, rating: number | undefined, derated = true): RatingUsed[] => {
    if (rating === undefined || !Number.isFinite(rating)) return [];
    const used = value / rating;
    const verdict = used > 1 + 1e-9 ? 'missed' : !derated && used > 0.9 ? 'marginal' : 'met';
    return [{ name, unit, value, rating, verdict }];
  };
  const part = parts[0] as Rated | undefined;
  switch (place) {
    case 'controlSwitch':
    case 'rectifier': {
      const standing = decisions[place];
      const of = (point: OperatingPoint) => [point[place], ...(point.boostLeg ? [point.boostLeg[place]] : [])];
      const count = standing.count ?? 1;
      const rated = part?.currentRating;
      const diode = place === 'rectifier' && decisions.rectifier.kind === 'diode';
      return [
        ...used(
          'voltage',
          'V',
          // ringing stands in the derating
          blockedBy(design, decisions, points)[place === 'controlSwitch' ? 'control' : 'rectifier'],
          standing.voltageRating && standing.voltageRating / by.ringing,
        ),
        ...(diode
          ? used(
              'average',
              'A',
              most((point) => Math.max(...of(point).map((leg) => leg.averageCurrent))) / count,
              rated && rated * by.diodeCurrent,
            )
          : used(
              'RMS',
              'A',
              most((point) => Math.max(...of(point).map((leg) => leg.rmsCurrent))) / count,
              rated && rated * by.switchCurrent,
            )),
        ...used(
          'junction',
          '°C',
          hottest(place, points) ?? Number.NaN,
          hottest(place, points) === undefined ? undefined : brief.junctionTemperature,
          false,
        ),
      ];
    }
    case 'inductor':
      return [
        ...used(
          'saturation',
          'A',
          most((point) => point.inductorCurrent.peak),
          decisions.inductor.saturationCurrent,
          false,
        ),
        ...used(
          'RMS',
          'A',
          most((point) => point.inductorCurrent.rms),
          part?.ratedCurrent && part.ratedCurrent * by.inductorCurrent,
        ),
      ];
    case 'outputCapacitors':
    case 'inputCapacitors': {
      const banks = decisions[place];
      const bias = place === 'outputCapacitors' ? brief.outputVoltage : brief.inputVoltage.max;
      const shares = parts.flatMap((one) =>
        one.kind === 'capacitor' && one.voltageRating ? [one.voltageRating * voltageShare(one, by)] : [],
      );
      const bank = place === 'outputCapacitors' ? 'outputCapacitor' : 'inputCapacitor';
      return [
        ...used('voltage', 'V', bias, shares.length > 0 ? Math.min(...shares) : undefined),
        // shared out by impedance: the one that is used most need not be the one that carries most
        ...banks.flatMap(({ count, rippleCurrentRating }, at) =>
          used(
            banks.length > 1 ? `RMS, one of ${count} × ${formatQuantity(banks[at]!.capacitance, 'F')}` : 'RMS, one',
            'A',
            most((point) => point[bank].each[at]?.rmsCurrent ?? 0),
            rippleCurrentRating,
          ),
        ),
        ...banks.flatMap(({ lifetimeTemperature }, at) =>
          used(
            'core',
            '°C',
            most((point) => point[bank].each[at]?.temperature ?? Number.NaN),
            Number.isFinite(most((point) => point[bank].each[at]?.temperature ?? Number.NaN))
              ? lifetimeTemperature
              : undefined,
            false,
          ),
        ),
      ];
    }
    case 'controller': {
      const below = decisions.topology === 'inverting-buck-boost' ? brief.outputVoltage : 0;
      return used('input', 'V', brief.inputVoltage.max + below, part?.inputVoltageMaximum);
    }
  }
}

/** One line of the bill of materials. */
export interface BillLine {
  place: Place;
  part: Part;
  count: number;
  /** part of its rating that the most used one takes */
  used: number | undefined;
  cost: number | undefined;
  /** m² of board, m */
  area: number | undefined;
  height: number | undefined;
}

export function billOf({ places }: Pick<PartsView, 'places'>): BillLine[] {
  return places.flatMap(({ place, parts, ratings }) =>
    parts.map(({ part, count }) => ({
      place,
      part,
      count,
      used: ratings.length > 0 ? Math.max(...ratings.map(({ value, rating }) => value / rating)) : undefined,
      cost: part.cost === undefined ? undefined : part.cost * count,
      area: part.length !== undefined && part.width !== undefined ? part.length * part.width * count : undefined,
      height: part.height,
    })),
  );
}

const MATE: Partial<Record<Place, 'controlSwitch' | 'rectifier'>> = {
  controlSwitch: 'rectifier',
  rectifier: 'controlSwitch',
};

/** What a held part of a place writes into the design: its values at the voltages in use there. */
export function holdPart(
  design: Design,
  place: Place,
  part: Part,
  parts: readonly Part[],
  by: Derating = deratingOf(design.decisions),
): Design {
  // the shelf is about to hold one part of this kind alone: what stands round it is what the whole shelf gives
  const whole = chooseParts(design, parts, by).design.decisions;
  const { topology, phases, switchingFrequency, lightLoad } = whole;
  const open: Decisions = { ...opened(design.decisions, place), topology, phases, switchingFrequency, lightLoad };
  if (place === 'rectifier') open.rectifier = { kind: part.kind === 'diode' ? 'diode' : 'synchronous' };
  const mate = MATE[place];
  if (mate && !isGiven(design.decisions, mate)) Object.assign(open, { [mate]: whole[mate] });
  // controllers and converters stand for one another
  const placed = ({ kind }: Part): string => (kind === 'converter' ? 'controller' : kind);
  const alone = [part, ...parts.filter((other) => placed(other) !== placed(part))];
  const choice = chooseParts({ ...design, decisions: open }, alone, by);
  const filled = choice.chosen.find((at) => at.place === place);
  if (!filled?.filled) return design;
  const { [DECISION[place]]: value, controlSwitch, rectifier } = choice.design.decisions;
  // with a converter its switches are held
  const inner = part.kind === 'converter' ? { controlSwitch, rectifier } : {};
  return { ...design, decisions: { ...design.decisions, [DECISION[place]]: value, ...inner } };
}
