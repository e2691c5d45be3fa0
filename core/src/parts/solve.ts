import type { Design } from '../design/schema.ts';
import type { Part } from '../shelf/part.ts';
import { solve, type Result, type SolveOptions } from '../solve.ts';
import { chooseParts, type Choice } from './choose.ts';
import type { Place } from './places.ts';

/** What stands in a place that was free, or what was sought there. */
export interface PlaceFound {
  place: Place;
  filled: boolean;
  parts: { id: string; name: string; count: number }[];
  words: string;
}

/** A result whose free places were filled from a shelf. */
export interface ShelfResultOf extends Result {
  places: PlaceFound[];
}

export const placesOf = ({ chosen }: Choice): PlaceFound[] =>
  chosen.map(({ place, filled, words, parts: of }) => ({
    place,
    filled,
    words,
    parts: of.map(({ part: { id, name }, count }) => ({ id, name, count })),
  }));

/** Solves a design with the places it leaves free filled from parts; what it gives stays as it is. */
export function solveFromShelf(design: Design, parts: readonly Part[], options: SolveOptions = {}): ShelfResultOf {
  const choice = chooseParts(design, parts);
  const result = solve(choice.design, options);
  return { ...result, decided: [...choice.decided, ...result.decided], places: placesOf(choice) };
}
