import type { Brief, CapacitorBank } from '../../design/schema.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { bankRipple, bankRms, worstOverDuty, type Estimate, type SideCurrent } from '../../estimates/estimate.ts';
import { stepToSize } from '../../estimates/loadStep.ts';
import { lateAt, type Late } from '../../estimates/slew.ts';
import { magnitude, over, plus, type Complex } from '../../numbers/complex.ts';
import { usualStock, type BankStock } from '../../shelf/usual/capacitors.ts';
import {
  joinedExcursion,
  loopExcursion,
  lumped,
  rampFactor,
  slewExcursion,
  type Lumped,
} from '../../estimates/outputBank.ts';
import { DAMPED, type Section } from '../../control/secondSection.ts';

/** Part of a limit that a decided bank uses, so that its verdict is "met" and not "marginal". */
const USE = 0.8;
/** Part of the ripple allowed that an exact figure may use. */
const EXACT_USE = 0.88;
/** Inputs at which a bank of unlike parts is checked exactly. */
const CHECKED = 2;
const MOST_CERAMICS = 16;
const MOST_BULK = 100;
/** Parts of those at which a bank that cannot meet its brief is looked at, and how near to the best of them it has to come. Our own. */
const PARTS_OF_MOST = [0.01, 0.02, 0.04, 0.08, 0.16, 0.32, 0.64, 1];
const NEAR_LEAST = 1.25;
/** Share of the nominal input allowed as ripple when the brief does not say. Common practice, no source. */
const INPUT_RIPPLE_SHARE = 0.01;

/** Efficiency that a stage of a power (W) is usually built to, where the brief asks for none; between them by the logarithm. Common practice, no source. */
const USUAL_EFFICIENCY: readonly (readonly [number, number])[] = [
  [0.1, 0.8],
  [1, 0.87],
  [10, 0.91],
  [100, 0.94],
  [1e3, 0.965],
  [1e4, 0.98],
];

/** Part of the loss allowed that windings may take. Our own starting point. */
export const WINDING_SHARE = 0.3;

/** V of output whose own drop of a volt's worth of resistance and dead time doubles what is usually lost. Common practice, no source. */
const LOW_OUTPUT = 1;

/** W that a stage may lose at full load, by the brief's efficiency or the usual one for its power. */
export function allowedLoss({ efficiency, outputVoltage, outputCurrent }: Brief): number {
  const power = outputVoltage * outputCurrent.max;
  if (efficiency !== undefined) return power * (1 / efficiency - 1 || 0.01);
  const place = Math.log10(power);
  const after = USUAL_EFFICIENCY.findIndex(([watts]) => watts >= power);
  const lowOutput = 1 + LOW_OUTPUT / outputVoltage;
  if (after === 0) return lowOutput * power * (1 / USUAL_EFFICIENCY[0]![1] - 1);
  const [low, high] =
    after < 0
      ? [USUAL_EFFICIENCY.at(-1)!, USUAL_EFFICIENCY.at(-1)!]
      : [USUAL_EFFICIENCY[after - 1]!, USUAL_EFFICIENCY[after]!];
  const part = low === high ? 0 : (place - Math.log10(low[0])) / (Math.log10(high[0]) - Math.log10(low[0]));
  return lowOutput * power * (1 / (low[1] + part * (high[1] - low[1])) - 1);
}

/** Output ripple that the brief allows, V peak to peak; 1 % of the output when it does not say. Common practice, no source. */
export function allowedOutputRipple(brief: Brief): number {
  return brief.outputRipple ?? 0.01 * brief.outputVoltage;
}

export function allowedInputRipple(brief: Brief): number {
  return brief.inputRipple ?? INPUT_RIPPLE_SHARE * brief.inputVoltage.nominal;
}

/**
 * The most that any kind of a bank uses of its own rating: the current shares out by impedance, here at its lowest frequency,
 * where what is slow and resistive has its largest part.
 * @param rms A, of the whole bank
 * @param frequency Hz
 */
function usedOfRatings(banks: readonly CapacitorBank[], rms: number, frequency: number): number {
  const speed = 2 * Math.PI * frequency;
  const admittances = banks.map(({ capacitance, esr, esl, count }): Complex => {
    const [re, im] = over([1, 0], [esr, speed * esl - 1 / (speed * capacitance)]);
    return [re * count, im * count];
  });
  const whole = magnitude(admittances.reduce(plus, [0, 0]));
  return Math.max(
    ...banks.map(
      ({ rippleCurrentRating = Infinity, count }, k) =>
        (rms * magnitude(admittances[k]!)) / whole / count / rippleCurrentRating,
    ),
  );
}

