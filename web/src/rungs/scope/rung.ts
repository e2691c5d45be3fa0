import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const scopeRung: Rung = {
  id: 'scope',
  name: 'Scope',
  key: 'o',
  summary: () => 'steps, start-up and faults, simulated',
  screen: patiently(() => import('./ScopeRung.tsx')),
};
