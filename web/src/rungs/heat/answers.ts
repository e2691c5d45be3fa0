import {
  heatOverLoad,
  loadProfile,
  solveFromShelf,
  viewParts,
  type Design,
  type Energy,
  type HeatOverLoad,
  type LoadShare,
  type OperatingPoint,
  type Part,
  type PartsView,
  type Result,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';
import type { Standing } from '../../workers/standing.ts';

export type { HeatPoint } from '@yundro/core';

/** What the Heat rung draws: what there is so far. */
export interface HeatAnswer extends Omit<HeatOverLoad, 'energy'> {
  /** with every free place filled */
  design: Design;
  result: Result;
  places: PartsView['places'];
  energy: (Energy & { profile: LoadShare[]; assumed: boolean }) | undefined;
}

/** These are asked with the shelf's parts, which the worker reads by itself. */
export const heatAnswers = {
  /** Every corner of another state of the design, its free places filled as this shelf fills them. */
  heatThen(design: Design, parts: readonly Part[]): OperatingPoint[] {
    return solveFromShelf(design, parts).operatingPoints;
  },
};

/** Part of the work that filling the places is. */
const FILLED = 0.1;

export const heatLongAnswers = {
  *heat(whole: Design, { given, choice, parts }: Standing): Long<HeatAnswer> {
    const { result, places } = viewParts(given, parts, choice);
    const { profile, assumed } = loadProfile(whole.brief);
    const answer = ({ energy, ...rest }: HeatOverLoad): HeatAnswer => ({
      design: whole,
      result,
      places,
      energy: energy && { ...energy, profile, assumed },
      ...rest,
    });
    yield { part: FILLED, soFar: answer({ energy: undefined, overLoad: [], map: [] }) };
    const going = heatOverLoad(whole, profile);
    for (;;) {
      const step = going.next();
      if (step.done) return answer(step.value);
      yield { part: FILLED + (1 - FILLED) * step.value.part, soFar: answer(step.value.soFar) };
    }
  },
};
