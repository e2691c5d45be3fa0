import type { Asked } from './area.ts';
import { AREAS, type AreaId, type QuantityId } from './areas.ts';
import type { Design } from './design/index.ts';
import { stageArea } from './stage/area.ts';
import type { StageFound } from './stage/scene.ts';
import type { Notice } from './verdict/notice.ts';
import { worstVerdict, type Target, type Verdict } from './verdict/target.ts';

/** What `solve` answers. Names and units of the shared keys are the result format's. */
export interface Result extends Omit<StageFound, 'corners' | 'spent'> {
  format: 'yundro-result';
  version: 1;
  targets: Target<QuantityId>[];
  verdict: Verdict;
  warnings: Notice[];
  cautions: Notice[];
}

export interface SolveOptions extends Omit<Asked, 'design'> {
  /** the areas wanted beside the power stage, which all others stand on; every one when absent */
  areas?: readonly AreaId[] | undefined;
}

/** What the areas asked for found, and what they hold the design to: what a tape draws, and no more. */
export function foldAreas(design: Design, { areas, ...asked }: SolveOptions = {}) {
  const question: Asked = { design, ...asked };
  const chosen = AREAS.filter(({ id }) => id === 'stage' || !areas || areas.includes(id as AreaId));
  let found = stageArea.compute(question, {});
  const targets: Target<QuantityId>[] = [];
  for (const area of chosen) {
    if (area !== stageArea) found = { ...found, ...area.compute(question, found) };
    targets.push(...area.targets(question, found));
  }
  return { chosen, question, found, targets };
}

/**
 * The pipeline: brief and held decisions in; complete decisions, operating points, verdicts and hazards out. Pure: the
 * same design gives the same result, and nothing downstream reaches back.
 */
export function solve(design: Design, options: SolveOptions = {}): Result {
  const { chosen, question, found, targets } = foldAreas(design, options);
  const { corners: _, spent: __, ...shown } = found;
  return {
    format: 'yundro-result',
    version: 1,
    ...shown,
    targets,
    // what no loop and no run has been asked about may be missed, and is not met
    verdict: worstVerdict(targets) === 'missed' ? 'missed' : 'open',
    warnings: [
      ...chosen.flatMap((area) => area.warnings(question, found, targets)),
      ...(options.remarks ?? []).map(({ path, message, expected }) => ({
        id: 'unknown-key',
        message: `${path} ${message}. Known here: ${expected}.`,
      })),
    ],
    cautions: chosen.flatMap((area) => area.cautions(question, found)),
  };
}
