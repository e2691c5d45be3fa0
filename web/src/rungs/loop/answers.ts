import {
  loopCorners,
  placeNetwork,
  SimulationError,
  type Design,
  type LoopCorners,
  type Part,
  type Placed,
  type Wanted,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';

export const loopAnswers = {
  /** A network by the k-factor, or why there is none. */
  place(design: Design, wanted: Wanted): { placed?: Placed; trouble?: string } {
    try {
      return { placed: placeNetwork(design, wanted) };
    } catch (error) {
      if (error instanceof SimulationError) return { trouble: error.message };
      throw error;
    }
  },
};

export const loopLongAnswers = {
  *loop(design: Design, _parts: readonly Part[]): Long<LoopCorners> {
    return yield* loopCorners(design);
  },
};
