import type { Brief } from '../design/schema.ts';
import type { Cell } from '../network/circuit.ts';
import type { Operation, Region, StageConditions, TopologyModel } from '../topology/index.ts';
import { lumped, pulsedRipple, triangleRipple } from './outputBank.ts';
import { interleavedInputRms } from './inputBank.ts';
import type { CapacitorBank } from '../design/schema.ts';

/** The current that all phases together put into a node, or take from it, with straight ramps. */
export interface SideCurrent {
  /** whether the switches chop it; else the inductor smooths it */
  chopped: boolean;
  /** part of the period in which one phase's current flows there */
  share: number;
}

/**
 * One corner by closed forms alone, in continuous conduction: what sizing starts from and what a first comparison
 * needs. Currents of one phase.
 */
export interface Estimate {
  region?: Region | undefined;
  inputVoltage: number;
  /** of the leg that switches; NaN where no duty gives the output */
  duty: number;
  inductorAverage: number;
  inductorRipple: number;
  /** A, of all phases together where they feed a bank through the inductors; one phase's, as reserve, when not coupled */
  summedRipple: number;
  peak: number;
  controlRms: number;
  rectifierRms: number;
  input: SideCurrent;
  output: SideCurrent;
  /** Hz; undefined where there is none */
  rightHalfPlaneZero: number | undefined;
  /** true where the current stops in each period: then both sides see triangular pulses from 0 to the peak */
  pulsed?: boolean;
}

/** What the closed forms need to know before anything is chosen. */
export interface Setting {
  phases: number;
  switchingFrequency: number;
  inductance: number;
  largestDuty: number;
  smallestBoostDuty: number;
}

/** Conditions of a lossless stage, for sizing. */
export function losslessConditions(
  brief: Brief,
  inputVoltage: number,
  setting: Setting,
  outputCurrent = brief.outputCurrent.max,
): StageConditions {
  // written out: object spreads would cost more than the sums that follow
  return {
    controlResistance: 0,
    rectifierResistance: 0,
    rectifierDrop: 0,
    bodyDiodeDrop: 0,
    controlBodyDiodeDrop: 0,
    boostLeg: LOSSLESS_LEG,
    inputVoltage,
    outputVoltage: brief.outputVoltage,
    outputCurrent,
    windingResistance: 0,
    deadTime: 0,
    phases: setting.phases,
    switchingFrequency: setting.switchingFrequency,
    inductance: setting.inductance,
    largestDuty: setting.largestDuty,
    smallestBoostDuty: setting.smallestBoostDuty,
  };
}

const LOSSLESS_LEG = {
  controlResistance: 0,
  rectifierResistance: 0,
  rectifierDrop: 0,
  bodyDiodeDrop: 0,
  controlBodyDiodeDrop: 0,
};

/** The way of running that the closed forms expect at these conditions. */
export function likelyOperation(model: TopologyModel, conditions: StageConditions): Operation {
  return model.operations(conditions)[0]!;
}

export function estimate(model: TopologyModel, conditions: StageConditions): Estimate {
  const operation = likelyOperation(model, conditions);
  const { forms, conditions: c, cells } = operation;
  const { transition } = operation;
  const found = transition ? (transition.open === 'duty' ? transition.duty : transition.boostDuty) : forms.ccmDuty(c);
  const duty = Number.isFinite(found) ? Math.min(1, Math.max(0, found)) : Number.NaN;
  const d = Number.isFinite(duty) ? Math.min(duty, 0.98) : 0.98;
  const inductorAverage = forms.inductorAverage(c, d);
  const inductorRipple = Math.max(0, forms.inductorRipple(c, d));
  const rms = Math.hypot(inductorAverage, inductorRipple / Math.sqrt(12));
  const side = (at: (cell: Cell) => 0 | 1): SideCurrent => {
    const on = at(cells.control!);
    const off = at(cells.rectifier!);
    return { chopped: on !== off, share: d * on + (1 - d) * off };
  };
  const resistance = (c.outputVoltage / c.outputCurrent) * c.phases;
  return {
    region: operation.region,
    inputVoltage: c.inputVoltage,
    duty,
    inductorAverage,
    inductorRipple,
    summedRipple: inductorRipple,
    peak: inductorAverage + inductorRipple / 2,
    controlRms: rms * Math.sqrt(d),
    rectifierRms: rms * Math.sqrt(1 - d),
    input: transition ? { chopped: true, share: transition.duty } : side((cell) => cell.fromInput),
    output: transition ? { chopped: true, share: 1 - transition.boostDuty } : side((cell) => cell.toOutput),
    rightHalfPlaneZero: forms.rightHalfPlaneZero(transition ? transition.boostDuty : d, resistance, c.inductance),
  };
}

/**
 * One corner in discontinuous conduction, by closed forms: one pulse a period, from 0 to its peak and back.
 * Source: Erickson and Maksimović, chapter 5; recalled from memory.
 */
