import { isHeld } from '../design/decision.ts';
import type { Design } from '../design/schema.ts';
import type { Part } from '../shelf/part.ts';
import { solve, type Result, type SolveOptions } from '../solve.ts';
import type { Target } from '../verdict/target.ts';
import type { QuantityId } from '../areas.ts';
import { chooseParts, type Choice } from './choose.ts';
import type { Place } from './places.ts';

/** What stands in a place that was free, or what was sought there. */
export interface PlaceFound {
  place: Place;
  filled: boolean;
  /** nothing fits: a usual part of its class stands in, and what it gives is an estimate */
  usual?: true;
  parts: { id: string; name: string; count: number }[];
  words: string;
}

/** A result whose free places were filled from a shelf. */
export interface ShelfResultOf extends Result {
  places: PlaceFound[];
}

const placesOf = ({ chosen }: Choice): PlaceFound[] =>
  chosen.map(({ place, filled, usual, words, parts: of }) => ({
    place,
    filled,
    ...(usual ? { usual } : {}),
    words,
    parts: of.map(({ part: { id, name }, count }) => ({ id, name, count })),
  }));

/** Solves a design on the parts that were chosen for it; what is held is what the design itself holds. */
export function solveChosen(design: Design, choice: Choice, options: SolveOptions = {}): ShelfResultOf {
  const result = solve(choice.design, options);
  const targets = byEstimate(result.targets, choice).map((target) => ({
    ...target,
    held: target.levers.filter((lever) => isHeld(design, lever)),
  }));
  return { ...result, targets, decided: [...choice.decided, ...result.decided], places: placesOf(choice) };
}

/** Solves a design with the places it leaves free filled from parts; what it gives stays as it is. */
export function solveFromShelf(design: Design, parts: readonly Part[], options: SolveOptions = {}): ShelfResultOf {
  return solveChosen(design, chooseParts(design, parts), options);
}

/** Targets that hang on what is lost, and so on every part. */
const OF_LOSS = /^efficiency$|Temperature$|Life$/u;

/** What stands on a usual part is an estimate: it may be missed by it, but not met. */
function byEstimate(targets: readonly Target<QuantityId>[], { chosen }: Choice): Target<QuantityId>[] {
  const usual = chosen.filter((one) => one.usual).map(({ place }) => place);
  if (usual.length === 0) return [...targets];
  return targets.map((target): Target<QuantityId> => {
    if (!OF_LOSS.test(target.id) || target.verdict === 'open') return target;
    if (target.verdict === 'missed') return { ...target, estimate: true };
    return {
      ...target,
      verdict: 'open',
      estimate: true,
      expected: target.verdict,
      why: `estimated: a usual part stands in for the ${usual.map((place) => PLACE_WORDS[place]).join(', ')}`,
    };
  });
}

export const PLACE_WORDS: Readonly<Record<Place, string>> = {
  controller: 'controller',
  inductor: 'inductor',
  controlSwitch: 'control switch',
  rectifier: 'rectifier',
  outputCapacitors: 'output bank',
  inputCapacitors: 'input bank',
};
