import {
  compareTopologies,
  completeDecisions,
  explain,
  findTape,
  lightLoadCurves,
  dutyCurves,
  lineCurves,
  picturesOf,
  solve,
  tabulate,
  viewCorner,
  type Alternative,
  type CompleteDecisions,
  type Corner,
  type CornerView,
  type DecidedBy,
  type Design,
  type Explanation,
  type Figures,
  type LinearAlternative,
  type OperatingPoint,
  type QuantityId,
  type Result,
  type TapeStretch,
} from '@yundro/core';

/** What is looked at: the decisions, and one corner's operating point and waveforms. */
export interface Viewed extends CornerView {
  decisions: CompleteDecisions;
  decided: DecidedBy[];
}

/** A design solved at every corner, with the table of them. */
export interface Solved {
  result: Result;
  figures: Figures[];
}

/** Quantities that a sweep can draw. */
export const SWEPT = [
  'switchingFrequency',
  'outputRipple',
  'loadRipple',
  'efficiency',
  'duty',
  'inductorPeak',
  'inductorValley',
] as const satisfies readonly QuantityId[];

/** What the worker answers. Plain functions, so that a test calls them without a worker. */
export const answers = {
  view(design: Design, corner: Corner): Viewed {
    const { decisions, decided } = completeDecisions(design);
    return { decisions, decided, ...viewCorner(design, decisions, corner) };
  },
  solve(design: Design): Solved {
    const result = solve(design);
    return { result, figures: tabulate(design, result) };
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
  compare(design: Design): Compared {
    const { alternatives, standing, silicon, linear } = compareTopologies(design);
    // what the page shows, without the whole results
    return {
      alternatives: alternatives.map(({ result, ...figures }) => ({
        ...figures,
        targets: result.targets.filter((target) => target.verdict !== 'met').map((target) => target.name),
      })),
      linear,
      rightHalfPlaneZero: standing.rightHalfPlaneZero,
      silicon,
    };
  },
  pictures: picturesOf,
  sweeps(design: Design) {
    const result = solve(design);
    const read = (points: readonly OperatingPoint[]): Figures[] => tabulate(design, result, SWEPT, points);
    return {
      overLoad: lightLoadCurves(design).map(({ policy, points }) => ({
        policy,
        x: points.map((p) => p.outputCurrent),
        modes: points.map((p): string => p.conductionMode),
        figures: read(points),
      })),
      overLine: lineCurves(design).map(({ load, points }) => ({
        load,
        x: points.map((p) => p.inputVoltage),
        figures: read(points),
      })),
      overDuty: dutyCurves(design).map(({ load, duties, points }) => ({ load, x: duties, figures: read(points) })),
    };
  },
};

/** What the Topology rung's table shows. */
export interface Compared {
  alternatives: (Omit<Alternative, 'result'> & { targets: string[] })[];
  linear: LinearAlternative;
  /** Hz, of the design as it stands, at its lowest */
  rightHalfPlaneZero: number | undefined;
  /** m² of die that every alternative shares out among its switches */
  silicon: number;
}

export type Answers = typeof answers;
