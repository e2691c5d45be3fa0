import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const loopRung: Rung = {
  id: 'loop',
  name: 'Loop',
  key: 'l',
  summary: () => 'crossover and margins',
  screen: patiently(() => import('./LoopRung.tsx')),
};
