import {
  loopCorners,
  loopTargets,
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
      if (step.done)
        return { targets: [...margins, ...stepTargets(design, step.value.points)], trouble: step.value.trouble };
      yield { part: 0.5 + step.value.part / 2, soFar: { targets: [], trouble: undefined } };
    }
  },
};
