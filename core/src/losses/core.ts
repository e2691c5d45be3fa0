import { gamma } from 'mathjs/number';
import type { Trace } from './winding.ts';

export interface Steinmetz {
  k: number;
  alpha: number;
  beta: number;
}

/**
 * k_i of the improved generalised Steinmetz equation: k / ((2π)^(α−1)·∫₀^{2π} |cos θ|^α·2^(β−α) dθ), the integral being
 * 2√π·Γ((α+1)/2)/Γ(α/2+1). Source: Venkatachalam, Sullivan, Abdallah and Tacca, 2002; recalled from memory.
 */
export function generalisedCoefficient({ k, alpha, beta }: Steinmetz): number {
  const cosine = (2 * Math.sqrt(Math.PI) * gamma((alpha + 1) / 2)) / gamma(alpha / 2 + 1);
  return k / ((2 * Math.PI) ** (alpha - 1) * cosine * 2 ** (beta - alpha));
}

/**
 * Core loss per volume, W/m³, of a flux density (T) over one period: (1/T)·∫ k_i·|dB/dt|^α·ΔB^(β−α) dt, minor loops
 * apart, each with its own ΔB over the time it takes.
 */
export function coreLossDensity({ time, value }: Trace, steinmetz: Steinmetz): number {
  const period = time[time.length - 1]! - time[0]!;
  if (!(period > 0)) return 0;
  const factor = generalisedCoefficient(steinmetz);
  const one = oneLoop(time, value, steinmetz.alpha);
  if (one) return (factor * one.swing ** (steinmetz.beta - steinmetz.alpha) * one.sum) / period;
  let energy = 0;
  for (const loop of loopsOf(time, value)) {
    const swing = loop.high - loop.low;
    if (!(swing > 0)) continue;
    let sum = 0;
    for (const { span, change } of loop.pieces) sum += Math.abs(change / span) ** steinmetz.alpha * span;
    energy += factor * swing ** (steinmetz.beta - steinmetz.alpha) * sum;
  }
  return energy / period;
}

/** Swing and Σ |slope|^α·span of a trace that rises once and falls once, the usual case; undefined where it has minor loops. */
function oneLoop(
  time: ArrayLike<number>,
  value: ArrayLike<number>,
  alpha: number,
): { swing: number; sum: number } | undefined {
  let turns = 0;
  let [first, last] = [0, 0];
  let low = value[0]!;
  let high = low;
  let sum = 0;
  for (let i = 1; i < time.length; i += 1) {
    const span = time[i]! - time[i - 1]!;
    const change = value[i]! - value[i - 1]!;
    if (!(span > 0) || change === 0) continue;
    const way = Math.sign(change);
    if (last !== 0 && way !== last) turns += 1;
    if (first === 0) first = way;
    last = way;
    low = Math.min(low, value[i]!);
    high = Math.max(high, value[i]!);
    sum += Math.abs(change / span) ** alpha * span;
  }
  if (first !== last) turns += 1;
  return turns <= 2 ? { swing: high - low, sum } : undefined;
}

interface Piece {
  from: number;
  to: number;
  span: number;
  change: number;
}
interface Loop {
  low: number;
  high: number;
  pieces: Piece[];
}

/**
 * The major loop and the minor ones: read from the lowest value, a reversal that is later passed closes a loop of its
 * own, which is cut out whole (rainflow).
 */
function loopsOf(time: ArrayLike<number>, value: ArrayLike<number>): Loop[] {
  const pieces: Piece[] = [];
  for (let i = 1; i < time.length; i += 1) {
    const span = time[i]! - time[i - 1]!;
    if (span > 0 && value[i] !== value[i - 1])
      pieces.push({ from: value[i - 1]!, to: value[i]!, span, change: value[i]! - value[i - 1]! });
  }
  if (pieces.length === 0) return [];
  const start = pieces.reduce((best, piece, i) => (piece.from < pieces[best]!.from ? i : best), 0);
  const runs: Piece[][] = [];
  for (const piece of [...pieces.slice(start), ...pieces.slice(0, start)]) {
    const last = runs[runs.length - 1];
    if (last && last[0]!.change > 0 === piece.change > 0) last.push(piece);
    else runs.push([piece]);
  }
  const loops: Loop[] = [];
  // a run shorter than both its neighbours is one half of a minor loop; the other half is as much of the run after it
  for (let i = 1; i + 1 < runs.length;) {
    const [before, here, after] = [runs[i - 1]!, runs[i]!, runs[i + 1]!];
    const size = (run: Piece[]): number => Math.abs(run[run.length - 1]!.to - run[0]!.from);
    if (size(here) < size(before) && size(here) <= size(after)) {
      const { taken, left } = cutAt(after, here[0]!.from);
      const ends = [here[0]!.from, here[here.length - 1]!.to];
      loops.push({ low: Math.min(...ends), high: Math.max(...ends), pieces: [...here, ...taken] });
      runs.splice(i - 1, 3, [...before, ...left]);
      i = Math.max(1, i - 2);
    } else i += 1;
  }
  const major = runs.flat();
  const values = major.flatMap(({ from, to }) => [from, to]);
  if (values.length > 0) loops.push({ low: Math.min(...values), high: Math.max(...values), pieces: major });
  return loops;
}

/** A run up to a level, and what is left of it. */
function cutAt(run: readonly Piece[], level: number): { taken: Piece[]; left: Piece[] } {
  const taken: Piece[] = [];
  const left: Piece[] = [];
  for (const piece of run) {
    const part = (level - piece.from) / piece.change;
    if (part >= 1) taken.push(piece);
    else if (part <= 0) left.push(piece);
    else {
      taken.push({ ...piece, to: level, span: piece.span * part, change: piece.change * part });
      left.push({ ...piece, from: level, span: piece.span * (1 - part), change: piece.change * (1 - part) });
    }
  }
  return { taken, left };
}
