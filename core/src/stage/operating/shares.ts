import type { CapacitorBank } from '../../design/schema.ts';
import { capacitorLife, capacitorLoss } from '../../losses/capacitor.ts';
import type { Trace } from '../../losses/winding.ts';
import { groupBranches } from '../../network/circuit.ts';
import { dot, rowTimes, type Vector } from '../../numbers/linear.ts';
import { sampleFlow } from '../../numbers/trace.ts';
import type { Stretch } from './inputBank.ts';
import { branchOf } from '../../topology/ofDesign.ts';

/** One capacitor of a bank's entry: A, W, °C of its core and s of its life, where its data tell them. */
export interface CapacitorShare {
  rmsCurrent: number;
  loss: number;
  temperature?: number;
  lifetime?: number;
}

/** Halvings of a stretch down to the pieces that harmonics are told by, and of the short ones that a bent inductance cuts a period into. */
const HALVINGS = 5;
const HALVINGS_CUT = 1;

/** Where the currents of a node's branches are found: A²·s of each over the repeating part, and their rows in a stretch. */
export interface BranchCurrents {
  squares: readonly number[];
  rowsIn: (stretch: Stretch) => readonly Vector[];
  /** whether series inductance takes part */
  inductive: boolean;
}

/**
 * What one capacitor of each entry of a bank carries, loses and lives: the branches' exact currents shared out among
 * what was taken together in them, in proportion to capacitance.
 * @param ambient °C where the capacitors stand
 */
export function sharesOf(
  banks: readonly CapacitorBank[],
  { squares, rowsIn, inductive }: BranchCurrents,
  stretches: readonly Stretch[],
  repeat: number,
  ambient: number,
): CapacitorShare[] {
  const groups = groupBranches(
    banks.map((bank) => (inductive ? branchOf(bank) : { ...branchOf(bank), inductance: 0 })),
  );
  const shares: CapacitorShare[] = [];
  groups.forEach((members, branch) => {
    const whole = members.reduce((sum, at) => sum + banks[at]!.capacitance * banks[at]!.count, 0);
    const rms = Math.sqrt(Math.max(0, squares[branch]! / repeat));
    for (const at of members) {
      const bank = banks[at]!;
      const part = bank.capacitance / whole;
      const trace = bank.esrCurve && branchTrace(stretches, (stretch) => rowsIn(stretch)[branch]!, part);
      const loss = capacitorLoss(bank, part * rms, trace);
      const temperature = bank.thermalResistance === undefined ? undefined : ambient + bank.thermalResistance * loss;
      const lifetime = capacitorLife(bank, temperature);
      shares[at] = {
        rmsCurrent: part * rms,
        loss,
        ...(temperature === undefined ? {} : { temperature }),
        ...(lifetime === undefined ? {} : { lifetime }),
      };
    }
  });
  return shares;
}

/**
 * Which kind of a bank is nearest its own rating: each carries its own share of the current, by impedance, and the one that
 * carries most need not be the one that is used most.
 * @param each what one capacitor of every kind carries
 * @returns the place of that kind, A of one of it, its rating and the part of that; undefined where no kind has a rating
 */
export function nearestRating(
  banks: readonly CapacitorBank[],
  each: readonly Pick<CapacitorShare, 'rmsCurrent'>[],
): { kind: number; rmsCurrent: number; rating: number; used: number } | undefined {
  let nearest: ReturnType<typeof nearestRating>;
  banks.forEach(({ rippleCurrentRating: rating }, kind) => {
    const rmsCurrent = each[kind]?.rmsCurrent;
    if (rating === undefined || rmsCurrent === undefined) return;
    const used = rmsCurrent / rating;
    if (!nearest || used > nearest.used) nearest = { kind, rmsCurrent, rating, used };
  });
  return nearest;
}

/** The current of a branch over the repeating part, times a part of it. */
function branchTrace(stretches: readonly Stretch[], rowOf: (stretch: Stretch) => Vector, part: number): Trace {
  const time: number[] = [];
  const value: number[] = [];
  const slope: number[] = [];
  const halvings = stretches.some(({ interval }) => interval.configuration.levels) ? HALVINGS_CUT : HALVINGS;
  for (const stretch of stretches) {
    const row = rowOf(stretch);
    const { interval, flow, initial } = stretch;
    const slopes = rowTimes(flow.size, row, flow.matrix);
    const { times, states } = sampleFlow(flow, interval.duration, initial, halvings);
    times.forEach((at, k) => {
      time.push(interval.start + at);
      value.push(part * dot(row.length, row, states[k]!));
      slope.push(part * dot(flow.size, slopes, states[k]!));
    });
  }
  return { time, value, slope };
}
