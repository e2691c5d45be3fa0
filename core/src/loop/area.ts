import { cornersAsked, type LongArea } from '../area.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { loopCorners, loopTargets, loopWarnings, openLoopTargets, type LoopCorners } from './corners.ts';
import { loopQuantities, type LoopQuantity } from './quantities.ts';
import type { LoopScene } from './scene.ts';

/** The closed loop at every corner: margins, crossover, output impedance. */
export const loopArea: LongArea<LoopCorners, LoopScene, CompleteDecisions, LoopQuantity> = {
  id: 'loop',
  share: 0.25,
  // the worst corner may be the last
  tellsOnTheWay: false,
  compute: ({ design, at }) => loopCorners(design, false, cornersAsked(design, at)),
  quantities: loopQuantities,
  targets: (design, decisions, found, why) =>
    found ? loopTargets(design, found, { decisions }) : openLoopTargets(design, decisions, why),
  warnings: ({ corners, warnings }) => [
    ...loopWarnings(corners).map((message) => ({ id: 'crossings', message })),
    ...warnings.map((message) => ({ id: 'limit-cycle', message })),
  ],
  lookedAt: () => ({ rung: 'loop' }),
};
