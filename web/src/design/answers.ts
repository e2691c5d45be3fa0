import {
  balanceOf,
  completeDecisions,
  figuresAt,
  findTape,
  resultsApart,
  solve,
  tabulate,
  viewCorner,
  type Change,
  type CompleteDecisions,
  type Corner,
  type CornerView,
  type DecidedBy,
  type Design,
  type Figures,
  type FiguresById,
  type Result,
  type TapeStretch,
} from '@yundro/core';

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
  view(design: Design, corner: Corner): Viewed {
    const { decisions, decided } = completeDecisions(design);
    const viewed = viewCorner(design, decisions, corner);
    return {
      decisions,
      decided,
      drawn: viewed.point ? figuresAt(design, { decisions, decided }, viewed.point) : {},
      ...viewed,
      balance: viewed.waveforms && balanceOf(viewed.waveforms),
    };
  },
  solve(design: Design): Solved {
    const result = solve(design);
    return { result, figures: tabulate(design, result) };
  },
  summary(design: Design): Result {
    return solve(design);
  },
  /** What two states of a design come to, where they part. */
  resultsApart(design: Design, other: Design): Change[] {
    return resultsApart(design, other);
  },
  tape(design: Design, path: string): { value: number; low: number; high: number; stretches: TapeStretch[] } {
    return findTape(design, path);
  },
};
