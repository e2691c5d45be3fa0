import type { Part, PartKind } from './part.ts';

/** A bound of one value of a part; a part that does not say passes. */
export interface Within {
  key: string;
  least?: number | undefined;
  most?: number | undefined;
}

/** Parts of a kind that may come into question somewhere, and the best of them by each of some orders. */
export interface PartClass {
  kind: PartKind;
  within: Within[];
  /** each an order of its own in every technology, least first: the product of these values, each to its power; who does not say comes last */
  orders: Partial<Record<string, number>>[];
  /** parts of each order at most */
  most: number;
}

/** What is asked of a shelf that is too large to be handed over whole. */
export interface Nearest {
  classes: PartClass[];
  /** parts that come along in any case: those that a design names */
  ids: string[];
}

/** Parts of a kind up to which it is taken whole: narrowing it would save nothing. */
const WHOLE_KIND = 400;
/** Values of a part by which classes bound and order it. */
export const CLASS_KEYS = [
  'cost',
  'voltageRating',
  'currentRating',
  'onResistance',
  'gateCharge',
  'outputCharge',
  'forwardVoltage',
  'inductance',
  'resistance',
  'saturationCurrent',
  'length',
  'capacitance',
  'esr',
  'inputVoltageMinimum',
  'inputVoltageMaximum',
  'quiescentCurrent',
  'minimumOnTime',
] as const;

/** What of a part decides whether it is in a class. */
type Classed = Pick<Part, 'id' | 'kind'> & { technology?: string | undefined; retired?: boolean | undefined };

const valueOf = (part: Classed, key: string): number | undefined => {
  const value = (part as unknown as Record<string, unknown>)[key];
  return typeof value === 'number' ? value : undefined;
};

function inClass(part: Classed, { kind, within }: PartClass): boolean {
  if (part.kind !== kind) return false;
  return within.every(({ key, least = -Infinity, most = Infinity }) => {
    const value = valueOf(part, key);
    return value === undefined || (value >= least && value < most);
  });
}

/** The order's value of a part; Infinity where it does not say one of them. */
function rankOf(part: Classed, order: PartClass['orders'][number]): number {
  let rank = 1;
  for (const [key, power = 1] of Object.entries(order)) {
    const value = valueOf(part, key);
    if (value === undefined) return Infinity;
    rank *= value ** power;
  }
  return rank;
}

function kindsOf(parts: readonly Classed[]): Map<PartKind, number> {
  const counts = new Map<PartKind, number>();
  for (const { kind } of parts) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return counts;
}

/** Whether a shelf has so many parts of a kind that it is narrowed before anything is ranked. */
export const isLarge = (parts: readonly Classed[]): boolean =>
  [...kindsOf(parts).values()].some((count) => count > WHOLE_KIND);

/**
 * The parts that some classes name: of each the first by every order, the ones that are named by id, and every part of a
 * kind that has few. Asked again of what it gave, it gives the same.
 */
export function nearestOf<T extends Classed>(parts: readonly T[], { classes, ids }: Nearest): T[] {
  const counts = kindsOf(parts);
  const few = (kind: PartKind): boolean => (counts.get(kind) ?? 0) <= WHOLE_KIND;
  const named = new Set(ids);
  const taken = new Set<T>(parts.filter(({ id, kind }) => few(kind) || named.has(id)));
  for (const one of classes) {
    if (few(one.kind)) continue;
    const found = parts.filter((part) => part.retired !== true && inClass(part, one));
    for (const technology of new Set(found.map((part) => part.technology))) {
      const alike = found.filter((part) => part.technology === technology);
      for (const order of one.orders)
        for (const { part } of alike
          .map((part) => ({ part, rank: rankOf(part, order) }))
          .sort((a, b) => a.rank - b.rank || (a.part.id < b.part.id ? -1 : 1))
          .slice(0, one.most))
          taken.add(part);
    }
  }
  return parts.filter((part) => taken.has(part));
}
