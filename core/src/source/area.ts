import type { Area } from '../area.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { StageFound, StageScene } from '../stage/scene.ts';
import { DEFER } from '../verdict/notice.ts';
import { sourceNotices } from './notices.ts';

/** The source and its leads, and what they and the stage's input ask of one another. */
export const sourceArea: Area<
  Pick<StageFound, 'decisions' | 'operatingPoints'>,
  object,
  StageScene,
  CompleteDecisions,
  never
> = {
  id: 'source',
  compute: () => ({}),
  quantities: {},
  figures: [],
  targets: () => [],
  warnings: ({ design }, { decisions, operatingPoints }) => sourceNotices(design.brief, decisions, operatingPoints),
  cautions: ({ design: { brief } }) =>
    brief.source === 'battery' && brief.inputFuse === undefined
      ? [
          {
            id: 'battery-fuse',
            message: `A battery has no current limit of its own: fit a fuse close to it before anything else is connected. ${DEFER}`,
          },
        ]
      : [],
  tapes: [],
  moreTapes: [],
};
