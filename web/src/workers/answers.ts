import {
  cancellation,
  compareTopologies,
  coupledRipple,
  dutySpan,
  explain,
  findTape,
  lightLoadCurves,
  lineCurves,
  modeMap,
  ratioAgainstDuty,
  solve,
  waveformsAt,
  type Alternative,
  type Corner,
  type Curve,
  type Design,
  type Explanation,
  type LinearAlternative,
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
  compare(design: Design): Compared {
    const { alternatives, linear } = compareTopologies(design);
    // what the page shows, without the whole results
    return {
      alternatives: alternatives.map(({ result, ...figures }) => ({
        ...figures,
        targets: result.targets.filter((target) => target.verdict !== 'met').map((target) => target.name),
      })),
      linear,
    };
  },
  pictures(design: Design): Pictures {
    const result = solve(design);
    const { decisions, operatingPoints } = result;
    const span = dutySpan(operatingPoints);
    const duties = Array.from({ length: 201 }, (_, i) => i / 200);
    const coupling = decisions.coupling ?? { coefficient: 0.5, polarity: 'inverse' as const };
    const coupledPhases =
      decisions.phases > 1 && (decisions.phases % 2 === 0 || coupling.arrangement === 'one-core')
        ? decisions.phases
        : 2;
    const middle = (span.min + span.max) / 2;
    const coefficients = Array.from({ length: 50 }, (_, i) => i / 50);
    const ripple = (polarity: 'inverse' | 'direct', over: 'duty' | 'coefficient') => {
      const xs = over === 'duty' ? duties.slice(1, -1) : coefficients;
      const at = xs.map((x) =>
        coupledRipple(
          coupledPhases,
          { ...coupling, polarity, coefficient: over === 'duty' ? coupling.coefficient : x },
          over === 'duty' ? x : middle,
        ),
      );
      return { winding: { x: xs, y: at.map((r) => r.winding) }, sum: { x: xs, y: at.map((r) => r.sum) } };
    };
    return {
      phases: decisions.phases,
      span,
      ratios: ratioAgainstDuty(design, decisions),
      operating: operatingPoints.map((point) => ({
        x: point.onTime * point.switchingFrequency,
        y: point.outputVoltage.average / point.inputVoltage,
        region: point.region,
      })),
      maximumDuty: decisions.control.maximumDuty,
      modes: modeMap(design, decisions, operatingPoints),
      cancellation: Array.from({ length: 8 }, (_, i) => ({
        phases: i + 1,
        curve: { x: duties, y: duties.map((duty) => cancellation(i + 1, duty)) },
      })),
      coupled: {
        phases: coupledPhases,
        coefficient: coupling.coefficient,
        duty: middle,
        given: decisions.coupling !== undefined,
        overDuty: { inverse: ripple('inverse', 'duty'), direct: ripple('direct', 'duty') },
        overCoefficient: { inverse: ripple('inverse', 'coefficient'), direct: ripple('direct', 'coefficient') },
      },
    };
  },
  sweeps(design: Design) {
    return { overLoad: lightLoadCurves(design), overLine: lineCurves(design) };
  },
};

/** What the Topology rung's table shows. */
export interface Compared {
  alternatives: (Omit<Alternative, 'result'> & { targets: string[] })[];
  linear: LinearAlternative;
}

/** What the Topology rung's pictures show, for the design as it stands. */
export interface Pictures {
  phases: number;
  span: { min: number; max: number };
  ratios: ReturnType<typeof ratioAgainstDuty>;
  operating: { x: number; y: number; region: string | undefined }[];
  maximumDuty: number;
  modes: ReturnType<typeof modeMap>;
  cancellation: { phases: number; curve: Curve }[];
  coupled: {
    phases: number;
    coefficient: number;
    duty: number;
    given: boolean;
    overDuty: Record<'inverse' | 'direct', { winding: Curve; sum: Curve }>;
    overCoefficient: Record<'inverse' | 'direct', { winding: Curve; sum: Curve }>;
  };
}

export type Answers = typeof answers;
