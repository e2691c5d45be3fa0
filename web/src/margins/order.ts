import { UNJUDGED, VERDICTS, worstVerdict, type QuantityId, type Target, type Verdict } from '@yundro/core';

/** A target as the rail shows it. */
export interface Shown extends Target<QuantityId> {
  /** it is being found: what it was before, where it was known */
  pending?: { was: Target<QuantityId> | undefined };
}

/** Names of the rungs that targets stand on, in the order of the ladder. */
export const RUNG_NAMES = { stage: 'Stage', parts: 'Parts', heat: 'Heat', loop: 'Loop', scope: 'Scope' } as const;

/**
 * What stands while the next is found: what is judged already, and the rest as open beside what it was.
 * @param judged what the judge has told so far, with what it has not judged as open
 * @param last what was known of the design before, by id
 */
export function whilePending(
  judged: readonly Target<QuantityId>[],
  last: ReadonlyMap<string, Target<QuantityId>>,
): Shown[] {
  const known = new Set(judged.map(({ id }) => id));
  const open = (target: Target<QuantityId>): Shown => ({
    ...target,
    verdict: 'open',
    pending: { was: last.get(target.id) },
  });
  return [
    ...judged.map((target) =>
      target.verdict === 'open' && (target.estimate || target.why === UNJUDGED) ? open(target) : target,
    ),
    ...[...last.values()].filter(({ id }) => !known.has(id)).map(open),
  ];
}

/** In the order in which they want to be seen: missed by how far, then open, marginal, and what is met. */
export function ordered(targets: readonly Shown[]): Record<Verdict, Shown[]> {
  const of = Object.fromEntries(VERDICTS.map((verdict) => [verdict, [] as Shown[]])) as Record<Verdict, Shown[]>;
  for (const target of targets) of[target.verdict].push(target);
  for (const verdict of ['missed', 'marginal', 'met'] as const) of[verdict].sort((a, b) => b.used - a.used);
  return of;
}

/** A name within a sentence: its first letter small, units as they are. */
export const inSentence = (name: string): string => `${name[0]!.toLowerCase()}${name.slice(1)}`;

/** How many of each, in words: "4 missed, 2 open, 12 met". */
export function headLine(targets: readonly Shown[]): string {
  const { missed, open, marginal, met } = ordered(targets);
  const words = [
    missed.length > 0 ? `${missed.length} missed` : '',
    open.length > 0 ? `${open.length} open` : '',
    `${met.length + marginal.length} met`,
  ];
  return words.filter((word) => word !== '').join(', ');
}

/** A rung's worst verdict and the words for it, joined by a bar; undefined where nothing is asked of the rung. */
export function stateOfRung(rung: string, targets: readonly Shown[]): string | undefined {
  const own = targets.filter((target) => target.rung === rung);
  if (own.length === 0) return undefined;
  const worst = worstVerdict(own);
  const count = own.filter(({ verdict }) => verdict === worst).length;
  if (worst === 'missed') return `missed|${count} missed`;
  if (own.some(({ pending }) => pending)) return 'open|being found';
  return worst === 'open' ? `open|${count} open` : `${worst}|${worst}`;
}
