import { TOPOLOGY_WORDS } from '@yundro/core';
import { patiently } from '../../app/patiently.ts';
import type { Rung } from '../rung.ts';

export const topologyRung: Rung = {
  id: 'topology',
  name: 'Topology',
  key: 't',
  summary: (_, result) =>
    result
      ? `${TOPOLOGY_WORDS[result.decisions.topology]}, ${result.decisions.phases === 1 ? 'one phase' : `${result.decisions.phases} phases`}`
      : '',
  screen: patiently(() => import('./TopologyRung.tsx')),
};
