import type { Brief } from '../design/index.ts';
import { formatQuantity } from '../quantity/index.ts';
import type { OperatingPoint } from '../stage/operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { lumped } from '../estimates/outputBank.ts';
import type { Notice } from '../verdict/notice.ts';

/*
 * What a source and the stage's input ask of one another. The thresholds are common practice, no source, unless one is
 * named.
 */

/** Part of a fuse's rating that it should carry for long. */
const FUSE_USE = 0.75;
/** Ratio of source resonance to the ripple's frequency that counts as meeting it. */
const NEAR = 1.4;

const volts = (value: number): string => formatQuantity(value, 'V');
const amperes = (value: number): string => formatQuantity(value, 'A');
const hertz = (value: number): string => formatQuantity(value, 'Hz');
const percent = (value: number): string => formatQuantity(value, '%', { digits: 2 });

/** Every such remark on a solved design. */
export function sourceNotices(brief: Brief, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  if (points.length === 0) return [];
  const fullest = points.filter(({ outputCurrent }) => outputCurrent === brief.outputCurrent.max);
  return [
    ...fuse(brief, points),
    ...sourceResonance(brief, decisions, points),
    ...sourceStability(brief, decisions, fullest),
  ];
}

function fuse({ inputFuse }: Brief, points: readonly OperatingPoint[]): Notice[] {
  if (inputFuse === undefined) return [];
  const worst = points.reduce((a, b) => (b.inputCurrent.average > a.inputCurrent.average ? b : a));
  const drawn = worst.inputCurrent.average;
  if (drawn <= FUSE_USE * inputFuse) return [];
  const words = `The stage draws ${amperes(drawn)} at ${volts(worst.inputVoltage)} through a fuse of ${amperes(inputFuse)}`;
  return [
    {
      id: 'input-fuse',
      message:
        drawn > inputFuse
          ? `${words}: it blows in normal use.`
          : `${words}: a fuse that carries more than ${percent(FUSE_USE)} of its rating for long ages and opens.`,
    },
  ];
}

function sourceResonance(brief: Brief, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const { sourceInductance = 0 } = brief;
  if (sourceInductance === 0) return [];
  const { capacitance } = lumped(decisions.inputCapacitors);
  const resonance = 1 / (2 * Math.PI * Math.sqrt(sourceInductance * capacitance));
  // phases that do not cancel leave a part at the switching frequency itself
  const met = points
    .filter((point) => point.onTime > 0)
    .flatMap((point) => [point.switchingFrequency, point.switchingFrequency * decisions.phases])
    .find((frequency) => resonance < frequency * NEAR && frequency < resonance * NEAR);
  if (met === undefined) return [];
  const rms = Math.max(...points.map((point) => point.inputCapacitor.rmsCurrent));
  return [
    {
      id: 'source-resonance',
      message: `The source’s inductance rings with the input bank at ${hertz(resonance)}, which the ripple at ${hertz(met)} drives: the bank carries ${amperes(rms)} RMS. Raise the bank, or damp it with a larger capacitor that has some resistance.`,
    },
  ];
}

function sourceStability(brief: Brief, decisions: CompleteDecisions, fullest: readonly OperatingPoint[]): Notice[] {
  const { sourceInductance = 0, sourceResistance = 0 } = brief;
  if (sourceInductance === 0 || fullest.length === 0) return [];
  const { capacitance, resistance } = lumped(decisions.inputCapacitors);
  const lowest = fullest.reduce((a, b) => (b.inputVoltage < a.inputVoltage ? b : a));
  const incremental = lowest.inputVoltage / Math.max(1e-18, lowest.inputCurrent.average);
  // L and C in series with R, loaded by −r: the ringing grows unless R·C·r > L. Source: Middlebrook, 1976 (recalled from memory).
  const damping = sourceResistance + resistance;
  if (damping * capacitance * incremental > sourceInductance && damping < incremental) return [];
  const least = sourceInductance / (capacitance * incremental);
  return [
    {
      id: 'source-stability',
      message: `At ${volts(lowest.inputVoltage)} a regulated stage looks to its source like −${formatQuantity(incremental, 'Ω')}; with the source’s inductance and this bank the input rings up by itself. Damp it with more than ${formatQuantity(least, 'Ω')} in series, as a bulk capacitor’s resistance gives.`,
    },
  ];
}
