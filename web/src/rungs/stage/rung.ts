import { formatQuantity } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const stageRung: Rung = {
  id: 'stage',
  name: 'Stage',
  key: 's',
  summary: (_, result) =>
    result
      ? `${formatQuantity(result.decisions.switchingFrequency, 'Hz')}, ${formatQuantity(result.decisions.inductor.inductance, 'H')}`
      : '',
  screen: patiently(() => import('./StageRung.tsx')),
};
