import { LOSSES, type MainLoss } from './mechanisms.ts';
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

/** Mechanisms that need data. */
const NEEDING = LOSSES.filter(({ missing, leg }) => missing !== undefined && leg === 'main');

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
  const known = ({ of }: { of: MainLoss }): boolean =>
    LOSSES.some((loss) => loss.of === of && losses.some((at) => at[loss.name] !== undefined));
  const missing = NEEDING.filter((loss) => !known(loss) && (synchronous || !loss.ofBodyDiode));
  const leftOut = [
    ...missing.map((loss) => loss.missing!),
    ...oneSided(legs),
    ...(synchronous && !deadTimeKnown ? ['dead time'] : []),
  ];
  return { words: scopeWords(), leftOut };

  function scopeWords(): string {
    if (!NEEDING.some(known)) return 'conduction only';
    if (!known({ of: 'controlSwitchOverlap' })) return 'without switching loss';
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