/** What the banks are sized by. */
export interface Sized {
  at: readonly Estimate[];
  phases: number;
  frequency: number;
  /** whether light load is met with ever fewer pulses of full size */
  skips: boolean;
  /** Hz, of the slowest loop over the line with such a bank */
  crossover: (bank: Lumped) => number;
  /** part of that at which it takes back what is left of a step */
  recovers: number;
  /** what stands between the bank and the load */
  section: Section;
  /** part of the output’s lift allowed that the ripple its comparator needs brings, where it needs any */
  lift?: (banks: readonly CapacitorBank[]) => number;
}

/** The least number up to `most` that suffices, where more always does too; undefined where none does. */
function fewest(most: number, suffices: (count: number) => boolean): number | undefined {
  if (!suffices(most)) return undefined;
  let short = 0;
  let enough = most;
  while (enough - short > 1) {
    const middle = Math.floor((short + enough) / 2);
    if (suffices(middle)) enough = middle;
    else short = middle;
  }
  return enough;
}

/** Times `unit` in parallel. */
function of(unit: CapacitorBank, count: number): CapacitorBank {
  return { ...unit, count };
}

/**
 * @param answer to a load step, worst over the line: A/s of the delivered current after the load comes on and after it
 *   goes off, and what the loop has to make up for first
 * @param exactRipple V at given inputs, by exact solution: asked where estimates do not suffice
 * @param stock what can be had; of several ways the cheapest is taken
 */
