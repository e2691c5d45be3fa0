import type { Result } from '../solve.ts';
import type { Target } from '../verdict/target.ts';
import { nearestNominal } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';

/** One rail of a project as the power tree shows it, at nominal input and full load. */
export interface Rail {
  inputVoltage: number;
  inputCurrent: number;
  outputPower: number;
  loss: number;
  /** the target with the least of its requirement left */
  worst: Target | undefined;
}

/** Rails that hang on one source, with what those that are solved draw together. */
export interface Source {
  /** the brief's own name for it, or its nominal voltage */
  name: string;
  /** V, nominal */
  inputVoltage: number;
  /** places in the project's list of designs */
  members: number[];
  /** A */
  inputCurrent: number;
  outputPower: number;
  loss: number;
}

/** A project's rails, source by source, with the power of all together. */
export interface PowerTree {
  rails: (Rail | undefined)[];
  sources: Source[];
  outputPower: number;
  loss: number;
}

/**
 * Adds up the rails of a project: currents from each source, power to the loads, losses on the way. A rail without a
 * result (not solved yet, or not to be solved) has its place on its source and counts for nothing.
 */
export function addUpTree(members: readonly { design: Design; result: Result | undefined }[]): PowerTree {
  const rails = members.map(({ design, result }): Rail | undefined => {
    if (!result || result.operatingPoints.length === 0) return undefined;
    const point = nearestNominal(design.brief.inputVoltage.nominal, result.operatingPoints);
    return {
      inputVoltage: point.inputVoltage,
      inputCurrent: point.inputCurrent.average,
      outputPower: point.outputPower,
      loss: point.losses.total,
      worst: result.targets.reduce<Target | undefined>((a, b) => (a && a.used >= b.used ? a : b), undefined),
    };
  });
  const sources: Source[] = [];
  members.forEach(({ design: { brief } }, index) => {
    const nominal = brief.inputVoltage.nominal;
    const name = brief.sourceName ?? formatQuantity(nominal, 'V');
    let source = sources.find((other) => other.name === name && other.inputVoltage === nominal);
    if (!source) {
      source = { name, inputVoltage: nominal, members: [], inputCurrent: 0, outputPower: 0, loss: 0 };
      sources.push(source);
    }
    const rail = rails[index];
    source.members.push(index);
    source.inputCurrent += rail?.inputCurrent ?? 0;
    source.outputPower += rail?.outputPower ?? 0;
    source.loss += rail?.loss ?? 0;
  });
  const sum = (read: (source: Source) => number): number => sources.reduce((total, source) => total + read(source), 0);
  return { rails, sources, outputPower: sum((source) => source.outputPower), loss: sum((source) => source.loss) };
}
