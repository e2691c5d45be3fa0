import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { magnitude, over, plus, type Complex } from '../numbers/complex.ts';
import { bankImpedance } from '../network/impedance.ts';
import { preferredNearest, preferredUp } from '../quantity/preferred.ts';
import { LEADS } from '../stage/sizing/banks.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { lumped } from '../estimates/outputBank.ts';
import { loopAt, usualFrequencies } from './loop.ts';

/*
 * What feeds a regulated stage has to be of less impedance than the stage itself, whose input is a negative resistance below
 * its crossover: otherwise the two ring, and the loop that was designed is another. Source: Middlebrook, 1976; the optimal
 * damping of Erickson and Maksimović, input-filter chapter; recalled from memory.
 */

/** How many times the stage's impedance has to stand above its source's, and what is aimed for in damping. Common practice, no source: 6 dB. */
const ABOVE = 2;
const POINTS = 240;
/** Ratios of the damping part to the one it damps between which one is sought. */
const RATIOS = { least: 0.2, most: 20 };

/** One way to damp: the parts across the bank (R–C) or across the inductance (R–L), and what is left. */
export interface Damping {
  kind: 'parallel R–C' | 'parallel R–L';
  /** ratio of its capacitance to the bank's, or of its inductance to the source's */
  ratio: number;
  resistance: number;
  /** F or H */
  reactance: number;
  /** Ω, the source's highest impedance with these parts */
  peak: number;
}

export interface InputFilter extends Corner {
  /** H and Ω of the source with its leads, F and Ω of the bank */
  source: { inductance: number; resistance: number; assumed: boolean };
  bank: { capacitance: number; resistance: number };
  /** Hz at which they ring, and Ω of the inductance there */
  resonance: number;
  characteristic: number;
  /** Ω of the source with the bank over frequency, and of the stage */
  frequency: number[];
  fed: number[];
  stage: number[];
  /** dB by which the stage stands above its source where they come nearest, and Hz */
  separation: number;
  nearest: number;
  /** whether that is enough */
  holds: boolean;
  /** what would be enough; empty where it is */
  damping: Damping[];
}

/** The lowest input at full load: there the negative resistance is smallest. */
export function inputFilterOf(design: Design): InputFilter {
  const { brief } = design;
  const { decisions } = completeDecisions(design);
  const corner = { inputVoltage: brief.inputVoltage.min, outputCurrent: brief.outputCurrent.max };
  const made = loopAt(design, decisions, corner);
  const inductance = brief.sourceInductance ?? LEADS;
  const resistance = brief.sourceResistance ?? 0;
  const frequency = usualFrequencies(1 / made.ready.setup.period, POINTS);
  const stage = frequency.map((at) => magnitude(made.inputImpedance(at)));
  const bank = lumped(decisions.inputCapacitors);
  const source = { inductance, resistance };
  const fedBy = (extra: Complex, at: number, across: 'bank' | 'source'): number =>
    magnitude(
      fed(
        source,
        decisions.inputCapacitors,
        at,
        across === 'bank' ? extra : undefined,
        across === 'source' ? extra : undefined,
      ),
    );
  const plain = frequency.map((at) => magnitude(fed(source, decisions.inputCapacitors, at)));
  let nearest = 0;
  frequency.forEach((_, k) => {
    if (stage[k]! / plain[k]! < stage[nearest]! / plain[nearest]!) nearest = k;
  });
  const separation = 20 * Math.log10(stage[nearest]! / plain[nearest]!);
  // where it rings: of unlike capacitors those that still follow there
  const ringing = frequency[plain.indexOf(Math.max(...plain))]!;
  const characteristic = 2 * Math.PI * ringing * inductance;
  const capacitance = 1 / (2 * Math.PI * ringing * characteristic);
  const holds = stage[nearest]! >= ABOVE * plain[nearest]!;
  const least = Math.min(...stage);
  const peakWith = (extra: (at: number) => Complex, across: 'bank' | 'source'): number =>
    Math.max(...frequency.map((at) => fedBy(extra(at), at, across)));
  const damping: Damping[] = [];
  if (!holds) {
    const wanted = least / ABOVE / characteristic;
    const n = ratioFor(wanted, (ratio) => Math.sqrt(2 * (2 + ratio)) / ratio);
    if (n !== undefined) {
      const q = Math.sqrt(((4 + 3 * n) * (2 + n)) / (2 * n * n * (4 + n)));
      const farads = preferredUp(n * capacitance, 'E6');
      const ohms = preferredNearest(q * characteristic, 'E24');
      damping.push({
        kind: 'parallel R–C',
        ratio: farads / capacitance,
        resistance: ohms,
        reactance: farads,
        peak: peakWith((at) => [ohms, -1 / (2 * Math.PI * at * farads)], 'bank'),
      });
    }
    const m = ratioFor(wanted, (ratio) => Math.sqrt(2 * ratio * (1 + 2 * ratio)), true);
    if (m !== undefined) {
      const q = Math.sqrt((m * (3 + 4 * m) * (1 + 2 * m)) / (2 * (1 + 4 * m)));
      const henries = preferredNearest(m * inductance, 'E12');
      const ohms = preferredNearest(q * characteristic, 'E24');
      damping.push({
        kind: 'parallel R–L',
        ratio: henries / inductance,
        resistance: ohms,
        reactance: henries,
        peak: peakWith((at) => [ohms, 2 * Math.PI * at * henries], 'source'),
      });
    }
  }
  return {
    ...corner,
    source: { ...source, assumed: brief.sourceInductance === undefined },
    bank,
    resonance: ringing,
    characteristic,
    frequency,
    fed: plain,
    stage,
    separation,
    nearest: frequency[nearest]!,
    holds,
    damping,
  };
}

/** Ω of the source with its bank, and what may stand across either. */
function fed(
  { inductance, resistance }: { inductance: number; resistance: number },
  banks: Parameters<typeof bankImpedance>[0],
  frequency: number,
  acrossBank?: Complex,
  acrossSource?: Complex,
): Complex {
  const speed = 2 * Math.PI * frequency;
  const inverse = (value: Complex): Complex => over([1, 0], value);
  const coil: Complex = [0, speed * inductance];
  const led = acrossSource ? inverse(plus(inverse(coil), inverse(acrossSource))) : coil;
  let admittance = plus(inverse(plus(led, [resistance, 0])), inverse(bankImpedance(banks, speed)));
  if (acrossBank) admittance = plus(admittance, inverse(acrossBank));
  return inverse(admittance);
}

/** The ratio at which a peak, in parts of √(L/C), is what is wanted; undefined where none is. */
function ratioFor(wanted: number, peak: (ratio: number) => number, rises = false): number | undefined {
  let { least: low, most: high } = RATIOS;
  const enough = (ratio: number): boolean => peak(ratio) <= wanted;
  if (!enough(rises ? low : high)) return undefined;
  if (enough(rises ? high : low)) return rises ? high : low;
  for (let round = 0; round < 50; round += 1) {
    const middle = Math.sqrt(low * high);
    if (enough(middle) === rises) low = middle;
    else high = middle;
  }
  return rises ? low : high;
}
