import type { LongArea } from '../area.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { StageScene } from '../stage/scene.ts';
import { NO_TRIALS, runOfTarget, TRIALS, trialTargets, tryOut, type TrialQuantity, type Trials } from './trials.ts';

/** What only time tells: load steps, overload, short circuit and start, simulated. */
export const trialsArea: LongArea<Trials, StageScene, CompleteDecisions, never, TrialQuantity> = {
  id: 'trials',
  share: 0.5,
  tellsOnTheWay: true,
  compute: ({ design, decisions, at }) => tryOut(design, decisions, TRIALS, at),
  quantities: {},
  targets: (design, decisions, found = NO_TRIALS, why) => trialTargets(design, decisions, found, TRIALS, why),
  warnings: () => [],
  lookedAt: (id) => {
    const run = runOfTarget(id);
    return { rung: 'scope', ...(run === undefined ? {} : { run }) };
  },
};
