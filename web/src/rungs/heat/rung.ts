import { formatQuantity } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const heatRung: Rung = {
  id: 'heat',
  name: 'Heat',
  key: 'w',
  summary: (design, result) => {
    const full = result?.operatingPoints.find(
      ({ inputVoltage, outputCurrent }) =>
        inputVoltage === design.brief.inputVoltage.nominal && outputCurrent === design.brief.outputCurrent.max,
    );
    const hottest = Math.max(...Object.values(full?.temperatures ?? {}));
    return Number.isFinite(hottest) ? `${formatQuantity(hottest, '°C')} at full load` : 'losses and temperatures';
  },
  screen: patiently(() => import('./HeatRung.tsx')),
};
