import type { RectifierValues, SwitchValues } from './values.ts';

/**
 * Which loss mechanisms a figure holds, and which it lacks for want of part data: an efficiency never stands without
 * this beside it.
 */
export interface LossScope {
  /** what the total holds, in a few words: "conduction only", "without switching loss" */
  words: string;
  /** mechanisms that are not in it */
  leftOut: string[];
}

/** The devices of one leg. */
interface Leg {
  control: SwitchValues;
  rectifier: RectifierValues;
}

/** Losses by name, as an operating point carries them. */
type Named = Readonly<Record<string, number | undefined>>;

/** Mechanisms that need data, by the names under which they stand where they are known. */
const SWITCHING = { words: 'switching overlap', names: ['controlSwitchOverlap', 'boostControlSwitchOverlap'] };
const MECHANISMS: readonly { words: string; names: readonly string[]; ofBodyDiode?: true }[] = [
  SWITCHING,
  { words: 'output charge', names: ['outputCharge', 'boostOutputCharge'] },
  { words: 'reverse recovery', names: ['reverseRecovery', 'boostReverseRecovery'], ofBodyDiode: true },
  { words: 'gate drive', names: ['gateDrive', 'boostGateDrive'] },
  { words: 'inductor core', names: ['core'] },
  { words: 'controller', names: ['controller'] },
];

/**
 * @param rectifier of the stage: a synchronous one has a body diode that recovers, and dead times
 * @param deadTimeKnown whether the dead time was given rather than taken as 0
 * @param losses of every corner solved
 * @param legs whose devices may bring one side of a loss and lack the other
 */
export function lossScope(
  rectifier: 'synchronous' | 'diode',
  deadTimeKnown: boolean,
  losses: readonly Named[],
  legs: readonly Leg[] = [],
): LossScope {
  const synchronous = rectifier === 'synchronous';
  const known = ({ names }: { names: readonly string[] }): boolean =>
    losses.some((at) => names.some((name) => at[name] !== undefined));
  const missing = MECHANISMS.filter((mechanism) => !known(mechanism) && (synchronous || !mechanism.ofBodyDiode));
  const leftOut = [
    ...missing.map(({ words }) => words),
    ...oneSided(legs),
    ...(synchronous && !deadTimeKnown ? ['dead time'] : []),
  ];
  return { words: scopeWords(), leftOut };

  function scopeWords(): string {
    if (!MECHANISMS.some(known)) return 'conduction only';
    if (!known(SWITCHING)) return 'without switching loss';
    return leftOut.length === 0 ? 'every mechanism' : 'known losses';
  }
}

/** Losses of which one device of a leg brings its data and the other does not. */
function oneSided(legs: readonly Leg[]): string[] {
  const found = legs.flatMap(({ control, rectifier }) => {
    const charge = (device: SwitchValues | RectifierValues): boolean =>
      device.outputCharge !== undefined || device.outputChargeCurve !== undefined;
    const sides: string[] = [];
    if (charge(control) !== charge(rectifier))
      sides.push(`the ${charge(control) ? 'rectifier' : 'control switch'}’s output charge`);
    if (rectifier.kind === 'synchronous') {
      const [first, second] = [control.gateCharge !== undefined, rectifier.gateCharge !== undefined];
      if (first !== second) sides.push(`the ${first ? 'rectifier' : 'control switch'}’s gate drive`);
    }
    return sides;
  });
  return [...new Set(found)];
}

/** The same as a sentence. */
export function lossScopeWords({ words, leftOut }: LossScope): string {
  if (leftOut.length === 0) return 'Every mechanism that is computed is in it.';
  const held = words === 'conduction only' ? 'Conduction and ESR only.' : 'What the parts’ data allow.';
  return `${held} Not in it, for want of part data: ${leftOut.join(', ')}.`;
}
