import { solveLinear, zeros } from '../numbers/linear.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { couplingOf } from '../topology/ofDesign.ts';

/**
 * What a winding's self-inductance counts for while all phases move together, as in a load step: 1 plus the sum of its
 * coefficients towards the others, so 1 − k in inverse pairs and 1 + k in direct ones.
 * Source: Wong, Lee and others, 2001 (recalled from memory).
 */
export function transientFactor(decisions: Pick<CompleteDecisions, 'phases' | 'coupling'>): number {
  const coupling = couplingOf(decisions);
  if (!coupling) return 1;
  let sum = 0;
  for (let other = 0; other < decisions.phases; other += 1) sum += coupling.matrix[other]!;
  return sum;
}

/**
 * Winding and summed ripple of interleaved, coupled windings with straight ramps, both relative to the winding ripple
 * of the same self-inductance uncoupled. Each winding sees (1 − D) while its switch is on and −D while it is off (in
 * units of the voltage that swings it), and the slopes follow from the inverse of the inductance matrix.
 */
export function coupledRipple(
  phases: number,
  coupling: NonNullable<CompleteDecisions['coupling']>,
  duty: number,
): { winding: number; sum: number } {
  const matrix = couplingOf({ phases, coupling })?.matrix ?? identityOf(phases);
  const inverse = inverseOf(matrix, phases);
  const cuts = new Set([0, 1]);
  for (let k = 0; k < phases; k += 1) {
    cuts.add(k / phases);
    cuts.add((k / phases + duty) % 1);
  }
  const edges = [...cuts].sort((a, b) => a - b);
  const current = zeros(phases);
  const windingRange = [0, 0];
  const sumRange = [0, 0];
  for (let i = 1; i < edges.length; i += 1) {
    const span = edges[i]! - edges[i - 1]!;
    const middle = edges[i - 1]! + span / 2;
    const volts = Array.from({ length: phases }, (_, k) => ((middle - k / phases + 1) % 1 < duty ? 1 - duty : -duty));
    for (let k = 0; k < phases; k += 1)
      for (let j = 0; j < phases; j += 1) current[k]! += inverse[k * phases + j]! * volts[j]! * span;
    const sum = current.reduce((a, b) => a + b, 0);
    windingRange[0] = Math.min(windingRange[0]!, current[0]!);
    windingRange[1] = Math.max(windingRange[1]!, current[0]!);
    sumRange[0] = Math.min(sumRange[0]!, sum);
    sumRange[1] = Math.max(sumRange[1]!, sum);
  }
  const plain = duty * (1 - duty);
  return plain > 0
    ? { winding: (windingRange[1]! - windingRange[0]!) / plain, sum: (sumRange[1]! - sumRange[0]!) / plain }
    : { winding: 0, sum: 0 };
}

function identityOf(n: number): number[] {
  const matrix = zeros(n * n);
  for (let i = 0; i < n; i += 1) matrix[i * n + i] = 1;
  return matrix;
}

function inverseOf(matrix: readonly number[], n: number): number[] {
  const inverse = zeros(n * n);
  for (let column = 0; column < n; column += 1) {
    const unit = zeros(n);
    unit[column] = 1;
    const solved = solveLinear(n, matrix.slice(), unit);
    for (let row = 0; row < n; row += 1) inverse[row * n + column] = solved?.[row] ?? 0;
  }
  return inverse;
}
