import {
  adjustableDivider,
  completeDecisions,
  dividerPairs,
  dutyCurves,
  LIGHT_LOADS,
  lightLoadCurve,
  lineCurves,
  solve,
  suggestOutputFilter,
  suggestRange,
  tabulate,
  timingPairs,
  type AdjustableDivider,
  type Decisions,
  type Design,
  type DividerPair,
  type Figures,
  type LightLoad,
  type OperatingPoint,
  type QuantityId,
  type Series,
  type TimingPair,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';

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

/** The stage along its load, its line and its duty: what there is so far. */
export interface Sweeps {
  overLoad: { policy: LightLoad; x: number[]; modes: string[]; figures: Figures[] }[];
  overLine: { load: number; x: number[]; figures: Figures[] }[];
  overDuty: { load: number; x: number[]; figures: Figures[] }[];
}

/** What the small parts are wanted to be. */
export interface Wishes {
  series: Series;
  /** A through the divider */
  current: number;
  /** fractions: of the resistors, and of the reference */
  resistor: number;
  reference: number;
  oscillator: 'single-ended' | 'push-pull';
  /** Ω, and V: a usual range where not given */
  potentiometer: number;
  lowest: number | undefined;
  highest: number | undefined;
}

export interface SmallPartsAnswer {
  range: { lowest: number; highest: number };
  pairs: DividerPair[];
  adjustable: AdjustableDivider | undefined;
  timing: TimingPair[];
}

export const stageAnswers = {
  /** A second-stage filter that leaves a tenth of the ripple allowed. */
  secondStage(design: Design): NonNullable<Decisions['outputFilter']> {
    const { decisions, operatingPoints } = solve(design);
    return suggestOutputFilter(design.brief, decisions, operatingPoints);
  },
  smallParts(design: Design, wishes: Wishes): SmallPartsAnswer {
    const { decisions } = completeDecisions(design);
    const { outputVoltage } = design.brief;
    const { referenceVoltage } = decisions.control;
    const usual = suggestRange(outputVoltage, referenceVoltage);
    const { lowest = usual.lowest, highest = usual.highest, potentiometer } = wishes;
    return {
      range: { lowest, highest },
      pairs: dividerPairs(outputVoltage, referenceVoltage, wishes.series, wishes.current, wishes),
      adjustable: adjustableDivider(lowest, highest, referenceVoltage, potentiometer),
      timing: timingPairs(decisions.switchingFrequency, wishes.oscillator),
    };
  },
};

export const stageLongAnswers = {
  *sweeps(design: Design): Long<Sweeps> {
    const result = solve(design);
    const read = (points: readonly OperatingPoint[]): Figures[] => tabulate(design, result, SWEPT, points);
    let soFar: Sweeps = { overLoad: [], overLine: [], overDuty: [] };
    const stretches = LIGHT_LOADS.length + 2;
    let done = 0;
    for (const policy of LIGHT_LOADS) {
      const points = lightLoadCurve(design, policy);
      const curve = {
        policy,
        x: points.map((p) => p.outputCurrent),
        modes: points.map((p): string => p.conductionMode),
        figures: read(points),
      };
      soFar = { ...soFar, overLoad: [...soFar.overLoad, curve] };
      done += 1;
      yield { part: done / stretches, soFar };
    }
    soFar = {
      ...soFar,
      overLine: lineCurves(design).map(({ load, points }) => ({
        load,
        x: points.map((p) => p.inputVoltage),
        figures: read(points),
      })),
    };
    yield { part: (done + 1) / stretches, soFar };
    const overDuty = dutyCurves(design).map(({ load, duties, points }) => ({ load, x: duties, figures: read(points) }));
    return { ...soFar, overDuty };
  },
};
