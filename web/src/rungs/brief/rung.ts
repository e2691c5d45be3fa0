import { formatQuantity } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const briefRung: Rung = {
  id: 'brief',
  name: 'Brief',
  key: 'b',
  summary: ({ brief }) =>
    `${brief.inputVoltage.min}–${formatQuantity(brief.inputVoltage.max, 'V')} → ${formatQuantity(brief.outputVoltage, 'V')}, ${formatQuantity(brief.outputCurrent.max, 'A')}`,
  screen: patiently(() => import('./BriefRung.tsx')),
};
