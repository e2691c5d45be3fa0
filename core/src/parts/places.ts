import type { Decisions } from '../design/schema.ts';

/** Places of a stage that a shelf fills. */
export const PLACES = [
  'controller',
  'inductor',
  'controlSwitch',
  'rectifier',
  'outputCapacitors',
  'inputCapacitors',
] as const;
export type Place = (typeof PLACES)[number];

/** The decision that a place's part is written into. */
export const DECISION = {
  controller: 'control',
  inductor: 'inductor',
  controlSwitch: 'controlSwitch',
  rectifier: 'rectifier',
  outputCapacitors: 'outputCapacitors',
  inputCapacitors: 'inputCapacitors',
} as const satisfies Record<Place, keyof Decisions>;

/** Decisions with a place open, its part yet to be chosen; a rectifier keeps its kind. */
export function opened(decisions: Decisions, place: Place): Decisions {
  const { [DECISION[place]]: _, ...open } = decisions;
  const { rectifier } = decisions;
  return place !== 'rectifier' || !rectifier
    ? open
    : { ...open, rectifier: rectifier.kind === 'diode' ? { kind: 'diode' } : { kind: 'synchronous' } };
}

/** Whether the file gives a place any number: then no shelf fills it up. A rectifier's kind alone is no number. */
export function isGiven(decisions: Decisions, place: Place): boolean {
  const numbers = (value: unknown): boolean =>
    typeof value === 'number' ||
    (typeof value === 'object' && value !== null && Object.values(value).some((inner) => numbers(inner)));
  const given = decisions[DECISION[place]];
  const { partId } = (given ?? {}) as { partId?: string };
  return partId !== undefined || numbers(given);
}