export function chooseOutputBank(
  brief: Brief,
  stage: Sized,
  answer: { on: number; off: number; late: Late },
  exactRipple: (banks: CapacitorBank[], inputs: readonly number[]) => number,
  stock: BankStock = usualStock(brief.outputVoltage),
): { value: CapacitorBank[]; rule: string } {
  const rippleLimit = USE * allowedOutputRipple(brief);
  const { step, ramp, deviation, assumed } = stepToSize(brief);
  const stepLimit = USE * deviation;
  const rms = Math.max(
    ...stage.at.map((corner) =>
      worstOverDuty(corner.output, stage.phases, (side) => bankRms(side, corner, stage.phases)),
    ),
  );
  const rippleAt = (corner: Estimate, banks: CapacitorBank[]): number =>
    Math.max(
      stage.skips ? pulseRipple(corner, corner.output, stage.frequency, banks) : 0,
      worstOverDuty(corner.output, stage.phases, (side) =>
        bankRipple(side, corner, stage.phases, stage.frequency, banks),
      ),
    );
  const rippleOf = (banks: CapacitorBank[]): number => Math.max(...stage.at.map((corner) => rippleAt(corner, banks)));
  /** what the step asks of a bank, by what holds the current back */
  const stepParts = (banks: CapacitorBank[]): { words: string; excursion: number }[] => {
    if (step === 0) return [];
    const bank = lumped(banks);
    const { resistance } = bank;
    const crossover = stage.crossover(bank);
    const capacitance = bank.capacitance + stage.section.capacitance;
    const late = lateAt(answer.late, crossover);
    return [
      {
        words: `the load step rules, until a loop of ${formatQuantity(crossover, 'Hz', { digits: 2 })} answers${
          late > step / 10 ? ', which begins late where the current stops' : ''
        }`,
        excursion:
          rampFactor(stage.recovers * crossover, ramp) * loopExcursion(step + late, crossover, capacitance, resistance),
      },
      {
        words: 'the load’s coming on rules, by the inductor’s slew',
        excursion: slewExcursion(step, answer.on, capacitance, resistance, ramp),
      },
      {
        words: 'the load’s going off rules, by the inductor’s slew',
        excursion: slewExcursion(step, answer.off, capacitance, resistance, ramp),
      },
    ];
  };
  const stepOf = (banks: CapacitorBank[]): number => {
    const [byLoop = 0, on = 0, off = 0] = stepParts(banks).map(({ excursion }) => excursion);
    const bank = lumped(banks);
    const left = step * rampFactor(stage.recovers * stage.crossover(bank), ramp);
    return joinedExcursion(Math.max(on, off), byLoop, left * bank.resistance) + left * stage.section.impedance;
  };
  const heated = (banks: CapacitorBank[]): number =>
    usedOfRatings(banks, rms, stage.frequency * (stage.at.every(({ output }) => !output.chopped) ? stage.phases : 1)) /
    USE;
  const liftOf = (banks: CapacitorBank[]): number => stage.lift?.(banks) ?? 0;
  const fits = (banks: CapacitorBank[]): boolean =>
    rippleOf(banks) <= rippleLimit &&
    stepOf(banks) + rippleOf(banks) / 2 <= stepLimit &&
    heated(banks) <= 1 &&
    liftOf(banks) <= 1;
  const ruleFor = (banks: CapacitorBank[]): string => {
    const [byRipple, byStep, byRms] = [rippleOf(banks) / rippleLimit, stepOf(banks) / stepLimit, heated(banks)];
    if (liftOf(banks) > Math.max(byStep, byRipple, byRms))
      return 'the ripple that its comparator needs rules: with less, valley control would move the output too far over line and load';
    if (byStep > Math.max(byRipple, byRms))
      return `${stepParts(banks).reduce((a, b) => (b.excursion > a.excursion ? b : a)).words}${
        assumed ? ` (assumed: ${formatQuantity(step, 'A')} within ${formatQuantity(deviation, 'V')})` : ''
      }`;
    return byRms > byRipple ? `${formatQuantity(rms, 'A')} RMS rules` : 'ripple rules';
  };

  // equal parts: every figure falls with their number
  const alone = stock.ceramics.flatMap(({ bank, cost }) => {
    const enough = fewest(MOST_CERAMICS, (count) => fits([of(bank, count)]));
    return enough === undefined ? [] : [{ banks: [of(bank, enough)], cost: enough * cost }];
  });
  const cheapest = leastCost(alone);
  if (cheapest) return { value: cheapest.banks, rule: ruleFor(cheapest.banks) };
  const densest = stock.ceramics.reduce(
    (a, b) => (b.bank.capacitance > a.bank.capacitance ? b : a),
    stock.ceramics[0]!,
  );
  const ceramic = densest.bank;
  /** from a number of this bulk capacitor on, the first that fits by estimate */
  const joinedFrom = (at: BankStock['bulks'][number], from: number): Joined[] => {
    for (let count = from; count <= MOST_BULK; count += 1) {
      const banks = [of(ceramic, Math.min(MOST_CERAMICS, 4 + count)), of(at.bank, count)];
      if (fits(banks)) return [{ at, count, banks, cost: count * at.cost + banks[0]!.count * densest.cost }];
    }
    return [];
  };
  // the exact solution is dear: the cheapest is asked first, and what comes after it in cost not at all
  let open = stock.bulks.flatMap((at) => joinedFrom(at, 1));
  let joined: Joined | undefined;
  for (let next = leastCost(open); next && !joined; next = leastCost(open)) {
    const asked = next;
    const { at, count, banks } = asked;
    const worst = [...stage.at].sort((a, b) => rippleAt(b, banks) - rippleAt(a, banks)).slice(0, CHECKED);
    const inputs = [...new Set(worst.map(({ inputVoltage }) => inputVoltage))];
    if (exactRipple(banks, inputs) <= EXACT_USE * allowedOutputRipple(brief)) joined = asked;
    // far off: do not try every number
    else open = open.flatMap((one) => (one === asked ? joinedFrom(at, count + Math.floor(count / 6) + 1) : [one]));
  }
  if (joined) return { value: joined.banks, rule: `${ruleFor(joined.banks)}; bulk joins the ceramics` };
  // more of it would not do it: as much as helps
  const [bulk] = stock.bulks;
  const most = (part: number): CapacitorBank[] => [
    of(ceramic, Math.max(1, Math.round(part * MOST_CERAMICS))),
    ...(bulk && part * MOST_BULK >= 1 ? [of(bulk.bank, Math.round(part * MOST_BULK))] : []),
  ];
  const sizes = PARTS_OF_MOST.map(most);
  const lacking = (banks: CapacitorBank[]): number =>
    Math.max(
      rippleOf(banks) / rippleLimit,
      (stepOf(banks) + rippleOf(banks) / 2) / stepLimit,
      heated(banks),
      liftOf(banks),
    );
  const least = Math.min(...sizes.map(lacking));
  const value = sizes.find((banks) => lacking(banks) <= NEAR_LEAST * least)!;
  const beyond = step * rampFactor(stage.recovers * stage.crossover(lumped(value)), ramp) * stage.section.impedance;
  const cause =
    beyond > stepLimit / 2
      ? `the second section alone moves the load by ${formatQuantity(beyond, 'V')} in the step, which no bank before it takes away: more capacitance behind it, or less inductance`
      : stage.section.ringing(lumped(value)).quality > DAMPED
        ? 'the second section rings, and the loop has to stay below that: damp it'
        : 'more frequency, phases or allowance is needed';
  return {
    value,
    rule: `no bank of sensible size meets this brief, this one comes near what more would give; ${cause}`,
  };
}

