import {
  explain,
  findTape,
  solve,
  waveformsAt,
  type Corner,
  type Design,
  type Explanation,
  type QuantityId,
  type Result,
  type TapeStretch,
  type Waveforms,
} from '@yundro/core';

/** A design solved, with the waveforms at one of its corners. */
export interface Solved {
  result: Result;
  waveforms: Waveforms | undefined;
}

/** What the worker answers. Plain functions, so that a test calls them without a worker. */
export const answers = {
  solve(design: Design, corner: Corner): Solved {
    const result = solve(design);
    return { result, waveforms: waveformsAt(design, result.decisions, corner) };
  },
  summary(design: Design): Result {
    return solve(design);
  },
  explain(design: Design, corner: Corner, id: QuantityId): Explanation | undefined {
    const result = solve(design);
    const at = solve(design, { at: corner }).operatingPoints[0];
    return at && explain({ design, result, point: at }, id);
  },
  tape(design: Design, path: string): { value: number; low: number; high: number; stretches: TapeStretch[] } {
    return findTape(design, path);
  },
};

export type Answers = typeof answers;
