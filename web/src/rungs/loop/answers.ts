import { loopCorners, type Design, type LoopCorners, type Part } from '@yundro/core';
import type { Long } from '../../workers/long.ts';

export const loopLongAnswers = {
  *loop(design: Design, _parts: readonly Part[]): Long<LoopCorners> {
    return yield* loopCorners(design);
  },
};
