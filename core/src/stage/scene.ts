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
}
