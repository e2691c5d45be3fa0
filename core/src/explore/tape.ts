import { hold, valueAt } from '../design/decision.ts';
import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { formatQuantity, preferredNext, preferredPrevious, type Series } from '../quantity/index.ts';
import type { Tape } from '../area.ts';
import { AREAS, type QuantityId } from '../areas.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { foldAreas } from '../solve.ts';
import { expectedOf, usedAt, type Target } from '../verdict/target.ts';

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

export type TapeDefinition = Tape<CompleteDecisions, QuantityId>;

/** Tapes that stand on a screen, area by area. */
export const TAPES: readonly TapeDefinition[] = AREAS.flatMap(({ tapes }): readonly TapeDefinition[] => tapes);

/** Tapes of decisions that have none of their own on screen until asked for. */
const MORE_TAPES: readonly TapeDefinition[] = AREAS.flatMap(({ moreTapes }): readonly TapeDefinition[] => moreTapes);

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

/**
 * The design with the tape's decision held at `value`.
 * @param decisions in force, where they are known: nothing is decided anew then
 */
export function setTape(
  design: Design,
  path: string,
  value: number,
  decisions: CompleteDecisions = completeDecisions(design).decisions,
): Design {
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
 * @param fill what fills the places that a design leaves free; nothing where absent
 */
export function findTape(
  design: Design,
  path: string,
  fill: (design: Design) => Design = (same) => same,
): { value: number; low: number; high: number; stretches: TapeStretch[] } {
  const tape = tapeOf(path);
  const { decisions } = completeDecisions(fill(design));
  const { low, high } = tape.range(decisions);
  const started = withKind(design, path, decisions);
  const solved = new Map<number, Place>();
  const assess = (value: number): Place => {
    const known = solved.get(value);
    if (known) return known;
    const { targets } = foldAreas(fill(hold(started, path, tape.write(decisions, value))));
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
      target !== undefined && [verdict, 'missed'].includes(expectedOf(target));
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
