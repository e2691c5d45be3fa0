import type { Brief } from '../design/schema.ts';

/** A load and the part of the time that it is drawn. */
export interface LoadShare {
  /** A */
  current: number;
  /** part of the time, all adding up to 1 */
  share: number;
}

/** Where the brief does not say: mostly at half of full load, some at full, the rest light. Our own starting point. */
const ASSUMED: readonly (readonly [part: number, share: number])[] = [
  [1, 0.2],
  [0.5, 0.5],
  [0.15, 0.3],
];

/** The load profile that parts are chosen by: the brief's own, its shares made to add up to one, or one that is assumed. */
export function loadProfile(brief: Brief): { profile: LoadShare[]; assumed: boolean } {
  const { loadProfile: given, outputCurrent } = brief;
  if (given) {
    const total = given.reduce((sum, { share }) => sum + share, 0);
    return { profile: given.map(({ current, share }) => ({ current, share: share / total })), assumed: false };
  }
  const profile = ASSUMED.map(([part, share]) => ({
    current: Math.max(outputCurrent.min, part * outputCurrent.max),
    share,
  }));
  return { profile, assumed: true };
}
