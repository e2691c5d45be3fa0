import type { DecidedBy } from '../design/decide.ts';
import type { Design } from '../design/schema.ts';
import type { LossScope } from '../losses/scope.ts';
import type { OperatingPoint } from './operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { LinearAlternative } from '../estimates/linearRegulator.ts';

/** What the power stage's area finds out about a design. */
export interface StageFound {
  decisions: CompleteDecisions;
  /** every free decision with the rule that made it */
  decided: DecidedBy[];
  operatingPoints: OperatingPoint[];
  /** corners asked for, and those of them that took more work than one may */
  corners: number;
  spent: number;
  /** what every loss and efficiency of this result holds and lacks */
  lossScope: LossScope;
  linearRegulator: LinearAlternative;
}

/** What a quantity of the stage looks at: the design, what was found, and the operating point asked about. */
export interface StageScene {
  design: Design;
  result: Pick<StageFound, 'decisions' | 'decided' | 'lossScope'>;
  point: OperatingPoint;
  /** the closed loop there, where a quantity of it is asked about */
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
