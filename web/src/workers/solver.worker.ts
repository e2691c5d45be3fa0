import { expose, transfer } from 'comlink';
import type { Corner, Design } from '@yundro/core';
import { answers, longAnswers, type LongAnswers } from './answers.ts';
import { drive, type Long, type Progress } from './long.ts';

const remote = {
  ...answers,
  /** The traces lie in one buffer, which goes over to the page and is not copied. */
  view(design: Design, corner: Corner) {
    const viewed = answers.view(design, corner);
    return viewed.waveforms ? transfer(viewed, [viewed.waveforms.time.buffer]) : viewed;
  },
  long(name: keyof LongAnswers, design: Design, tell: (progress: Progress<unknown>) => void): unknown {
    return drive(longAnswers[name](design) as Long<unknown>, tell);
  },
};
export type Remote = typeof remote;

expose(remote);
