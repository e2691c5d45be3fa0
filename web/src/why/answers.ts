import {
  explain,
  isLoopQuantity,
  loopHere,
  solve,
  type Corner,
  type Design,
  type Explanation,
  type QuantityId,
} from '@yundro/core';

export const whyAnswers = {
  explain(design: Design, corner: Corner, id: QuantityId): Explanation | undefined {
    const result = solve(design);
    const at = solve(design, { at: corner }).operatingPoints[0];
    const loop = isLoopQuantity(id) ? loopHere(design, corner) : undefined;
    return at && explain({ design, result, point: at, loop }, id);
  },
};
