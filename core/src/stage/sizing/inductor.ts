import type { RippleSchool } from '../../design/schema.ts';
import { saturationOver } from '../../control/protection.ts';

/** A school of inductor ripple: its band and the ratio Yundro takes from it. */
export interface School {
  id: RippleSchool;
  name: string;
  low: number;
  high: number;
  ratio: number;
  reason: string;
}

/** Ripple ratio schools. Common practice, no source. */
export const SCHOOLS: Readonly<Record<RippleSchool, School>> = {
  general: {
    id: 'general',
    name: 'general',
    low: 0.2,
    high: 0.4,
    ratio: 0.3,
    reason: '20–40 % of full load: below that the inductor grows, above it losses and ripple do',
  },
  'peak-current-mode': {
    id: 'peak-current-mode',
    name: 'peak current mode',
    low: 0.3,
    high: 0.4,
    ratio: 0.35,
    reason: '30–40 %: the comparator needs a ramp that stands above its noise',
  },
  'constant-on-time': {
    id: 'constant-on-time',
    name: 'constant on-time',
    low: 0.3,
    high: 0.5,
    ratio: 0.4,
    reason: '30–50 %: the controller regulates on the ripple it sees',
  },
  'small-and-fast': {
    id: 'small-and-fast',
    name: 'small and fast',
    low: 0.4,
    high: 0.6,
    ratio: 0.45,
    reason: '40 % and more where size or the load step rules',
  },
};

/** Saturation current to ask for, A: 1.35 times the load (common practice, no source), and above the peak what current limit and short circuit need. */
export function wantedSaturation(load: number, peak: number, climb: number): number {
  return Math.max(1.35 * load, saturationOver(peak, climb));
}
