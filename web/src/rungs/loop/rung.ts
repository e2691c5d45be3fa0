import { formatQuantity } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const loopRung: Rung = {
  id: 'loop',
  name: 'Loop',
  key: 'l',
  summary: (_, __, judged) => {
    const of = (id: string): number | undefined => judged.find((target) => target.id === id)?.predicted;
    const [margin, crossover] = [of('phaseMargin'), of('crossover')];
    return margin !== undefined && crossover !== undefined && Number.isFinite(margin + crossover)
      ? `${formatQuantity(crossover, 'Hz')}, ${Math.round(margin)}°`
      : 'crossover and margins';
  },
  screen: patiently(() => import('./LoopRung.tsx')),
};
