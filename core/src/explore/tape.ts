import { hold, valueAt } from '../design/decision.ts';
import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../stage/operating/stage.ts';
import { formatQuantity, preferredNext, preferredPrevious, type Series, type Unit } from '../quantity/index.ts';
import type { QuantityId } from '../stage/quantities/given.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { solveTargets } from '../solve.ts';
import { usedAt, type Target } from '../stage/targets.ts';

/** A decision drawn as a measuring tape: how to read it, set it and step it. */
export interface TapeDefinition {
  /** the decision, as a path below `decisions` */
  path: string;
  name: string;
  unit: Unit;
  kind: 'frequency' | 'part' | 'count';
  /** the quantity whose Why? explains the value in force */
  quantity: QuantityId;
  /** the series its arrow keys walk; whole numbers when absent */
  series?: Series;
  read: (decisions: CompleteDecisions) => number;
  /** the document value that stands for a tape value */
  write: (decisions: CompleteDecisions, value: number) => unknown;
  /** ends of the tape */
  range: (decisions: CompleteDecisions) => { low: number; high: number };
}

/** A stretch of a tape where a target is missed or marginal. */
export interface TapeStretch {
  from: number;
  to: number;
  verdict: 'missed' | 'marginal';
  /** ids of the targets that forbid it */
  targets: string[];
  /** what forbids it, for people */
  label: string;
}

const bankCount = (key: 'outputCapacitors' | 'inputCapacitors', name: string): TapeDefinition => ({
  path: key,
  name,
  unit: '',
  kind: 'count',
  quantity: key === 'outputCapacitors' ? 'outputCapacitance' : 'inputCapacitance',
  read: (decisions) => decisions[key][0]!.count,
  write: (decisions, value) =>
    decisions[key].map((bank, index) => (index === 0 ? { ...bank, count: Math.max(1, Math.round(value)) } : bank)),
  range: (decisions) => ({ low: 1, high: Math.max(16, decisions[key][0]!.count * 2) }),
});

/** The decisions that the Stage rung shows as tapes. */
export const TAPES: readonly TapeDefinition[] = [
  {
    path: 'switchingFrequency',
    name: 'Frequency',
    unit: 'Hz',
    kind: 'frequency',
    quantity: 'switchingFrequency',
    series: 'E24',
    read: (decisions) => decisions.switchingFrequency,
    write: (_, value) => value,
    range: () => ({ low: 50e3, high: 3e6 }),
  },
  {
    path: 'inductor.inductance',
    name: 'Inductance',
    unit: 'H',
    kind: 'part',
    quantity: 'inductance',
    series: 'E12',
    read: (decisions) => decisions.inductor.inductance,
    write: (_, value) => value,
    range: (decisions) => ({ low: decisions.inductor.inductance / 10, high: decisions.inductor.inductance * 10 }),
  },
  {
    path: 'phases',
    name: 'Phases',
    unit: '',
    kind: 'count',
    quantity: 'phases',
    read: (decisions) => decisions.phases,
    write: (_, value) => Math.min(8, Math.max(1, Math.round(value))),
    range: () => ({ low: 1, high: 8 }),
  },
  bankCount('outputCapacitors', 'Output bank'),
  bankCount('inputCapacitors', 'Input bank'),
];

/** A decision that is one number, on a tape a decade either side of its value, or from `least` where that is nothing. */
const number = (
  path: string,
  name: string,
  unit: Unit,
  quantity: QuantityId,
  least: number,
  most = Infinity,
): TapeDefinition => {
  const read = (decisions: CompleteDecisions): number => (valueAt(decisions, path) as number | undefined) ?? 0;
  return {
    path,
    name,
    unit,
    kind: 'part',
    quantity,
    series: 'E24',
    read: (decisions) => Math.max(least, read(decisions)),
    write: (_, value) => Math.min(most, value),
    range: (decisions) => {
      const value = Math.max(least, read(decisions));
      return { low: Math.max(least, value / 10), high: Math.min(most, Math.max(value * 10, least * 100)) };
    },
  };
};

