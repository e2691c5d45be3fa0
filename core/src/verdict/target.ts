import type { Corner } from '../design/corner.ts';
import { isHeld } from '../design/decision.ts';
import type { Design } from '../design/schema.ts';
import type { Unit } from '../quantity/index.ts';

export type Verdict = 'met' | 'marginal' | 'missed';

/** One requirement against its prediction at the worst corner. */
export interface Target<Q extends string = string> {
  id: string;
  name: string;
  unit: Unit;
  /** whether the prediction must stay below or above what is required */
  sense: 'below' | 'above';
  required: number;
  predicted: number;
  /** distance left, in the target's unit; negative when missed */
  margin: number;
  verdict: Verdict;
  /** part of what is allowed that is used: 1 at the limit; of an efficiency, the loss against the loss it allows */
  used: number;
  at: Corner;
  /** decisions that move this prediction, the strongest first */
  levers: string[];
  /** those of the levers that are held: when the target is missed, the ones to let go of */
  held: string[];
  /** the quantity whose Why? explains the prediction */
  quantity: Q;
}

/** A target as an area states it, for points of its own kind. */
export interface Draft<Point extends Corner, Q extends string> {
  id: string;
  name: string;
  unit: Unit;
  sense: 'below' | 'above';
  /** undefined where the design asks for nothing */
  required: number | undefined;
  levers: string[];
  /** what is predicted, which may be one leg's or another's */
  quantity: Q | ((worst: Point) => Q);
  predict: (point: Point) => number;
  /** what is judged where that is not the figure itself: the tenth to spare is one of this, which must stay below */
  judged?: (figure: number) => number;
  /** points where the target applies; all when absent */
  applies?: (point: Point) => boolean;
}

const SPARE = 0.1;

/** `met` with at least a tenth of the requirement to spare, `marginal` inside with less, `missed` outside. */
export function verdictOf(required: number, margin: number): Verdict {
  if (!(margin >= 0)) return 'missed';
  return margin >= SPARE * required * (1 - 1e-12) ? 'met' : 'marginal';
}

export function worstVerdict(targets: readonly Pick<Target, 'verdict'>[]): Verdict {
  if (targets.some((target) => target.verdict === 'missed')) return 'missed';
  return targets.some((target) => target.verdict === 'marginal') ? 'marginal' : 'met';
}

/** What a target uses of what is allowed where a verdict begins. */
export function usedAt({ id, sense }: Pick<Target, 'id' | 'sense'>, verdict: 'missed' | 'marginal'): number {
  if (verdict === 'missed') return 1;
  // of what must stay above, the tenth to spare is one of the requirement; an efficiency is judged by its loss
  return sense === 'below' || id === 'efficiency' ? 1 - SPARE : 1 / (1 + SPARE);
}

function judge<Point extends Corner, Q extends string>(
  { sense, judged }: Draft<Point, Q>,
  required: number,
  predicted: number,
  margin: number,
): Pick<Target, 'verdict' | 'used'> {
  if (judged) {
    const [limit, found] = [judged(required), judged(predicted)];
    return { verdict: verdictOf(limit, limit - found), used: shareOf(found, limit) };
  }
  return {
    verdict: verdictOf(required, margin),
    used: sense === 'below' ? shareOf(predicted, required) : shareOf(required, predicted),
  };
}

/** A part of a whole; a whole that is nothing counts as used up twice over. */
function shareOf(part: number, whole: number): number {
  const share = part / whole;
  return Number.isFinite(share) ? Math.max(0, share) : part > 0 ? 2 : 0;
}

/** The targets that apply, each at its worst corner among the points solved. */
export function assessTargets<Point extends Corner, Q extends string>(
  design: Design,
  drafts: readonly Draft<Point, Q>[],
  points: readonly Point[],
): Target<Q>[] {
  return drafts.flatMap((draft) => {
    const { required } = draft;
    const candidates = points.filter((point) => draft.applies?.(point) ?? true);
    if (required === undefined || candidates.length === 0) return [];
    const sign = draft.sense === 'below' ? 1 : -1;
    let worst = candidates[0]!;
    let predicted = draft.predict(worst);
    for (const point of candidates.slice(1)) {
      const figure = draft.predict(point);
      if (!(sign * figure > sign * predicted)) continue;
      worst = point;
      predicted = figure;
    }
    const margin = sign * (required - predicted);
    return [
      {
        id: draft.id,
        name: draft.name,
        unit: draft.unit,
        sense: draft.sense,
        required,
        predicted,
        margin,
        ...judge(draft, required, predicted, margin),
        at: { inputVoltage: worst.inputVoltage, outputCurrent: worst.outputCurrent },
        levers: draft.levers,
        held: draft.levers.filter((lever) => isHeld(design, lever)),
        quantity: typeof draft.quantity === 'string' ? draft.quantity : draft.quantity(worst),
      },
    ];
  });
}