/** A bank of ceramics and one kind of bulk. */
interface Joined {
  at: BankStock['bulks'][number];
  count: number;
  banks: CapacitorBank[];
  cost: number;
}

function leastCost<T extends { cost: number }>(ways: readonly T[]): T | undefined {
  return ways.reduce<T | undefined>((best, way) => (best && best.cost <= way.cost ? best : way), undefined);
}

/**
 * Ripple of single pulses at the lightest load, V peak to peak: each is a whole ramp up and down at the boundary of
 * continuous conduction, and nearly all of its charge, ΔI/(2f), stays in the bank until the next.
 */
function pulseRipple(at: Estimate, side: SideCurrent, frequency: number, banks: readonly CapacitorBank[]): number {
  const { capacitance, resistance } = lumped(banks);
  const share = side.chopped ? side.share : 1;
  return at.inductorRipple * (share / (2 * frequency * capacitance) + resistance);
}

/** Ceramics at the input beyond which bulk joins them. Common practice, no source. */
const MOST_INPUT_CERAMICS = 12;
/** W below which a stage's leads ring too little to want damping. Common practice, no source. */
const DAMPED_POWER = 2;
/** H of the leads to a source, where the brief does not say. Common practice, no source: a metre of pair. */
export const LEADS = 0.5e-6;
/** Times the ceramics' capacitance that a damping capacitor has at least. Source: Erickson and Maksimović, input-filter chapter (n of 4 gives a peak near the characteristic impedance); recalled from memory. */
const DAMPING_RATIO = 3;

export function chooseInputBank(
  brief: Brief,
  stage: Sized,
  stock: BankStock = usualStock(brief.inputVoltage.max),
): { value: CapacitorBank[]; rule: string } {
  const ways = stock.ceramics.map((ceramic) => {
    const way = inputBankOf(brief, stage, ceramic.bank, stock);
    const cost = way.value.reduce((sum, bank) => sum + bank.count * (costIn(stock, bank) + PLACING), 0);
    return { ...way, cost, beside: besideCeramics(way.value, stage.frequency) };
  });
  // ceramics carry the switched current; what stands beside them is there for charge and damping
  const least = Math.min(...ways.map(({ beside }) => beside));
  const { value, rule } = leastCost(ways.filter(({ beside }) => beside <= Math.max(MOST_BESIDE, least)))!;
  return { value, rule };
}

/** Part of the switched current that may pass beside the ceramics, where some bank keeps it so. Common practice, no source. */
const MOST_BESIDE = 1 / 2;
/** Ceramics that are put in to carry the current at most. Our own starting point. */
const MOST_CARRYING = 8;
/** Cost of placing one more part on the board, beside its own. Our own starting point. */
const PLACING = 0.06;

/** Part of the current at the switching frequency that goes through what stands beside the first kind of a bank. */
function besideCeramics([ceramics, beside]: readonly CapacitorBank[], frequency: number): number {
  if (!ceramics || !beside) return 0;
  const reactance = ({ capacitance, count }: CapacitorBank): number =>
    -1 / (2 * Math.PI * frequency * capacitance * count);
  const resistance = ({ esr, count }: CapacitorBank): number => esr / count;
  const own = Math.hypot(resistance(ceramics), reactance(ceramics));
  return own / Math.hypot(resistance(ceramics) + resistance(beside), reactance(ceramics) + reactance(beside));
}

const countOf = (banks: readonly CapacitorBank[]): number => banks.reduce((sum, { count }) => sum + count, 0);

