import type { Area, Asked } from '../area.ts';
import { cornersOf } from '../design/corner.ts';
import { lossScope, type LossScope } from '../losses/scope.ts';
import { within } from '../numbers/linear.ts';
import { topologyModel } from '../topology/index.ts';
import { stageCautions, stageWarnings } from './notices.ts';
import { solveCorner, type OperatingPoint, type SolvedPoint } from './operating/operatingPoint.ts';
import { asBuilt, type CompleteDecisions } from '../design/complete.ts';
import { STAGE_FIGURES, stageQuantities, type StageQuantity } from './quantities/index.ts';
import type { StageFound, StageScene } from './scene.ts';
import { completeDecisions } from './sizing/complete.ts';
import { linearAlternative } from '../estimates/linearRegulator.ts';
import { moreStageTapes, stageTapes } from './tapes.ts';
import { stageTargets } from './targets.ts';

/** Multiplications that all corners together may take: some four seconds in a slow spell. */
const WHOLE_WORK = 6e8;

function compute({ design, at, silicon }: Asked): StageFound {
  const { brief } = design;
  const { decisions, decided } = completeDecisions(design, { silicon });
  const corners = at
    ? [
        {
          inputVoltage: at.inputVoltage ?? brief.inputVoltage.nominal,
          outputCurrent: at.outputCurrent ?? brief.outputCurrent.max,
        },
      ]
    : cornersOf(design);
  const model = topologyModel(decisions.topology);
  const solved: SolvedPoint[] = [];
  within(WHOLE_WORK, () => {
    const built = asBuilt(design.decisions, decisions);
    for (const corner of corners) solved.push(solveCorner(model, brief, built, corner));
  });
  return {
    decisions,
    decided,
    operatingPoints: solved.flatMap(({ point }) => point ?? []),
    corners: corners.length,
    spent: corners.length - solved.filter((corner) => !corner.spent).length,
    lossScope: lossScopeOf(
      decisions,
      decided,
      solved.flatMap(({ point }) => point ?? []),
    ),
    linearRegulator: linearAlternative(brief),
  };
}

/** What the losses of operating points hold and lack. */
export function lossScopeOf(
  decisions: CompleteDecisions,
  decided: StageFound['decided'],
  points: readonly OperatingPoint[],
): LossScope {
  return lossScope(
    decisions.rectifier.kind,
    !decided.some(({ path }) => path === 'control.deadTime'),
    points.map(({ losses }) => ({ ...losses })),
    legsOf(decisions),
  );
}

/** The legs whose devices' data stand behind the losses. */
function legsOf({ topology, controlSwitch, rectifier, boostLeg }: CompleteDecisions) {
  const main = { control: controlSwitch, rectifier };
  return topology === 'four-switch-buck-boost'
    ? [main, { control: boostLeg?.controlSwitch ?? controlSwitch, rectifier: boostLeg?.rectifier ?? rectifier }]
    : [main];
}

/** The power stage: what is decided about it, its exact operating points, and what they are held to. */
export const stageArea: Area<object, StageFound, StageScene, CompleteDecisions, StageQuantity> = {
  id: 'stage',
  compute,
  quantities: stageQuantities,
  figures: STAGE_FIGURES,
  targets: ({ design }, found) => stageTargets(design, found),
  warnings: ({ design }, found, targets) => stageWarnings(design, found, targets),
  cautions: ({ design }, { decisions, operatingPoints }) => stageCautions(design, decisions, operatingPoints),
  tapes: stageTapes,
  moreTapes: moreStageTapes,
};
