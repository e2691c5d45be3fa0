import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';
import { railWords } from './railWords.ts';

export const briefRung: Rung = {
  id: 'brief',
  name: 'Brief',
  key: 'b',
  summary: railWords,
  screen: patiently(() => import('./BriefRung.tsx')),
};
