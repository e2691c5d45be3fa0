import type { Corner } from '../design/corner.ts';
import { isHeld } from '../design/decision.ts';
import type { Design } from '../design/schema.ts';
import type { Unit } from '../quantity/index.ts';

/** What was judged comes to; `open` is what was not judged, or cannot be for want of something. */
export type Judged = 'met' | 'marginal' | 'missed';
export type Verdict = Judged | 'open';

/** Why a target is open that will be judged in a moment. */
export const UNJUDGED = 'not judged yet';

/** Rungs that targets stand on. */
export type RungId = 'stage' | 'parts' | 'heat' | 'loop' | 'scope';

/** One requirement against its prediction at the worst corner. */
export interface Target<Q extends string = string> {
  id: string;
  name: string;
  unit: Unit;
  /** whether the prediction must stay below or above what is required */
  sense: 'below' | 'above';
  required: number;
  /** NaN (null in JSON) where nothing is predicted yet, Infinity where it never comes */
  predicted: number;
  /** distance left, in the target's unit; negative when missed */
  margin: number;
  verdict: Verdict;
  /** where no simulation or data sheet has been asked: the verdict is open, whatever the estimate expects */
  estimate?: true;
  /** what the estimate, or as much as is known, comes to: for tapes and sizing, no verdict */
  expected?: Judged;
  /** why it is open */
  why?: string;
  /** the rung of the work that it belongs to, once the judge has placed it */
  rung?: RungId;
  /** the run that it was found by */
  run?: string;
  /** what was tried where it is missed, and seen to help */
  advice?: Advice[];
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

/** A change that was tried: entries of the design by path with their values, null where one is let go of, and what the target then comes to. */
export interface Advice {
  change: { of: string; value: unknown }[];
  gives: number;
  /** whether the target then holds, by the same means that it is judged by */
  verdict: Judged;
  /** the change in words */
  words: string;
  /** targets that it would miss besides */
  misses?: string[];
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
  /** says of what is judged by it only that it is expected */
  estimate?: true;
  /** why what would be met is open all the same: something that it needs is not known */
  lacks?: string | undefined;
}

const SPARE = 0.1;

/** `met` with at least a tenth of the requirement to spare, `marginal` inside with less, `missed` outside. */
export function verdictOf(required: number, margin: number): Judged {
  // what is met to the last figures of the arithmetic is met
  if (!(margin >= -1e-9 * Math.abs(required))) return 'missed';
  return margin >= SPARE * required * (1 - 1e-12) ? 'met' : 'marginal';
}

/** From the worst on. */
export const VERDICTS = ['missed', 'open', 'marginal', 'met'] as const satisfies readonly Verdict[];

/** The worst of all; where nothing was held against anything, that is open. */
export function worstVerdict(targets: readonly Pick<Target, 'verdict'>[]): Verdict {
  return VERDICTS.find((verdict) => targets.some((target) => target.verdict === verdict)) ?? 'open';
}

/** What a target comes to as far as anything is known of it: the verdict, or what an estimate expects. */
export const expectedOf = ({ verdict, expected }: Pick<Target, 'verdict' | 'expected'>): Verdict => expected ?? verdict;

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
): { verdict: Judged; used: number } {
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
  // what is to stay above something and lies below nothing uses more than all there is
  if (whole <= 0 && part > 0) return 2;
  return Number.isFinite(share) ? Math.max(0, share) : 0;
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
    const { verdict, used } = judge(draft, required, predicted, margin);
    const { inputVoltage, outputCurrent } = worst;
    return [
      {
        ...statedBy(design, draft, required, { inputVoltage, outputCurrent }),
        predicted,
        margin,
        ...(draft.estimate
          ? { verdict: 'open' as const, estimate: true as const, expected: verdict, why: 'estimated, not simulated' }
          : draft.lacks !== undefined && verdict !== 'missed'
            ? { verdict: 'open' as const, expected: verdict, why: draft.lacks }
            : { verdict }),
        used,
        quantity: typeof draft.quantity === 'string' ? draft.quantity : draft.quantity(worst),
      },
    ];
  });
}

function statedBy<Point extends Corner, Q extends string>(
  design: Design,
  { id, name, unit, sense, levers }: Draft<Point, Q>,
  required: number,
  at: Corner,
) {
  return { id, name, unit, sense, required, at, levers, held: levers.filter((lever) => isHeld(design, lever)) };
}

/** The targets that will be judged and are not yet, or could not be; each at nominal input and full load until it is. */
export function openTargets<Point extends Corner, Q extends string>(
  design: Design,
  drafts: readonly Draft<Point, Q>[],
  why: string,
): Target<Q>[] {
  const { inputVoltage, outputCurrent } = design.brief;
  const at = { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max };
  return drafts.flatMap((draft) =>
    draft.required === undefined || typeof draft.quantity !== 'string'
      ? []
      : [
          {
            ...statedBy(design, draft, draft.required, at),
            predicted: Number.NaN,
            margin: Number.NaN,
            verdict: 'open' as const,
            why,
            used: 0,
            quantity: draft.quantity,
          },
        ],
  );
}
