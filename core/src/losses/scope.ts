/**
 * Which loss mechanisms a figure holds, and which it lacks for want of part data: an efficiency never stands without
 * this beside it.
 */
export interface LossScope {
  /** what the total holds, in two words: "conduction only" */
  words: string;
  /** mechanisms that are not in it */
  leftOut: string[];
}

/**
 * @param rectifier of the stage: a synchronous one has a body diode that recovers
 * @param deadTimeKnown whether the dead time was given rather than taken as 0
 */
export function lossScope(rectifier: 'synchronous' | 'diode', deadTimeKnown: boolean): LossScope {
  const synchronous = rectifier === 'synchronous';
  return {
    words: 'conduction only',
    leftOut: [
      'switching overlap',
      'output charge',
      ...(synchronous ? ['reverse recovery'] : []),
      'gate drive',
      ...(synchronous && !deadTimeKnown ? ['dead time'] : []),
      'inductor core',
      'controller',
    ],
  };
}

/** The same as a sentence. */
export function lossScopeWords({ leftOut }: LossScope): string {
  return `Conduction and ESR only. Not in it, for want of part data: ${leftOut.join(', ')}.`;
}
