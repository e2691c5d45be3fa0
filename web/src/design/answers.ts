import {
  balanceOf,
  completeDecisions,
  figuresAt,
  findTape,
  keepParts,
  resultsApart,
  solveChosen,
  tabulate,
  viewCorner,
  type Change,
  type Choice,
  type CompleteDecisions,
  type Corner,
  type CornerView,
  type DecidedBy,
  type Design,
  type Figures,
  type FiguresById,
  type Part,
  type Result,
  type TapeStretch,
} from '@yundro/core';
import { chosenFor } from '../workers/filled.ts';
import type { InForce } from '../workers/standing.ts';

/** What is looked at: the decisions, and one corner's operating point and waveforms. */
export interface Viewed extends CornerView {
  decisions: CompleteDecisions;
  /** of the waveforms' areas, over one period */
  balance: ReturnType<typeof balanceOf> | undefined;
  decided: DecidedBy[];
  /** what the drawing of the stage carries, by quantity */
  drawn: FiguresById;
}

/** A design solved at every corner, with the table of them. */
export interface Solved {
  result: Result;
  figures: Figures[];
}

/** What every rung of an open design leans on. */
export const designAnswers = {
  view({ design, decided: chosen }: Choice, corner: Corner): Viewed {
    const completed = completeDecisions(design);
    const { decisions } = completed;
    const decided = [...chosen, ...completed.decided];
    const viewed = viewCorner(design, decisions, corner);
    return {
      decisions,
      decided,
      drawn: viewed.point ? figuresAt(design, { decisions, decided }, viewed.point) : {},
      ...viewed,
      balance: viewed.waveforms && balanceOf(viewed.waveforms),
    };
  },
  solve({ given, choice }: InForce): Solved {
    const result = solveChosen(given, choice);
    return { result, figures: tabulate(choice.design, result) };
  },
  /** Along a tape the parts stay as they do while a value moves. */
  tape(
    { given, choice }: InForce,
    path: string,
  ): { value: number; low: number; high: number; stretches: TapeStretch[] } {
    return findTape(given, path, (design) => keepParts(design, choice)?.design ?? design);
  },
};

/** Those of other states of a design, each filled as this shelf fills it. */
export const designShelfAnswers = {
  summary(design: Design, shelf: readonly Part[]): Result {
    return solveChosen(design, chosenFor(design, shelf));
  },
  /** What two states of a design come to, where they part. */
  resultsApart(design: Design, shelf: readonly Part[], other: Design): Change[] {
    return resultsApart(design, other, shelf);
  },
};
