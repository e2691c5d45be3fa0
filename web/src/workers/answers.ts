import {
  compareTopologies,
  explain,
  findTape,
  lightLoadCurves,
  dutyCurves,
  lineCurves,
  picturesOf,
  solve,
  tabulate,
  waveformsAt,
  type Alternative,
  type Corner,
  type Design,
  type Explanation,
  type Figures,
  type LinearAlternative,
  type OperatingPoint,
  type QuantityId,
  type Result,
  type TapeStretch,
  type Waveforms,
} from '@yundro/core';

/** A design solved, with the waveforms at one of its corners. */
export interface Solved {
  result: Result;
  waveforms: Waveforms | undefined;
  /** the table of all corners */
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
  solve(design: Design, corner: Corner): Solved {
    const result = solve(design);
    return {
      result,
      waveforms: waveformsAt(design, result.decisions, corner),
      figures: tabulate(design, result),
    };
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
