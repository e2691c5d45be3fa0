import type { Brief } from '../design/schema.ts';

/** What a linear regulator would do with the same brief. */
export interface LinearAlternative {
  /** false when the input does not stay above the output */
  feasible: boolean;
  /** Vout/Vin at nominal input (its own supply current left out) */
  efficiency: number;
  /** W at highest input and full load */
  heat: number;
  words: string;
}

/** V; the least input-to-output difference of an ordinary part. Common practice, no source. */
const DROPOUT = 0.5;
/** W that a small package sheds without a heat sink. Common practice, no source. */
const COOL = 0.6;

/** The honest comparison: efficiency Vout/Vin and the heat that comes with it. Common practice, no source (20 V to 5 V is 25 %). */
export function linearAlternative(brief: Brief): LinearAlternative {
  const { inputVoltage, outputVoltage, outputCurrent } = brief;
  const heat = Math.max(0, inputVoltage.max - outputVoltage) * outputCurrent.max;
  const efficiency = Math.min(1, outputVoltage / inputVoltage.nominal);
  const inverted = brief.outputPolarity === 'negative';
  const feasible = !inverted && inputVoltage.min >= outputVoltage + DROPOUT;
  const words = inverted
    ? 'Not possible: a linear regulator cannot turn a positive input into an output below return.'
    : !feasible
      ? `Not possible: the input falls to ${inputVoltage.min} V and a linear regulator only steps down.`
      : heat <= COOL
        ? 'Worth a thought: this little heat needs no heat sink, and there is no switching noise.'
        : 'Too hot for what it saves, unless the load is so sensitive to noise that nothing else will do.';
  return { feasible, efficiency, heat, words };
}
