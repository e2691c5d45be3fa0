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

/** What a designer sets round any controller, by its small parts: no word of which one it is, nor of how it controls. */
const SETTINGS = [
  'softStart',
  'startIntoBias',
  'undervoltageLockout',
  'currentLimit',
  'valleyCurrentLimit',
  'currentLimitTolerance',
  'hiccup',
  'overVoltage',
] as const satisfies readonly (keyof NonNullable<Decisions['control']>)[];

/** Whether a path below `decisions` is one of those. */
export const isSetting = (path: string): boolean => SETTINGS.some((key) => `${path}.`.startsWith(`control.${key}.`));

/** Of what a design says of its controller what is set round it. */
export const settingsOf = ({ control = {} }: Decisions): NonNullable<Decisions['control']> =>
  Object.fromEntries(SETTINGS.flatMap((key) => (control[key] === undefined ? [] : [[key, control[key]]])));

/** Decisions with a place open, its part yet to be chosen; a rectifier keeps its kind, a controller what is set round it. */
export function opened(decisions: Decisions, place: Place): Decisions {
  const { [DECISION[place]]: _, ...open } = decisions;
  if (place === 'controller') {
    const control = settingsOf(decisions);
    return Object.keys(control).length > 0 ? { ...open, control } : open;
  }
  const { rectifier } = decisions;
  return place !== 'rectifier' || !rectifier
    ? open
    : { ...open, rectifier: rectifier.kind === 'diode' ? { kind: 'diode' } : { kind: 'synchronous' } };
}

/** What a design says of its controller itself. */
export const withoutSettings = (control: Decisions['control'] = {}): Record<string, unknown> =>
  Object.fromEntries(Object.entries(control).filter(([key]) => !isSetting(`control.${key}`)));

/** Whether the file gives a place any number: then no shelf fills it up. A rectifier's kind alone is no number, nor what is set round a controller. */
export function isGiven(decisions: Decisions, place: Place): boolean {
  const numbers = (value: unknown): boolean =>
    typeof value === 'number' ||
    (typeof value === 'object' && value !== null && Object.values(value).some((inner) => numbers(inner)));
  const given = place === 'controller' ? withoutSettings(decisions.control) : decisions[DECISION[place]];
  const { partId } = (given ?? {}) as { partId?: string };
  return partId !== undefined || numbers(given);
}
