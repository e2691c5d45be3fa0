import type { CompleteDecisions } from '../design/complete.ts';
import type { Estimate } from '../estimates/estimate.ts';
import type { Lumped } from '../estimates/outputBank.ts';
import { NO_SECTION, type Section } from './secondSection.ts';

/*
 * How fast a loop a stage's controller can have, by what limits it: the clock, the right-half-plane zero, or a filter whose
 * resonance it cannot pass. Bank and network are sized by the same.
 */

type Method = CompleteDecisions['control']['method'];

/** Crossover over the switching frequency at most. Common practice, no source: a tenth to a fifth. */
const OF_FREQUENCY = 0.1;
/** The same of several phases in voltage mode: each acts in its own turn, so that the loop is heard several times a period; short of a fifth. Our own. */
const OF_FREQUENCY_INTERLEAVED = 0.16;
/** The same where both legs of a four-switch stage switch: two edges a period take part in the phase. Our own. */
const OF_FREQUENCY_BOTH = 0.06;
/** The same of a digital controller whose sample is a period old. Common practice, no source: a twentieth at most. */
const OF_FREQUENCY_SAMPLED = 0.042;
/** The same of average current mode, whose inner loop crosses over at a sixth at least: a third of that. Common practice, no source. */
const OF_FREQUENCY_AVERAGE = 0.055;
/** The same over the lowest right-half-plane zero. Common practice, no source: a fifth to a third. */
export const OF_ZERO = 0.25;
/** How far above the filter's resonance it has to lie for a network that passes it. Our own. */
export const ABOVE_RESONANCE = 1.6;

/** Loop gain that a second section's resonance may have at its peak: 10 dB below one. Our own. */
export const AT_SECTION = 0.3;

export type Limit = 'frequency' | 'zero' | 'section' | 'filter' | 'duty';

/** The loop at one input, full load. */
export interface Reached {
  /** Hz; where an integrator stays below the resonance, the resonance itself, at which the step then rings */
  crossover: number;
  limit: Limit;
  /** part of the highest gain over the line */
  gain: number;
  /** of the switching frequency, that the crossover may be */
  part: number;
  /** Hz, the right-half-plane zero that binds most, as it would stand at the highest gain; Infinity without one */
  zero: number;
  /** Hz, a second section's resonance over its sharpness; Infinity without one */
  section: number;
  /** Hz up to which no end of its duty cuts a digital controller's first answer off; Infinity elsewhere */
  uncut: number;
  /** H, the inductance as the output sees it, and F of all that stands at the output */
  filter: number;
  whole: number;
}

export interface CrossoverLimit {
  /** Hz, at the input of the highest gain */
  crossover: number;
  /** Hz, at the input where it is least */
  slowest: number;
  limit: Limit;
  /** the corner whose gain is highest */
  highest: Estimate;
  at: (corner: Estimate) => Reached;
}

/** Part of the period in which an inductor's current reaches the output. */
export const reachesOf = ({ output }: Estimate): number => (output.chopped ? output.share : 1);

export const modulates = (method: Method): boolean =>
  method === 'voltage-mode' || method === 'voltage-mode-feedforward' || method === 'digital';

/** How a corner's loop gain stands to other inputs', well above the filter's resonance. */
function gainOf(method: Method, corner: Estimate): number {
  if (method === 'peak-current-mode' || method === 'average-current-mode') return reachesOf(corner);
  // of every topology the input: what a duty moves at the inductance, times the part of it that reaches the output
  return method === 'voltage-mode' || method === 'digital' ? corner.inputVoltage : 1;
}

/** Hz, of the output filter as its loop sees it. @param inductance H, of all phases together */
export const resonanceOf = (corner: Estimate, inductance: number, capacitance: number): number =>
  reachesOf(corner) / (2 * Math.PI * Math.sqrt(inductance * capacitance));

function partOf(method: Method, phases: number, both: boolean): number {
  if (method === 'digital') return OF_FREQUENCY_SAMPLED;
  if (method === 'average-current-mode') return OF_FREQUENCY_AVERAGE;
  if (both) return OF_FREQUENCY_BOTH;
  return modulates(method) ? Math.min(OF_FREQUENCY * phases, OF_FREQUENCY_INTERLEAVED) : OF_FREQUENCY;
}

/**
 * How fast a loop can be with any bank: what the corners say is looked at once.
 * @param clock the switching frequency, and the phases that take turns in its period
 * @param corners full load at the inputs, one estimate each, in continuous conduction
 * @param inductance H, of all phases together
 * @param uncut Hz that a bank lets it cross over at most, for a duty at its end not to cut its first answer to a step off
 */
export function crossoverLimitOf(
  method: Method,
  { switchingFrequency, phases }: { switchingFrequency: number; phases: number },
  corners: readonly Estimate[],
  inductance: number,
  section: Section = NO_SECTION,
  uncut: (bank: Lumped) => number = () => Infinity,
): (bank: Lumped) => CrossoverLimit {
  const gains = corners.map((corner) => gainOf(method, corner));
  const top = Math.max(...gains);
  const lowest = Math.min(...gains) / top;
  const highest = corners[gains.indexOf(top)]!;
  const zero = Math.min(
    ...corners.map(({ rightHalfPlaneZero = Infinity }, k) => (rightHalfPlaneZero * top) / gains[k]!),
  );
  const reaches = corners.map(reachesOf);
  const [least, most] = [Math.min(...reaches), Math.max(...reaches)];
  const both = corners.some(({ region }) => region === 'buck-boost');
  const part = partOf(method, phases, both);
  const [byClock, byZero] = [part * switchingFrequency, OF_ZERO * zero];
  return (bank) => {
    const whole = bank.capacitance + section.capacitance;
    const { resonance: ringing, sharpness } = section.ringing(bank);
    const bySection = (AT_SECTION * ringing) / sharpness;
    const byDuty = uncut(bank);
    const crossover = Math.min(byClock, byZero, bySection, byDuty);
    const own = 1 / (2 * Math.PI * Math.sqrt(inductance * whole));
    const passes = !modulates(method) || crossover > ABOVE_RESONANCE * most * own;
    const binding =
      crossover === bySection
        ? 'section'
        : crossover === byZero
          ? 'zero'
          : crossover === byClock
            ? 'frequency'
            : 'duty';
    const limit = passes ? binding : 'filter';
    return {
      crossover,
      slowest: passes ? crossover * lowest : least * own,
      limit,
      highest,
      at: (corner) => {
        const gain = gainOf(method, corner) / top;
        return {
          crossover: passes ? crossover * gain : reachesOf(corner) * own,
          limit,
          gain,
          part,
          zero,
          section: ringing / sharpness,
          uncut: byDuty,
          filter: inductance / reachesOf(corner) ** 2,
          whole,
        };
      },
    };
  };
}
