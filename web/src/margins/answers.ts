import { steppedPoints, stepTargets, type Design, type Part, type QuantityId, type Target } from '@yundro/core';
import type { Long } from '../workers/long.ts';

/** The load step's targets by simulation, at the worst of the inputs simulated so far. */
export interface StepAnswer {
  targets: Target<QuantityId>[];
  /** why there are none */
  trouble: string | undefined;
}

export const marginLongAnswers = {
  *step(design: Design, _parts: readonly Part[]): Long<StepAnswer> {
    const going = steppedPoints(design);
    for (;;) {
      const step = going.next();
      if (step.done) return { targets: stepTargets(design, step.value.points), trouble: step.value.trouble };
      yield { part: step.value.part, soFar: { targets: [], trouble: undefined } };
    }
  },
};
