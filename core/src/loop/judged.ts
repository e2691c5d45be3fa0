import type { Complex } from '../numbers/complex.ts';
import { magnitude } from '../numbers/complex.ts';
import type { Loop } from './loop.ts';
import { marginsOf, missing, type Margins } from './margins.ts';

/** What a loop is judged by at a corner: the worst of its crossings, on the response that holds there. */
export interface JudgedLoop {
  /** whose margins these are: the exact response decides wherever it and the averaged one part */
  by: 'averaged' | 'exact';
  /** Hz and degrees at the crossing that comes nearest to −1; null where the gain passes one nowhere */
  crossoverFrequency: number | null;
  phaseMargin: number | null;
  /** dB */
  gainMargin: number | null;
  vectorMargin: Margins['vectorMargin'];
  /** passages of the gain through one */
  crossings: number;
  /** to what a disturbance grows in a period of the closed loop, by the periodic map; Infinity where no period repeats at all */
  growth: number | undefined;
}

/** Degrees and dB within which two responses tell the same. Our own. */
const SAME = { phase: 3, gain: 1 };

const parts = (a: number | null, b: number | null, within: number): boolean =>
  a === null || b === null ? a !== b : Math.abs(a - b) > within;

/**
 * The margins at the worst crossing. A loop that the periodic map finds stable misses −1 from whichever side it passes it;
 * one that grows has none, whatever a curve says.
 */
export function worstOf(margins: Margins, growth: number | undefined): Omit<JudgedLoop, 'by'> {
  const { crossings, vectorMargin, gainMargin, crossoverFrequency, phaseMargin } = margins;
  const holds = growth !== undefined && growth < 1;
  const marginOf = (margin: number): number => (holds ? missing(margin) : margin);
  const worst = crossings.reduce<Margins['crossings'][number] | undefined>(
    (least, one) => (least && marginOf(least.phaseMargin) <= marginOf(one.phaseMargin) ? least : one),
    undefined,
  );
  return {
    crossoverFrequency: worst?.frequency ?? crossoverFrequency,
    phaseMargin: worst ? marginOf(worst.phaseMargin) : phaseMargin,
    gainMargin: gainMargin === null ? null : holds ? Math.abs(gainMargin) : gainMargin,
    vectorMargin,
    crossings: crossings.length,
    growth,
  };
}

/** A loop as it is judged: its own response's margins, or the exact one's where the two part, with the growth of the periodic map. */
export function judgedLoop(
  made: Loop,
  frequencies: readonly number[],
  margins: Margins,
): { judged: JudgedLoop; gain: (frequency: number) => Complex; margins: Margins } {
  const growth = growthOf(made);
  const own = { judged: { by: made.model, ...worstOf(margins, growth) }, gain: made.gain, margins };
  if (made.model === 'exact') return own;
  const exact = made.exact?.();
  if (!exact) return own;
  const told = marginsOf(frequencies, frequencies.map(exact), exact, made.switches / 2);
  const differs =
    parts(told.phaseMargin, margins.phaseMargin, SAME.phase) ||
    parts(told.gainMargin, margins.gainMargin, SAME.gain) ||
    told.crossings.length !== margins.crossings.length;
  return differs ? { judged: { by: 'exact', ...worstOf(told, growth) }, gain: exact, margins: told } : own;
}

/** The growth of a disturbance in a period; where none closes by Newton's method, whether one does after the stage has run. */
function growthOf(made: Loop): number | undefined {
  const closed = made.closed();
  if (closed) return closed.growth;
  // pulses that are left out on purpose repeat in no period of the clock
  return made.settles() || made.ready.setup.modulator.leastPulse ? undefined : Infinity;
}

/** Points on either side of a resonance, and how far the outermost lies, as a ratio. */
const BESIDE = { points: 3, ratio: 1.03 };

/** Frequencies with the places of resonances among them, so that none that is narrow stands between two. @param resonances Hz */
export function withResonances(frequencies: readonly number[], resonances: readonly number[]): number[] {
  const [first, last] = [frequencies[0] ?? 0, frequencies[frequencies.length - 1] ?? 0];
  const more = resonances.flatMap((at) =>
    Array.from({ length: 2 * BESIDE.points + 1 }, (_, k) => at * BESIDE.ratio ** ((k - BESIDE.points) / BESIDE.points)),
  );
  const within = more.filter((at) => at > first && at < last);
  return within.length === 0 ? frequencies.slice() : [...new Set([...frequencies, ...within])].sort((a, b) => a - b);
}

/** How large a value is, for peaks. */
export const sizeOf =
  (of: (frequency: number) => Complex) =>
  (frequency: number): number =>
    magnitude(of(frequency));