/** A bank with as many ceramics as leave what stands beside them its own rating: more of that would carry more, and each as much. */
function cooled([ceramics, beside]: [CapacitorBank, CapacitorBank], rms: number, frequency: number): CapacitorBank[] {
  let few = ceramics;
  // real parts are so many that they carry it; of the rule’s own ceramics the share is what it is
  while (
    few.partId !== undefined &&
    besideCeramics([few, beside], frequency) > MOST_BESIDE &&
    few.count < MOST_CARRYING
  )
    few = of(few, few.count + 1);
  while (usedOfRatings([few, beside], rms, frequency) > USE && few.count < 1000)
    few = of(few, few.count + Math.ceil(few.count / 8));
  return [few, beside];
}

function costIn(
  { ceramics, bulks, dampings }: BankStock,
  { partId, voltageRating, capacitance }: CapacitorBank,
): number {
  const found = [...ceramics, ...bulks, ...dampings].find(
    ({ bank }) => bank.partId === partId && bank.voltageRating === voltageRating && bank.capacitance === capacitance,
  );
  return found?.cost ?? 1;
}

function inputBankOf(
  brief: Brief,
  stage: Sized,
  ceramic: CapacitorBank,
  stock: BankStock,
): { value: CapacitorBank[]; rule: string } {
  const unit = { ...ceramic, esl: 0 }; // the input ripple is figured without it
  const { at, phases, frequency } = stage;
  const worst = at
    .map((corner) => ({ corner, rms: worstOverDuty(corner.input, phases, (side) => bankRms(side, corner, phases)) }))
    .reduce((a, b) => (b.rms > a.rms ? b : a));
  const byRms = worst.rms / ((unit.rippleCurrentRating ?? Infinity) * USE);
  const limit = USE * allowedInputRipple(brief);
  // equal parts share capacitance and resistance alike, so the ripple falls with their number
  const rippleAt = (corner: Estimate): number =>
    Math.max(
      stage.skips ? pulseRipple(corner, corner.input, frequency, [unit]) : 0,
      worstOverDuty(corner.input, phases, (side) => bankRipple(side, corner, phases, frequency, [unit])),
    );
  const byRipple = Math.max(...at.map(rippleAt)) / limit;
  const rule =
    byRms > byRipple
      ? `${formatQuantity(worst.rms, 'A')} RMS at its worst duty rules, at ${formatQuantity(worst.corner.inputVoltage, 'V')}`
      : 'input ripple rules';
  const [bulkItem] = stock.bulks;
  if (byRipple > MOST_INPUT_CERAMICS && bulkItem) {
    // charge is cheaper in bulk: ceramics for the edges, as many as the RMS asks for
    const few = of(unit, Math.max(4, Math.ceil(byRms)));
    const part = { ...bulkItem.bank, esl: 0 };
    const most = Math.min(MOST_BULK, byRipple - few.count);
    const ways: CapacitorBank[][] = [];
    for (let bulk = 1; bulk < most; bulk += 1 + Math.floor(bulk / 6)) {
      const banks = cooled([few, of(part, bulk)], worst.rms, frequency);
      const ripple = at.map((c) =>
        worstOverDuty(c.input, phases, (side) => bankRipple(side, c, phases, frequency, banks)),
      );
      if (Math.max(...ripple) <= limit) ways.push(banks);
    }
    // more bulk takes fewer ceramics to keep each of it cool
    const fewestParts = ways.reduce<CapacitorBank[] | undefined>(
      (best, way) => (best && countOf(best) <= countOf(way) ? best : way),
      undefined,
    );
    if (fewestParts) return { value: fewestParts, rule: `${rule}; bulk joins the ceramics and damps the source` };
  }
  const count = Math.min(1000, Math.max(1, Math.ceil(Math.max(byRms, byRipple))));
  const ceramics = of(unit, count);
  const power = brief.outputVoltage * brief.outputCurrent.max;
  const [dampingItem] = stock.dampings;
  if ((power < DAMPED_POWER && brief.sourceInductance === undefined) || !dampingItem)
    return { value: [ceramics], rule };
  const inductance = brief.sourceInductance ?? LEADS;
  const charge = unit.capacitance * count;
  const bulk = { ...dampingItem.bank, esl: 0 };
  const damping = of(bulk, Math.min(20, Math.max(1, Math.ceil((DAMPING_RATIO * charge) / bulk.capacitance))));
  return {
    value: cooled([ceramics, damping], worst.rms, frequency),
    rule: `${rule}; an electrolytic damps ${formatQuantity(inductance, 'H')} of ${brief.sourceInductance === undefined ? 'leads (assumed)' : 'source'} against them`,
  };
}