/** Tapes of the decisions that have none of their own on screen until asked for. */
const MORE_TAPES: readonly TapeDefinition[] = [
  number('rippleRatio', 'Ripple ratio', '%', 'rippleRatio', 0.02, 2),
  number('inductor.resistance', 'Winding resistance', 'Ω', 'windingResistance', 1e-5),
  number('inductor.saturationCurrent', 'Saturation current', 'A', 'saturationCurrent', 1e-3),
  number('controlSwitch.onResistance', 'Control switch, on', 'Ω', 'controlResistance', 1e-5),
  number('rectifier.onResistance', 'Rectifier, on', 'Ω', 'rectifierResistance', 1e-5),
  number('rectifier.forwardVoltage', 'Diode drop', 'V', 'rectifierDrop', 0.01, 5),
  number('rectifier.resistance', 'Diode slope', 'Ω', 'rectifierResistance', 1e-5),
  number('control.minimumOnTime', 'Shortest on-time', 's', 'minimumOnTime', 1e-9),
  number('control.minimumOffTime', 'Shortest off-time', 's', 'minimumOffTime', 1e-9),
  number('control.maximumDuty', 'Duty limit', '%', 'maximumDuty', 0.1, 1),
  number('control.deadTime', 'Dead time, each edge', 's', 'deadTime', 1e-9),
  number('coupling.coefficient', 'Coupling', '', 'inductorRipple', 0.01, 0.99),
  number('critical.valleyCurrent', 'Valley current', 'A', 'inductorValley', 1e-3),
  number('critical.nodeCapacitance', 'Node capacitance', 'F', 'inductorValley', 1e-12),
  number('preload', 'Preload', 'A', 'lossPreload', 1e-4),
  number('outputFilter.inductance', 'Second section', 'H', 'outputRipple', 1e-9),
  number('boostLeg.controlSwitch.onResistance', 'Boost leg’s control switch, on', 'Ω', 'controlResistance', 1e-5),
  number('boostLeg.rectifier.onResistance', 'Boost leg’s rectifier, on', 'Ω', 'rectifierResistance', 1e-5),
];

export function tapeOf(path: string): TapeDefinition {
  const tape = [...TAPES, ...MORE_TAPES].find((t) => t.path === path);
  if (!tape) {
    const paths = [...TAPES, ...MORE_TAPES].map((t) => t.path).join(', ');
    throw new RangeError(`"${path}" is not a tape: expected one of ${paths}`);
  }
  return tape;
}

/** Every tape that means something for these decisions: those of parts and modes that the design has. */
export function tapesFor(decisions: CompleteDecisions): TapeDefinition[] {
  return [...TAPES, ...MORE_TAPES.filter(({ path }) => valueAt(decisions, path) !== undefined)];
}

/** The design with the tape's decision held at `value`. */
export function setTape(design: Design, path: string, value: number): Design {
  const { decisions } = completeDecisions(design);
  return hold(withKind(design, path, decisions), path, tapeOf(path).write(decisions, value));
}

/** A rectifier's value can only be held together with its kind. */
function withKind(design: Design, path: string, decisions: CompleteDecisions): Design {
  return path.startsWith('rectifier.') && design.decisions.rectifier === undefined
    ? hold(design, 'rectifier', { kind: decisions.rectifier.kind })
    : design;
}

/**
 * The next value up or down from `value`: along the series, or by whole numbers.
 * @param size coarse walks three steps of the series (a decade of E3), fine one step of a series four times as dense
 */
export function stepTape(path: string, value: number, direction: 1 | -1, size: 'normal' | 'coarse' | 'fine'): number {
  const { series } = tapeOf(path);
  if (series === undefined) return Math.max(1, Math.round(value) + direction * (size === 'coarse' ? 4 : 1));
  const walked: Series = size === 'coarse' ? 'E3' : size === 'fine' ? 'E96' : series;
  return direction > 0 ? preferredNext(value, walked) : preferredPrevious(value, walked);
}

const POINTS = 33;
/** Part of what is allowed within which an edge counts as found, and most solutions spent on one. */
const EDGE = 1e-3;
const REFINEMENTS = 5;

/** A place on a tape, solved. */
interface Place {
  value: number;
  targets: Map<string, Target>;
}

