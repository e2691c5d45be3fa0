import type { Design, Fault } from './design/index.ts';
import { solveCorner, type OperatingPoint } from './stage/operating/operatingPoint.ts';
import type { CompleteDecisions, Corner } from './stage/operating/stage.ts';
import { lossScope, type LossScope } from './losses/scope.ts';
import { completeDecisions, type DecidedBy } from './stage/sizing/complete.ts';
import { linearAlternative, type LinearAlternative } from './stage/sizing/linearRegulator.ts';
import { topologyModel } from './topology/index.ts';
import { findCautions, findWarnings, type Notice } from './stage/notices.ts';
import { assessTargets, type Target, type Verdict } from './stage/targets.ts';

/** What `solve` answers. Names and units of the shared keys are the result format's. */
export interface Result {
  format: 'yundro-result';
  version: 1;
  decisions: CompleteDecisions;
  /** every free decision with the rule that made it */
  decided: DecidedBy[];
  operatingPoints: OperatingPoint[];
  targets: Target[];
  verdict: Verdict;
  /** what every loss and efficiency of this result holds and lacks */
  lossScope: LossScope;
  linearRegulator: LinearAlternative;
  warnings: Notice[];
  cautions: Notice[];
}

export interface SolveOptions {
  /** solve this one corner instead of the six of line and load */
  at?: Partial<Corner> | undefined;
  /** remarks from reading the file, passed on as warnings */
  remarks?: readonly Fault[] | undefined;
  /** m² of die that free switches share, where stages are compared */
  silicon?: number | undefined;
}

/** The corners that every design is held against: input min, nominal, max × load min, max, each once. */
export function cornersOf({ brief }: Pick<Design, 'brief'>): Corner[] {
  const { inputVoltage, outputCurrent } = brief;
  const inputs = [...new Set([inputVoltage.min, inputVoltage.nominal, inputVoltage.max])];
  const loads = [...new Set([outputCurrent.min, outputCurrent.max])];
  return inputs.flatMap((input) => loads.map((load) => ({ inputVoltage: input, outputCurrent: load })));
}

/** The pipeline as far as the verdicts: what a tape draws, which asks many designs and of each no more than this. */
export function solveTargets(design: Design, { at, silicon }: SolveOptions = {}) {
  const { decisions, decided } = completeDecisions(design, { silicon });
  const { brief } = design;
  const corners = at
    ? [
        {
          inputVoltage: at.inputVoltage ?? brief.inputVoltage.nominal,
          outputCurrent: at.outputCurrent ?? brief.outputCurrent.max,
        },
      ]
    : cornersOf(design);
  const model = topologyModel(decisions.topology);
  const solved = corners.map((corner) => solveCorner(model, brief, decisions, corner));
  const operatingPoints = solved.flatMap(({ point }) => point ?? []);
  return { decisions, decided, solved, operatingPoints, targets: assessTargets(design, decisions, operatingPoints) };
}

/**
 * The pipeline: brief and held decisions in; complete decisions, operating points, verdicts and hazards out. Pure: the
 * same design gives the same result, and nothing downstream reaches back.
 */
export function solve(design: Design, options: SolveOptions = {}): Result {
  const { decisions, decided, solved, operatingPoints, targets } = solveTargets(design, options);
  const { brief } = design;
  const spent = solved.filter((corner) => corner.spent).length;
  const warnings = findWarnings(design, decisions, operatingPoints, targets, options.remarks ?? []);
  if (spent > 0) {
    warnings.unshift({
      id: 'too-much-work',
      message: `${spent} of ${solved.length} corners take more work than one may (many unlike capacitors, or values many orders of magnitude apart); they are left out.`,
    });
  }
  if (operatingPoints.length + spent < solved.length) {
    warnings.unshift({
      id: 'not-solved',
      message: `${solved.length - operatingPoints.length - spent} of ${solved.length} corners have no periodic state among those tried (or the arithmetic cannot resolve it with these values); they are left out.`,
    });
  }
  return {
    format: 'yundro-result',
    version: 1,
    decisions,
    decided,
    operatingPoints,
    targets,
    verdict: worstVerdict(targets),
    lossScope: lossScope(decisions.rectifier.kind, !decided.some(({ path }) => path === 'control.deadTime')),
    linearRegulator: linearAlternative(brief),
    warnings,
    cautions: findCautions(design, decisions, operatingPoints),
  };
}

export function worstVerdict(targets: readonly Target[]): Verdict {
  if (targets.some((target) => target.verdict === 'missed')) return 'missed';
  return targets.some((target) => target.verdict === 'marginal') ? 'marginal' : 'met';
}
