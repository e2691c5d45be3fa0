import {
  explain,
  isLoopQuantity,
  loopHere,
  solve,
  solveChosen,
  type Corner,
  type Explanation,
  type QuantityId,
} from '@yundro/core';
import type { InForce } from '../workers/standing.ts';

export const whyAnswers = {
  explain({ given, choice }: InForce, corner: Corner, id: QuantityId): Explanation | undefined {
    const { design } = choice;
    const result = solveChosen(given, choice);
    const at = solve(design, { at: corner }).operatingPoints[0];
    const loop = isLoopQuantity(id) ? loopHere(design, corner) : undefined;
    return at && explain({ design, result, point: at, loop }, id);
  },
};
