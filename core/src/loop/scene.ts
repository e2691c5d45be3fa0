import type { StageScene } from '../stage/scene.ts';

/** What a quantity of the loop looks at: an operating point, and the loop that is closed there. */
export interface LoopScene extends StageScene {
  loop?: LoopHere | undefined;
}

/** A closed loop at one operating point: its margins, and what they are made of. */
export interface LoopHere {
  /** Hz; absent where the gain does not fall through one, or the phase through −180° */
  crossover?: number;
  phaseMargin?: number;
  gainMargin?: number;
  /** nearest distance of the loop gain to −1, and what a disturbance grows to in a period */
  vectorMargin?: number;
  growth?: number;
  /** dB and degrees of plant and network at the crossover, and where the phase crosses −180° */
  there?: { plant: Polar; network: Polar };
  reversal?: { frequency: number; plant: Polar; network: Polar };
  /** where the output impedance is highest, Hz and Ω: with the loop open, and by what the loop divides it there */
  impedance: { frequency: number; open: number; dividedBy: number };
}

export interface Polar {
  decibels: number;
  degrees: number;
}
