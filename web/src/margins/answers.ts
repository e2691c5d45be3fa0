import { judging, type Design, type Part, type Verdicts } from '@yundro/core';
import type { Long } from '../workers/long.ts';

export const marginLongAnswers = {
  /** The whole judgement of a design, cheapest first. */
  *judge(design: Design, _parts: readonly Part[]): Long<Verdicts> {
    return yield* judging(design);
  },
};
