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

/** Losses by name, as an operating point carries them. */
type Named = Readonly<Record<string, number | undefined>>;

/** Mechanisms that need data, by the names under which they stand where they are known. */
const MECHANISMS: readonly { words: string; names: readonly string[]; synchronous?: true }[] = [
  { words: 'switching overlap', names: ['controlSwitchOverlap', 'boostControlSwitchOverlap'] },
  { words: 'output charge', names: ['outputCharge', 'boostOutputCharge'] },
  { words: 'reverse recovery', names: ['reverseRecovery', 'boostReverseRecovery'], synchronous: true },
  { words: 'gate drive', names: ['gateDrive', 'boostGateDrive'] },
];
const OTHERS: readonly { words: string; names: readonly string[] }[] = [
  { words: 'inductor core', names: ['core'] },
  { words: 'controller', names: ['controller'] },
];

const known = (names: readonly string[], losses: readonly Named[]): boolean =>
  losses.some((at) => names.some((name) => at[name] !== undefined));

/** What a total holds, in a few words. @param losses of every corner solved */
export function scopeWords(losses: readonly Named[]): string {
  const all = [...MECHANISMS, ...OTHERS];
  if (!all.some(({ names }) => known(names, losses))) return 'conduction only';
  if (!known(MECHANISMS[0]!.names, losses)) return 'without switching loss';
  const missing = all.filter(({ names }) => !known(names, losses));
  return missing.length === 0 ? 'every mechanism' : 'known losses';
}

/**
 * @param rectifier of the stage: a synchronous one has a body diode that recovers
 * @param deadTimeKnown whether the dead time was given rather than taken as 0
 * @param losses of every corner solved
 */
export function lossScope(
  rectifier: 'synchronous' | 'diode',
  deadTimeKnown: boolean,
  losses: readonly Named[],
): LossScope {
  const synchronous = rectifier === 'synchronous';
  const missing = (list: readonly { words: string; names: readonly string[]; synchronous?: true }[]): string[] =>
    list
      .filter((mechanism) => (synchronous || !mechanism.synchronous) && !known(mechanism.names, losses))
      .map(({ words }) => words);
  return {
    words: scopeWords(losses),
    leftOut: [...missing(MECHANISMS), ...(synchronous && !deadTimeKnown ? ['dead time'] : []), ...missing(OTHERS)],
  };
}

/** The same as a sentence. */
export function lossScopeWords({ words, leftOut }: LossScope): string {
  if (leftOut.length === 0) return 'Every mechanism that is computed is in it.';
  const held = words === 'conduction only' ? 'Conduction and ESR only.' : 'What the parts’ data allow.';
  return `${held} Not in it, for want of part data: ${leftOut.join(', ')}.`;
}
