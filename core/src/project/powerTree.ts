import type { Result } from '../solve.ts';
import type { Target } from '../verdict/targets.ts';
import { nearestNominal } from '../verdict/targets.ts';
import type { Design } from '../design/schema.ts';

/** One rail of a project as the power tree shows it, at nominal input and full load. */
export interface Rail {
  inputVoltage: number;
  inputCurrent: number;
  outputPower: number;
  loss: number;
  /** the target with the least of its requirement left */
  worst: Target | undefined;
}

/** A project's rails with what they draw together. */
export interface PowerTree {
  rails: (Rail | undefined)[];
  /** A, from a source that all rails share */
  inputCurrent: number;
  outputPower: number;
  loss: number;
}

/** Adds up the rails of a project: currents from the source, power to the loads, losses on the way. */
export function addUpTree(solved: readonly { design: Design; result: Result }[]): PowerTree {
  const rails = solved.map(({ design, result }): Rail | undefined => {
    if (result.operatingPoints.length === 0) return undefined;
    const point = nearestNominal(design.brief.inputVoltage.nominal, result.operatingPoints);
    const spare = (target: Target): number => target.margin / target.required;
    return {
      inputVoltage: point.inputVoltage,
      inputCurrent: point.inputCurrent.average,
      outputPower: point.outputPower,
      loss: point.losses.total,
      worst: result.targets.reduce<Target | undefined>((a, b) => (a && spare(a) <= spare(b) ? a : b), undefined),
    };
  });
  const sum = (read: (rail: Rail) => number): number =>
    rails.reduce((total, rail) => total + (rail ? read(rail) : 0), 0);
  return {
    rails,
    inputCurrent: sum((rail) => rail.inputCurrent),
    outputPower: sum((rail) => rail.outputPower),
    loss: sum((rail) => rail.loss),
  };
}