/**
 * The forbidden and marginal stretches along a tape: the design solved at places along it, held decisions staying and
 * free ones following, with the ends of each stretch found by interpolating what is used of what is allowed.
 */
export function findTape(
  design: Design,
  path: string,
): { value: number; low: number; high: number; stretches: TapeStretch[] } {
  const tape = tapeOf(path);
  const { decisions } = completeDecisions(design);
  const { low, high } = tape.range(decisions);
  const started = withKind(design, path, decisions);
  const solved = new Map<number, Place>();
  const assess = (value: number): Place => {
    const known = solved.get(value);
    if (known) return known;
    const { targets } = solveTargets(hold(started, path, tape.write(decisions, value)));
    const place = { value, targets: new Map(targets.map((target) => [target.id, target])) };
    solved.set(value, place);
    return place;
  };
  const places =
    tape.series === undefined
      ? Array.from({ length: Math.min(POINTS, high - low + 1) }, (_, i, count = Math.min(POINTS, high - low + 1)) =>
          Math.round(low + ((high - low) * i) / Math.max(1, count - 1)),
        )
      : Array.from({ length: POINTS }, (_, i) => low * (high / low) ** (i / (POINTS - 1)));
  const found = places.map(assess);
  const stretches: TapeStretch[] = [];
  for (const verdict of ['missed', 'marginal'] as const) {
    const inside = (target: Target | undefined): boolean =>
      target !== undefined && (target.verdict === 'missed' || target.verdict === verdict);
    const ids = new Set(found.flatMap(({ targets }) => [...targets.values()].filter(inside).map(({ id }) => id)));
    for (const id of ids) {
      const isInside = ({ targets }: Place): boolean => inside(targets.get(id));
      const edge = (out: Place, within: Place): number =>
        tape.series === undefined
          ? (out.value + within.value) / 2
          : findEdge(out, within, isInside, ({ targets }) => overEdge(targets.get(id), verdict), assess);
      let from: number | undefined;
      found.forEach((place, i) => {
        const here = isInside(place);
        if (here && from === undefined) from = i === 0 ? place.value : edge(found[i - 1]!, place);
        const last = i === found.length - 1;
        if (from !== undefined && (!here || last)) {
          const to = here ? place.value : edge(place, found[i - 1]!);
          const target = (here ? place : found[i - 1]!).targets.get(id)!;
          stretches.push({ from, to, verdict, targets: [id], label: labelOf(target) });
          from = undefined;
        }
      });
    }
  }
  return { value: tape.read(decisions), low, high, stretches };
}

/** How far a target is over the limit of a verdict, as a part of what is allowed; undefined where it does not apply. */
function overEdge(target: Target | undefined, verdict: 'missed' | 'marginal'): number | undefined {
  return target && target.used - usedAt(target, verdict);
}

/**
 * The edge between a place outside a stretch and one inside: by a straight line through what each is over, on a
 * logarithmic scale; halved instead where the line gains too little (a free decision that steps), or there is none.
 */
function findEdge(
  outside: Place,
  insidePlace: Place,
  isInside: (place: Place) => boolean,
  over: (place: Place) => number | undefined,
  assess: (value: number) => Place,
): number {
  let out = outside;
  let within = insidePlace;
  let halve = false;
  for (let i = 0; ; i += 1) {
    const [below, above] = [over(out), over(within)];
    const line = below !== undefined && above !== undefined && above > below;
    const part = line && !halve ? Math.min(0.98, Math.max(0.02, -below / (above - below))) : 0.5;
    const value = out.value * (within.value / out.value) ** part;
    if (i === REFINEMENTS) return value;
    const place = assess(value);
    const left = over(place);
    if (left !== undefined && Math.abs(left) < EDGE) return value;
    halve = !line || left === undefined || Math.abs(left) > 0.3 * Math.min(Math.abs(below), Math.abs(above));
    if (isInside(place)) within = place;
    else out = place;
  }
}

function labelOf(target: Target): string {
  const word = target.sense === 'below' ? 'over' : 'under';
  return `${target.name.toLowerCase()} ${word} ${formatQuantity(target.required, target.unit)}`;
}
