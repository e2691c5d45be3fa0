import {
  loopCorners,
  loopTargets,
  stepRemedy,
  steppedPoints,
  stepTargets,
  type Design,
  type Part,
  type QuantityId,
  type Target,
} from '@yundro/core';
import type { Long } from '../workers/long.ts';

/** The loop's margins at their worst corner, and the load step's targets by simulation at the worst input. */
export interface StepAnswer {
  targets: Target<QuantityId>[];
  /** why there are none */
  trouble: string | undefined;
  /** what a step that is missed takes to hold, by simulation */
  remedy?: string | undefined;
}

export const marginLongAnswers = {
  *step(design: Design, _parts: readonly Part[]): Long<StepAnswer> {
    const loops = loopCorners(design);
    let loop = loops.next();
    while (!loop.done) {
      yield { part: loop.value.part / 2, soFar: { targets: [], trouble: undefined } };
      loop = loops.next();
    }
    const margins = loopTargets(design, loop.value);
    const going = steppedPoints(design);
    for (;;) {
      const step = going.next();
      if (step.done) {
        const { points, trouble } = step.value;
        const targets = [...margins, ...stepTargets(design, points)];
        const seeking = stepRemedy(design, points);
        for (;;) {
          const sought = seeking.next();
          if (sought.done) return { targets, trouble, remedy: sought.value };
          yield { part: 1, soFar: { targets, trouble } };
        }
      }
      yield { part: 0.5 + step.value.part / 2, soFar: { targets: [], trouble: undefined } };
    }
  },
};