export function pulsedEstimate(model: TopologyModel, conditions: StageConditions): Estimate {
  const { forms, conditions: c, cells } = likelyOperation(model, conditions);
  const found = forms.dcmDuties(c);
  const crowding = Math.min(1, 0.98 / (found.duty + found.rectifierDuty));
  const duty = found.duty * crowding;
  const rectifierDuty = found.rectifierDuty * crowding;
  const volts = cells.control!.fromInput * c.inputVoltage - cells.control!.toOutput * c.outputVoltage;
  const peak = (volts * duty) / (c.inductance * c.switchingFrequency);
  const side = (at: (cell: Cell) => 0 | 1): SideCurrent => ({
    chopped: true,
    share: duty * at(cells.control!) + rectifierDuty * at(cells.rectifier!),
  });
  return {
    inputVoltage: c.inputVoltage,
    duty,
    inductorAverage: (peak * (duty + rectifierDuty)) / 2,
    inductorRipple: peak,
    summedRipple: peak,
    peak,
    controlRms: peak * Math.sqrt(duty / 3),
    rectifierRms: peak * Math.sqrt(rectifierDuty / 3),
    input: side((cell) => cell.fromInput),
    output: side((cell) => cell.toOutput),
    rightHalfPlaneZero: undefined,
    pulsed: true,
  };
}

/**
 * RMS current of the bank on one side, A, phases interleaved: flat-topped pulses where the current is chopped, the
 * inductor's ripple where it is not (the phases' cancellation left as reserve).
 */
export function bankRms(side: SideCurrent, at: Estimate, phases: number): number {
  if (at.pulsed) return at.peak * Math.sqrt(phases * Math.max(0, side.share / 3 - (side.share / 2) ** 2));
  if (!side.chopped) return at.summedRipple / Math.sqrt(12);
  const ripple = at.inductorRipple / Math.sqrt(12);
  return Math.hypot(
    interleavedInputRms(at.inductorAverage * phases, side.share, phases),
    ripple * Math.sqrt(side.share),
  );
}

/** Part by which losses may move a lossless share of the period. Our own starting point. */
const LOSS_SHIFT = 0.1;

/**
 * Largest of a bank's figures over the duties that losses may lead to: a lossless duty may sit where the phases cancel,
 * and the real one beside it.
 */
export function worstOverDuty(side: SideCurrent, phases: number, figure: (side: SideCurrent) => number): number {
  if (!side.chopped || phases === 1) return figure(side);
  const low = side.share * (1 - LOSS_SHIFT);
  const high = Math.min(1, side.share / (1 - LOSS_SHIFT));
  const shares = [low, side.share, high];
  for (let m = 0; m < phases; m += 1) {
    const between = (m + 0.5) / phases;
    if (between > low && between < high) shares.push(between);
  }
  return Math.max(...shares.map((share) => figure({ ...side, share })));
}

/**
 * Ripple of the bank on one side, V peak to peak. Chopped, into two unlike banks: {@link pulsedRipple}. Chopped, into one: the charge of interleaved flat-topped pulses, I·δ(1−δ)/(N·f)
 * with δ the fractional part of N times their share, and the step of one pulse in the ESR, their peaks added.
 * Charge balance; common practice, no source.
 */
export function bankRipple(
  side: SideCurrent,
  at: Estimate,
  phases: number,
  frequency: number,
  banks: readonly CapacitorBank[],
): number {
  const repeat = 1 / (frequency * phases);
  const { capacitance, resistance } = lumped(banks);
  if (at.pulsed) {
    if (!(at.peak > 0)) return 0;
    // what the pulse brings above its own average
    const average = (at.peak * side.share) / 2;
    const charge = ((at.peak - average) ** 2 / (2 * at.peak)) * (side.share / frequency);
    return charge / capacitance + at.peak * resistance;
  }
  if (side.chopped) {
    const fraction = (phases * side.share) % 1;
    const [one, other, ...more] = banks;
    if (one && other && more.length === 0)
      return pulsedRipple(at.peak, fraction, repeat, lumped([one]), lumped([other]));
    return at.inductorAverage * fraction * (1 - fraction) * (repeat / capacitance) + at.peak * resistance;
  }
  const d = Math.min(0.98, Math.max(0.02, Number.isFinite(at.duty) ? at.duty : 0.98));
  return triangleRipple(at.summedRipple, d * repeat, (1 - d) * repeat, capacitance, resistance);
}

/** Input over output voltage where a four-switch stage is in its transition, or at its ends with losses. */
const TRANSITION_INPUTS = [0.95, 1, 1.03, 1.07, 1.11, 1.16];

/**
 * Input voltages at which something can be worst: the brief's own three, and those inside its range where the duty is
 * the one of largest ripple or of largest bank current.
 */
export function tellingInputs(model: TopologyModel, brief: Brief, phases: number): number[] {
  const { min, nominal, max } = brief.inputVoltage;
  const inputs = new Set([min, nominal, max]);
  const inside = (input: number): boolean => input > min && input < max;
  const duties = [0.5];
  for (let m = 0; m < phases; m += 1) duties.push((m + 0.5) / phases);
  // around its output voltage a four-switch stage passes from one way of running to another
  if (model.switches === 4)
    for (const part of TRANSITION_INPUTS)
      if (inside(part * brief.outputVoltage)) inputs.add(part * brief.outputVoltage);
  for (const duty of duties) {
    for (const ratio of [model.idealRatio(duty), duty, 1 / (1 - duty)]) {
      const at = brief.outputVoltage / ratio;
      if (inside(at)) inputs.add(at);
    }
  }
  return [...inputs].sort((a, b) => a - b);
}
