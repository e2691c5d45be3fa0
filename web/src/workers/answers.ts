import { designAnswers, designShelfAnswers } from '../design/answers.ts';
import { marginLongAnswers } from '../margins/answers.ts';
import { heatAnswers, heatLongAnswers } from '../rungs/heat/answers.ts';
import { partsAnswers, partsLongAnswers } from '../rungs/parts/answers.ts';
import { loopAnswers, loopLongAnswers } from '../rungs/loop/answers.ts';
import { scopeAnswers, scopeLongAnswers, scopeShelfAnswers } from '../rungs/scope/answers.ts';
import { stageAnswers, stageLongAnswers } from '../rungs/stage/answers.ts';
import { topologyAnswers, topologyLongAnswers } from '../rungs/topology/answers.ts';
import { whyAnswers } from '../why/answers.ts';

/** What the worker answers: each rung brings its own. Plain functions, so that a test calls them without a worker. */
export const answers = {
  ...designAnswers,
  ...whyAnswers,
  ...topologyAnswers,
  ...stageAnswers,
  ...scopeAnswers,
  ...loopAnswers,
};
export type Answers = typeof answers;

/** Those that are asked with the shelf’s parts, which the worker reads by itself. */
export const shelfAnswers = { ...designShelfAnswers, ...scopeShelfAnswers, ...partsAnswers, ...heatAnswers };

/** Those that may take a while: they say how far they are, and are stopped where they stand. */
export const longAnswers = {
  ...stageLongAnswers,
  ...heatLongAnswers,
  ...partsLongAnswers,
  ...scopeLongAnswers,
  ...loopLongAnswers,
  ...marginLongAnswers,
  ...topologyLongAnswers,
};
export type LongAnswers = typeof longAnswers;
/** What each is asked beside the design. */
export type LongAsk<K extends keyof LongAnswers> = Parameters<LongAnswers[K]>[2];
/** Those of them that are asked with the shelf’s parts. */
export const LONG_WITH_SHELF: ReadonlySet<keyof LongAnswers> = new Set(['heat', 'rectifiers', 'topologies']);
