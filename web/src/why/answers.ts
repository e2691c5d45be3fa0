import { explain, solve, type Corner, type Design, type Explanation, type QuantityId } from '@yundro/core';

export const whyAnswers = {
  explain(design: Design, corner: Corner, id: QuantityId): Explanation | undefined {
    const result = solve(design);
    const at = solve(design, { at: corner }).operatingPoints[0];
    return at && explain({ design, result, point: at }, id);
  },
};
