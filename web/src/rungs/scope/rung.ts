import { formatQuantity } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const scopeRung: Rung = {
  id: 'scope',
  name: 'Scope',
  key: 'o',
  summary: (_, __, judged) => {
    const dip = ['loadStepUndershoot', 'loadStepFullUndershoot']
      .map((id) => judged.find((target) => target.id === id))
      .find((target) => target && Number.isFinite(target.predicted) && !target.estimate);
    return dip ? `dips ${formatQuantity(dip.predicted, 'V')}` : 'steps, start-up and faults';
  },
  screen: patiently(() => import('./ScopeRung.tsx')),
};
