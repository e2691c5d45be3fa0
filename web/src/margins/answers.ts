import { judging, type Design, type Verdicts } from '@yundro/core';
import type { Long } from '../workers/long.ts';
import type { Standing } from '../workers/standing.ts';

export const marginLongAnswers = {
  /** The whole judgement of a design, cheapest first. */
  *judge(_design: Design, { given, choice }: Standing): Long<Verdicts> {
    return yield* judging(given, { choice });
  },
};
