import type { Brief, CapacitorBank } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import { bankRipple, bankRms, worstOverDuty, type Estimate } from './estimate.ts';
import { bulkFor, ceramicFor, loopExcursion, lumped, slewExcursion } from './outputBank.ts';

/** Part of a limit that a decided bank uses, so that its verdict is "met" and not "marginal". */
const USE = 0.8;
/** Part of the ripple allowed that an exact figure may use. */
const EXACT_USE = 0.88;
/** Inputs at which a bank of unlike parts is checked exactly. */
const CHECKED = 2;
const MOST_CERAMICS = 16;
const MOST_BULK = 100;
/** Share of the nominal input allowed as ripple when the brief does not say. Common practice, no source. */
export const INPUT_RIPPLE_SHARE = 0.01;

/** A load step to start from: a quarter to three quarters of full load, 3 % of the output. Common practice, no source. */
export function suggestLoadStep({ outputCurrent, outputVoltage }: Brief): NonNullable<Brief['loadStep']> {
  return { from: outputCurrent.max / 4, to: (3 * outputCurrent.max) / 4, deviation: 0.03 * outputVoltage };
}

/** Output ripple that the brief allows, V peak to peak; 1 % of the output when it does not say. Common practice, no source. */
export function allowedOutputRipple(brief: Brief): number {
  return brief.outputRipple ?? 0.01 * brief.outputVoltage;
}

export function allowedInputRipple(brief: Brief): number {
  return brief.inputRipple ?? INPUT_RIPPLE_SHARE * brief.inputVoltage.nominal;
}

/** What the banks are sized by. */
export interface Sized {
  at: readonly Estimate[];
  phases: number;
  frequency: number;
  /** Hz, of the loop, assumed */
  crossover: number;
}

/** Times `unit` in parallel. */
function of(unit: CapacitorBank, count: number): CapacitorBank {
  return { ...unit, count };
}

/**
 * @param slew A/s, slowest over the line, of the delivered current after the load comes on and after it goes off
 * @param exactRipple V at given inputs, by exact solution: asked where estimates do not suffice
 */
export function chooseOutputBank(
  brief: Brief,
  stage: Sized,
  slew: { on: number; off: number },
  exactRipple: (banks: CapacitorBank[], inputs: readonly number[]) => number,
): { value: CapacitorBank[]; rule: string } {
  const { outputVoltage, loadStep } = brief;
  const rippleLimit = USE * allowedOutputRipple(brief);
  const stepLimit = loadStep ? USE * (loadStep.deviation ?? 0.03 * outputVoltage) : Infinity;
  const step = loadStep ? Math.abs(loadStep.to - loadStep.from) : 0;
  const rms = Math.max(
    ...stage.at.map((corner) =>
      worstOverDuty(corner.output, stage.phases, (side) => bankRms(side, corner, stage.phases)),
    ),
  );
  const rippleAt = (corner: Estimate, banks: CapacitorBank[]): number =>
    worstOverDuty(corner.output, stage.phases, (side) =>
      bankRipple(side, corner, stage.phases, stage.frequency, banks),
    );
  const rippleOf = (banks: CapacitorBank[]): number => Math.max(...stage.at.map((corner) => rippleAt(corner, banks)));
  /** what the step asks of a bank, by what holds the current back */
  const stepParts = (banks: CapacitorBank[]): { words: string; excursion: number }[] => {
    if (step === 0) return [];
    const { capacitance, resistance } = lumped(banks);
    return [
      {
        words: `the load step rules, until a loop of ${formatQuantity(stage.crossover, 'Hz', { digits: 2 })} answers`,
        excursion: loopExcursion(step, stage.crossover, capacitance, resistance),
      },
      {
        words: 'the load’s coming on rules, by the inductor’s slew',
        excursion: slewExcursion(step, slew.on, capacitance, resistance),
      },
      {
        words: 'the load’s going off rules, by the inductor’s slew',
        excursion: slewExcursion(step, slew.off, capacitance, resistance),
      },
    ];
  };
  const stepOf = (banks: CapacitorBank[]): number => Math.max(0, ...stepParts(banks).map(({ excursion }) => excursion));
  const carries = (banks: CapacitorBank[]): number =>
    USE * banks.reduce((sum, bank) => sum + (bank.rippleCurrentRating ?? Infinity) * bank.count, 0);
  const fits = (banks: CapacitorBank[]): boolean =>
    rippleOf(banks) <= rippleLimit && stepOf(banks) <= stepLimit && rms <= carries(banks);
  const ruleFor = (banks: CapacitorBank[]): string => {
    const [byRipple, byStep, byRms] = [rippleOf(banks) / rippleLimit, stepOf(banks) / stepLimit, rms / carries(banks)];
    if (byStep > Math.max(byRipple, byRms))
      return stepParts(banks).reduce((a, b) => (b.excursion > a.excursion ? b : a)).words;
    return byRms > byRipple ? `${formatQuantity(rms, 'A')} RMS rules` : 'ripple rules';
  };

  const ceramic = ceramicFor(outputVoltage);
  for (let count = 1; count <= MOST_CERAMICS; count += 1) {
    const banks = [of(ceramic, count)];
    if (fits(banks)) return { value: banks, rule: ruleFor(banks) };
  }
  const bulk = bulkFor(outputVoltage);
  for (let count = 1; count <= MOST_BULK; count += 1) {
    const banks = [of(ceramic, Math.min(MOST_CERAMICS, 4 + count)), of(bulk, count)];
    if (!fits(banks)) continue;
    const worst = [...stage.at].sort((a, b) => rippleAt(b, banks) - rippleAt(a, banks)).slice(0, CHECKED);
    const inputs = [...new Set(worst.map(({ inputVoltage }) => inputVoltage))];
    if (exactRipple(banks, inputs) <= EXACT_USE * allowedOutputRipple(brief))
      return { value: banks, rule: `${ruleFor(banks)}; bulk joins the ceramics` };
    count += Math.floor(count / 6); // far off: do not try every number
  }
  return {
    value: [of(ceramic, MOST_CERAMICS), of(bulk, MOST_BULK)],
    rule: 'no bank of sensible size meets this brief: more frequency, phases or allowance is needed',
  };
}

export function chooseInputBank(brief: Brief, stage: Sized): { value: CapacitorBank[]; rule: string } {
  const unit = { ...ceramicFor(brief.inputVoltage.max), esl: 0 }; // the input ripple is figured without it
  const { at, phases, frequency } = stage;
  const worst = at
    .map((corner) => ({ corner, rms: worstOverDuty(corner.input, phases, (side) => bankRms(side, corner, phases)) }))
    .reduce((a, b) => (b.rms > a.rms ? b : a));
  const byRms = worst.rms / ((unit.rippleCurrentRating ?? Infinity) * USE);
  const limit = USE * allowedInputRipple(brief);
  // equal parts share capacitance and resistance alike, so the ripple falls with their number
  const byRipple =
    Math.max(
      ...at.map((c) => worstOverDuty(c.input, phases, (side) => bankRipple(side, c, phases, frequency, [unit]))),
    ) / limit;
  const count = Math.min(1000, Math.max(1, Math.ceil(Math.max(byRms, byRipple))));
  return {
    value: [of(unit, count)],
    rule:
      byRms > byRipple
        ? `${formatQuantity(worst.rms, 'A')} RMS at its worst duty rules, at ${formatQuantity(worst.corner.inputVoltage, 'V')}`
        : 'input ripple rules',
  };
}
