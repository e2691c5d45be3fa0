import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const partsRung: Rung = {
  id: 'parts',
  name: 'Parts',
  key: 'p',
  summary: (design) => {
    const { controlSwitch, rectifier, inductor, control, outputCapacitors, inputCapacitors } = design.decisions;
    const named = [controlSwitch, rectifier, inductor, control, outputCapacitors?.[0], inputCapacitors?.[0]].filter(
      (place) => place?.partId !== undefined,
    ).length;
    return named === 0 ? 'from the shelf' : `${named} of 6 places held`;
  },
  screen: patiently(() => import('./PartsRung.tsx')),
};
