import type { Brief, CapacitorBank, Decisions } from '../design/schema.ts';
import { bankImpedance } from '../network/impedance.ts';
import { degrees, magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { formatQuantity, preferredDown, preferredNearest } from '../quantity/index.ts';
import type { Decide } from '../design/decide.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { Estimate } from '../estimates/estimate.ts';
import type { TopologyModel } from '../topology/index.ts';
import { lowered } from './keptMargins.ts';
import { banksOf, dutyGain, rampAt, seriesOf, wholeOf, type Placing } from './placing.ts';
import { reachesOf, resonanceOf, type CrossoverLimit } from './crossoverLimit.ts';
import { SHARPEST } from './secondSection.ts';

/*
 * The network that closes the loop where the design has none: as fast as its controller can have it at every corner, from
 * the textbook forms of the plants (Erickson and Maksimović, chapters 8, 9 and 12; recalled from memory), in parts that can
 * be bought. The Loop rung places others.
 */

export type Network = NonNullable<Decisions['compensator']>;

/** Loop gain that an integrator's loop may reach at the filter's resonance: a quarter leaves 12 dB; its crossover over the resonance at most. */
const AT_RESONANCE = 0.25;
const OF_RESONANCE = 0.1;
/** Zeros over the resonance at most: below it, so that the phase is there when the filter takes it; and the crossover over them at least. */
const ZEROS = 0.7;
const OVER_ZEROS = 4.5;
/** Times that the first zero stands below the second at most, for a light load whose current stops. Our own. */
const SPREAD = 20;
/** Degrees of phase margin that it is meant to have there. Common practice, no source. */
const LIGHT_MARGIN = 45;
/** Current mode: its zero over the crossover at most; a light load's is followed down to there, which leaves it some 50 degrees. */
const ZERO = 1 / 5;
/** Part of the full load's crossover below which a light load's is not followed. */
const SLOWEST = 0.01;
/** Loop gain below the resonance without which a crossover past it regulates nothing: a little more than one. Our own. */
const LEAST_BETWEEN = 1.2;
/** A pulsed stage's zero over its lightest crossover: leaves 60 degrees on one pole. */
const PULSED_ZERO = 0.58;
/** Ω of the divider's top, and A through it at most where that asks for more. Common practice, no source. */
const TOP = { resistance: 10e3, current: 0.5e-3 };
/**
 * Parts of the full load and of the lightest that a divider may draw, W that it may lose at most, and A below which what a
 * feedback pin draws itself would move the output (some 50 nA, 0.2 %). Common practice, no source.
 */
const DIVIDER = { full: 2e-3, lightest: 0.1, heat: 50e-3, least: 25e-6 };
/** F and Ω of a network's parts that strays and leaks leave alone. Common practice, no source. */
const REAL = { farads: 22e-12, ohms: 2.2e6 };

/** Whether a controller's error amplifier has a network, and whether the design gives its parts. */
export const hasAmplifier = ({ method }: { method: string }): boolean =>
  method === 'voltage-mode' || method === 'voltage-mode-feedforward' || sensesCurrent({ method });
/** Whether the control voltage asks for a current. */
export const sensesCurrent = ({ method }: { method: string }): boolean =>
  method === 'peak-current-mode' || method === 'average-current-mode';
export const hasNetwork = (network: Network | undefined): boolean =>
  (network?.feedbackCapacitor ?? network?.feedbackResistor ?? network?.shuntCapacitor) !== undefined;

/** V at the comparator: the ramp, and the current sense at full load's peak. Common practice, no source. */
const RAMP = 1;
const SENSED = 0.4;

/** What turns the control voltage into pulses, by the control method. */
export function modulatorFor(
  model: TopologyModel,
  control: CompleteDecisions['control'],
  brief: Brief,
  corners: () => readonly Estimate[],
  frequency: number,
  inductance: number,
  decide: Decide,
): CompleteDecisions['control'] {
  const { method } = control;
  const ramp = (): number =>
    decide('control.rampAmplitude', control.rampAmplitude, () => ({
      value: RAMP,
      rule: 'usual for integrated controllers',
    }));
  if (method === 'voltage-mode') return { ...control, rampAmplitude: ramp() };
  if (method === 'voltage-mode-feedforward')
    return {
      ...control,
      rampGain: decide('control.rampGain', control.rampGain, () => ({
        value: Number(((control.rampAmplitude ?? RAMP) / brief.inputVoltage.nominal).toPrecision(3)),
        rule: `${formatQuantity(control.rampAmplitude ?? RAMP, 'V')} of ramp at the nominal input`,
      })),
    };
  if (!sensesCurrent(control)) return control;
  const currentSenseGain = decide('control.currentSenseGain', control.currentSenseGain, () => {
    const peak = Math.max(...corners().map((corner) => corner.peak));
    return {
      value: preferredNearest(SENSED / peak, 'E24'),
      rule: `some ${formatQuantity(SENSED, 'V')} at full load’s peak of ${formatQuantity(peak, 'A', { digits: 2 })}`,
    };
  });
  if (method === 'average-current-mode') {
    const sensed = { ...control, currentSenseGain, rampAmplitude: ramp() };
    return {
      ...sensed,
      currentAmplifier: decide('control.currentAmplifier', wholeNetwork(control.currentAmplifier), () =>
        currentAmplifierFor(model, sensed, brief, frequency, inductance),
      ),
    };
  }
  return {
    ...control,
    currentSenseGain,
    slopeCompensation: decide('control.slopeCompensation', control.slopeCompensation, () =>
      corners().every(({ pulsed }) => pulsed)
        ? { value: 0, rule: 'the current stops in each period: no disturbance of a peak reaches the next' }
        : slopeFor(model, brief, corners(), frequency, inductance, currentSenseGain),
    ),
  };
}

/** Sharpness at half the switching frequency that the current loops of a free slope are damped to. Common practice, no source. */
const SHARPNESS = 1;

/**
 * Of a current loop at half the switching frequency: the more slope is added, the lower, and the sooner its phase goes. At
 * most one, which a free slope is chosen for. Source: Ridley, 1991; recalled from memory.
 */
function sharpnessAt({ control, switchingFrequency, conduction }: CompleteDecisions, corner: Estimate): number {
  const { duty, inductorRipple, pulsed } = corner;
  if (control.method !== 'peak-current-mode' || conduction === 'critical' || pulsed || !(duty > 0 && duty < 1))
    return SHARPNESS;
  const rises = ((inductorRipple * switchingFrequency) / duty) * (control.currentSenseGain ?? 1);
  const left = Math.PI * ((1 + (control.slopeCompensation ?? 0) / rises) * (1 - duty) - 0.5);
  return left > 1 / SHARPNESS ? 1 / left : SHARPNESS;
}

/**
 * V/s: stable at every duty, and damped at those that come. The sharpness is 1 / π(m·(1 − D) − ½), m the sensed slope with
 * the added one over the sensed one. Source: Ridley, "A new, continuous-time model for current-mode control", 1991;
 * recalled from memory.
 */
function slopeFor(
  model: TopologyModel,
  brief: Brief,
  corners: readonly Estimate[],
  frequency: number,
  inductance: number,
  senseGain: number,
): { value: number; rule: string } {
  const stable = stableSlope(model, brief, inductance, senseGain);
  const damped = Math.max(
    0,
    ...corners
      .filter(({ pulsed, duty }) => !pulsed && duty > 0 && duty < 1)
      .map(({ duty, inductorRipple }) => {
        const rises = ((inductorRipple * frequency) / duty) * senseGain;
        return ((0.5 + 1 / (Math.PI * SHARPNESS)) / (1 - duty) - 1) * rises;
      }),
  );
  const bothSwitch = model.switches === 4;
  const rounded = (value: number): number => Number(value.toPrecision(3));
  return !bothSwitch && damped > stable
    ? {
        value: rounded(damped),
        rule: 'what damps the current loop at half the switching frequency to a sharpness of one at its highest duty, more than it needs to be stable',
      }
    : {
        value: rounded(stable),
        rule: bothSwitch
          ? 'what the sensed current falls by at its steepest: where both legs switch it hardly rises while the comparator looks'
          : 'half of what the sensed current falls by at its steepest: the current loop is then stable at every duty',
      };
}

type CurrentAmplifier = NonNullable<CompleteDecisions['control']['currentAmplifier']>;

/** Ω from the current sense; over the switching frequency its loop's crossover at most, its zero and its pole. Common practice, no source. */
const CURRENT_AMPLIFIER = { resistance: 1e3, crossover: 1 / 5, zero: 1 / 60, pole: 1 };

const wholeNetwork = (given: CurrentAmplifier | undefined): CurrentAmplifier | undefined =>
  given?.inputResistor !== undefined && hasNetwork(given) ? given : undefined;

/**
 * As fast as ramp and clock allow: the falling current, amplified, rises no faster than the ramp, and the current's own
 * loop crosses over at a fifth of the frequency at most. Common practice for average current mode, no source.
 */
function currentAmplifierFor(
  { pulsating, switches }: TopologyModel,
  control: CompleteDecisions['control'],
  { outputVoltage, inputVoltage }: Brief,
  frequency: number,
  inductance: number,
): { value: CurrentAmplifier; rule: string } {
  const { currentAmplifier: given, currentSenseGain = 1, rampAmplitude = RAMP } = control;
  const across = pulsating.output && !pulsating.input ? outputVoltage - inputVoltage.min : outputVoltage;
  const falls = (Math.max(0, across) / inductance) * currentSenseGain;
  const byRamp = falls > 0 ? (rampAmplitude * frequency) / falls : Infinity;
  const [input, output] = [pulsating.input ? inputVoltage.max : 0, pulsating.output ? outputVoltage : 0];
  const switched = switches === 4 ? Math.max(input, output) : input + output;
  const speed = 2 * Math.PI * CURRENT_AMPLIFIER.crossover * frequency;
  const byClock = (speed * inductance * rampAmplitude) / (currentSenseGain * switched);
  const gain = Math.min(byRamp, byClock);
  const inputResistor = given?.inputResistor ?? CURRENT_AMPLIFIER.resistance;
  const feedbackResistor = given?.feedbackResistor ?? preferredDown(within(gain * inputResistor, MADE.ohms), 'E96');
  const at = (hertz: number): number => 1 / (2 * Math.PI * hertz * feedbackResistor);
  const zero = CURRENT_AMPLIFIER.zero * frequency;
  const pole = CURRENT_AMPLIFIER.pole * frequency;
  return {
    value: {
      inputResistor,
      feedbackResistor,
      feedbackCapacitor: capacitor(at(zero)),
      shuntCapacitor: capacitor(at(pole)),
      ...given,
    },
    rule: `a gain of ${(feedbackResistor / inputResistor).toPrecision(2)}, ${
      byRamp < byClock
        ? 'at which the falling current’s slope just stays below the ramp’s'
        : 'at which the current’s own loop crosses over at a fifth of the switching frequency'
    }; its zero at ${formatQuantity(zero, 'Hz', { digits: 2 })}, its pole at ${formatQuantity(pole, 'Hz', { digits: 2 })}`,
  };
}

/**
 * V/s at the comparator that keep the current loop stable at every duty: half of what the sensed current falls by at its
 * steepest over the line. Source: the geometry of two slopes, Erickson and Maksimović, chapter 12; recalled from memory.
 */
export function stableSlope(
  { pulsating, switches }: TopologyModel,
  { outputVoltage, inputVoltage }: Brief,
  inductance: number,
  senseGain: number,
): number {
  const across = pulsating.output && !pulsating.input ? outputVoltage - inputVoltage.min : outputVoltage;
  // where both legs switch, the current hardly rises while the comparator looks: the whole fall
  const part = switches === 4 ? 1 : 0.5;
  return (Math.max(0, across) / inductance) * senseGain * part;
}

/** Ω and F between which parts are made: an absurd design gets the nearest end. */
const MADE = { ohms: [0.1, 1e9], farads: [1e-13, 1] } as const;
const within = (value: number, [least, most]: readonly [number, number]): number =>
  value > least ? Math.min(value, most) : least;
// resistors of one per cent cost what others do
const resistor = (value: number): number => preferredNearest(within(value, MADE.ohms), 'E96');
const capacitor = (value: number): number => preferredNearest(within(value, MADE.farads), 'E12');

/** A that a divider may take, for its load. */
export function dividerCurrent({ outputVoltage, outputCurrent: { min, max } }: Brief): number {
  const byLoad = Math.min(DIVIDER.full * max, min > 0 ? DIVIDER.lightest * min : Infinity);
  return Math.min(TOP.current, Math.max(DIVIDER.least, Math.min(byLoad, DIVIDER.heat / outputVoltage)));
}

/** The divider for a reference, whose parts that are given stay. @param current A through it at most */
export function dividerFor(
  brief: Brief,
  reference: number,
  given: Network | undefined,
  current: number = TOP.current,
): Pick<Network, 'dividerTop' | 'dividerBottom'> & { dividerTop: number } {
  const ratio = Math.min(1, reference / brief.outputVoltage);
  const wanted = Math.max(TOP.resistance, (brief.outputVoltage - reference) / current);
  const dividerTop = given?.dividerTop ?? resistor(wanted);
  const dividerBottom =
    given?.dividerBottom ?? (ratio < 1 ? Number(((dividerTop * ratio) / (1 - ratio)).toPrecision(12)) : undefined);
  return { dividerTop, ...(dividerBottom === undefined ? {} : { dividerBottom }) };
}

/**
 * @returns a whole network with the divider in it; parts that are given stay. The divider draws as little as its load leaves
 *   and parts of the network that can be had allow
 */
export function chooseCompensator(placing: Placing, given: Network | undefined): { value: Network; rule: string } {
  for (let current = dividerCurrent(placing.brief); ; current = Math.min(TOP.current, 2 * current)) {
    const found = networkAt(placing, given, current);
    const { feedbackResistor = 0, feedbackCapacitor = Infinity, inputCapacitor = Infinity } = found.value;
    const real = feedbackResistor <= REAL.ohms && Math.min(feedbackCapacitor, inputCapacitor) >= REAL.farads;
    if (real || current >= TOP.current || given?.dividerTop !== undefined) return found;
  }
}

/** @param current A that the divider may take */
function networkAt(placing: Placing, given: Network | undefined, current: number): { value: Network; rule: string } {
  const { brief, decisions } = placing;
  const divider = dividerFor(brief, decisions.control.referenceVoltage, given, current);
  const { dividerTop, dividerBottom } = divider;
  const amplifier = amplifierFor(decisions.control, given);
  const ota = amplifier.amplifier === 'ota';
  const share = dividerBottom === undefined ? 1 : dividerBottom / (dividerTop + dividerBottom);
  // S that turn a volt of the output into the network's current
  const admittance = ota ? (amplifier.transconductance ?? 1e-3) * share : 1 / dividerTop;
  const made = sensesCurrent(decisions.control)
    ? forCurrent(placing, admittance)
    : placing.corners.every(({ pulsed }) => pulsed) && stops(decisions)
      ? forPulses(placing, admittance)
      : placing.crossoverLimit.limit === 'filter' || ota
        ? integrator(placing, admittance)
        : passing(placing, dividerTop);
  return { value: { ...amplifier, ...divider, ...made.value, ...given }, rule: made.rule };
}

/**
 * The error amplifier that a network is decided for: the design's own, else the controller's, else an op-amp. Without a
 * sensed current a transconductance amplifier's network by rule has no lead: then it is the design that has to ask for it.
 */
function amplifierFor(
  control: CompleteDecisions['control'],
  given: Network | undefined,
): Pick<Network, 'amplifier' | 'transconductance'> {
  const transconductance = sensesCurrent(control) ? control.transconductance : undefined;
  const amplifier = given?.amplifier ?? (transconductance === undefined ? 'op-amp' : 'ota');
  const own = given?.transconductance ?? transconductance;
  return { amplifier, ...(amplifier === 'ota' && own !== undefined ? { transconductance: own } : {}) };
}

/** Type 3, both zeros below the output filter's resonance; beside a right-half-plane zero as low as its margins ask for. */
function passing(placing: Placing, top: number): { value: Network; rule: string } {
  const zero = placing.corners.some(({ rightHalfPlaneZero }) => rightHalfPlaneZero !== undefined);
  const place = (crossover: number) => passingAt(placing, top, crossover);
  const { made, part } = zero
    ? lowered(placing, place, ({ value }) => ({ network: typeThree(value, top), late: () => 0 }))
    : { made: place(placing.crossoverLimit.crossover), part: 1 };
  const between = betweenZeros(placing, (made.value.feedbackResistor ?? 0) / top);
  return {
    value: made.value,
    rule: `${made.rule}${part < 1 ? ', where it keeps its margins' : ''}${
      between < LEAST_BETWEEN
        ? `; its gain between the zeros is ${between.toPrecision(2)}, so that below the resonance it holds the output slowly: a sensed current (peak current mode) would hold it`
        : ''
    }`,
  };
}

/** Loop gain that is left where the network is a mere gain, below the filter's resonance, at the corner that has least. */
function betweenZeros({ brief, decisions, corners }: Placing, amplified: number): number {
  return Math.min(
    ...corners.map((corner) => (amplified * dutyGain(brief, corner)) / rampAt(decisions.control, corner.inputVoltage)),
  );
}

/** What a network of type 3 around an op-amp makes of what is sensed, Hz. @param top Ω of the divider's */
function typeThree(
  { feedbackResistor = 1, feedbackCapacitor = 1, shuntCapacitor = 1, inputResistor = 1, inputCapacitor = 1 }: Network,
  top: number,
): (frequency: number) => Complex {
  const beside = (one: Complex, other: Complex): Complex => over(times(one, other), plus(one, other));
  return (frequency) => {
    const of = (farads: number): number => -1 / (2 * Math.PI * frequency * farads);
    const into = beside([top, 0], [inputResistor, of(inputCapacitor)]);
    return over(beside([feedbackResistor, of(feedbackCapacitor)], [0, of(shuntCapacitor)]), into);
  };
}

function passingAt(
  { brief, decisions, crossoverLimit, corners, inductance }: Placing,
  top: number,
  crossover: number,
): { value: Network; rule: string } {
  const { switchingFrequency } = decisions;
  const outputCapacitors = banksOf(decisions);
  const { highest } = crossoverLimit;
  const capacitance = wholeOf(decisions);
  const resonance = Math.min(...corners.map((corner) => resonanceOf(corner, inductance, capacitance)));
  const speed = 2 * Math.PI * crossover;
  const bank = bankImpedance(outputCapacitors, speed);
  const whole = plus(bank, [seriesOf(decisions, highest), (speed * inductance) / reachesOf(highest) ** 2]);
  const gain =
    (dutyGain(brief, highest) / rampAt(decisions.control, highest.inputVoltage)) * magnitude(over(bank, whole));
  const half = switchingFrequency / 2;
  const pole = Math.min(half, Math.max(esrZero(outputCapacitors, capacitance), crossover * 1.5));
  const low = Math.min(ZEROS * resonance, crossover / OVER_ZEROS);
  const inputResistor = resistor((top * low) / (pole - low));
  const inputCapacitor = capacitor(1 / (2 * Math.PI * pole * inputResistor));
  const lead: Complex = [inputResistor, -1 / (speed * inputCapacitor)];
  const into = over(times([top, 0], lead), plus([top, 0], lead));
  // of an ohm of feedback resistor: the zero at the resonance and the pole at half the frequency scale with it
  const zf: Complex = [1, -low / crossover];
  const shunt: Complex = [0, -half / crossover];
  const unit = over(times(zf, shunt), plus(zf, shunt));
  const feedbackResistor = resistor(magnitude(into) / (gain * magnitude(unit)));
  const light = lightCrossover({ brief, decisions, corners }, { capacitance, amplified: feedbackResistor / top });
  const first = firstZero(low, light);
  return {
    value: {
      type: 3,
      feedbackResistor,
      feedbackCapacitor: capacitor(1 / (2 * Math.PI * first * feedbackResistor)),
      shuntCapacitor: capacitor(1 / (2 * Math.PI * half * feedbackResistor)),
      inputResistor,
      inputCapacitor,
    },
    rule: `type 3, ${first < low ? `a zero at ${formatQuantity(first, 'Hz', { digits: 2 })}, for the light load whose current stops, and one` : 'both zeros'} at ${formatQuantity(low, 'Hz', { digits: 2 })}, below the output filter’s resonance of ${formatQuantity(resonance, 'Hz', { digits: 2 })}, to cross over at ${formatQuantity(crossover, 'Hz', { digits: 2 })} ${highestWords(decisions, highest)}`,
  };
}

/**
 * Hz at which a voltage-mode loop crosses over at the least load where its current stops, its network a mere gain there;
 * Infinity where it does not stop. What a pulse hands over goes with its length squared, and the bank sums it up:
 * 2·I/(D·C·s) from the duty to the output. Source: Erickson and Maksimović, chapter 11, far above its one pole; recalled
 * from memory.
 */
export function lightCrossover(
  { brief, decisions, corners }: Pick<Placing, 'brief' | 'decisions' | 'corners'>,
  { capacitance, amplified }: { capacitance: number; amplified: number },
): number {
  if (!stops(decisions)) return Infinity;
  const current = brief.outputCurrent.min;
  return Math.min(
    ...corners.map((corner) => {
      const boundary = (reachesOf(corner) * decisions.phases * corner.inductorRipple) / 2;
      if (!(current < boundary)) return Infinity;
      // its duty is the continuous one times the root of the load over the boundary's
      const gain =
        (2 * Math.sqrt(current * boundary)) /
        (corner.duty * capacitance * rampAt(decisions.control, corner.inputVoltage));
      return (amplified * gain) / (2 * Math.PI);
    }),
  );
}

/**
 * How far below the second zero the first has to stand for the wanted phase margin where the plant is an integrator: with
 * it at a part a of the second, and the crossover of a mere gain at a part r² of it, the phases add up to
 * atan(r/√a) + atan(r·√a).
 */
export function firstZero(low: number, light: number): number {
  return low * Math.max(1 / SPREAD, spreadFor(light / low));
}

function spreadFor(part: number): number {
  if (!(part < 1)) return 1;
  const r = Math.sqrt(part);
  const wanted = Math.tan((LIGHT_MARGIN * Math.PI) / 180) * (1 - part);
  const left = wanted ** 2 - 4 * part;
  return left <= 0 ? 1 : ((2 * r) / (wanted + Math.sqrt(left))) ** 2;
}

const highestWords = ({ control }: CompleteDecisions, { inputVoltage }: Estimate): string =>
  control.method === 'voltage-mode-feedforward' ? 'at every input' : `at ${formatQuantity(inputVoltage, 'V')}`;

function esrZero(banks: CompleteDecisions['outputCapacitors'], capacitance: number): number {
  const conductance = banks.reduce((sum, { esr, count }) => sum + (esr > 0 ? count / esr : 0), 0);
  return conductance > 0 ? conductance / (2 * Math.PI * capacitance) : Infinity;
}

/** Hz at which an integrator's loop crosses over, so that its gain at the filter's resonance stays well below one. */
export function integratorCrossover({ brief, decisions, inductance }: Placing, corner: Estimate): number {
  const outputCapacitors = banksOf(decisions);
  const capacitance = wholeOf(decisions);
  const zero = esrZero(outputCapacitors, capacitance);
  const esr = Number.isFinite(zero) ? 1 / (2 * Math.PI * zero * capacitance) : 0;
  const { load, outputCurrent, outputVoltage } = brief;
  const lightest = load === 'resistive' && outputCurrent.min > 0 ? outputVoltage / outputCurrent.min : Infinity;
  const impedance = Math.sqrt(inductance / capacitance) / reachesOf(corner);
  const damped = (seriesOf(decisions, corner) + esr) / impedance + impedance / lightest;
  return (
    Math.min(OF_RESONANCE, AT_RESONANCE * Math.max(damped, 1 / SHARPEST)) * resonanceOf(corner, inductance, capacitance)
  );
}

/** What is left where no crossover passes the filter's resonance. */
function integrator(placing: Placing, admittance: number): { value: Network; rule: string } {
  const { brief, decisions, corners } = placing;
  const needed = corners.map(
    (corner) =>
      ((dutyGain(brief, corner) / rampAt(decisions.control, corner.inputVoltage)) * admittance) /
      (2 * Math.PI * integratorCrossover(placing, corner)),
  );
  return {
    value: { type: 1, feedbackCapacitor: capacitor(Math.max(...needed) * 1.1) },
    rule: 'an integrator that stays four times below what would sustain the output filter’s resonance: no crossover that can be had passes it, and the output is held slowly',
  };
}

const LIMITS: Record<Exclude<CrossoverLimit['limit'], 'frequency'>, string> = {
  duty: 'where an end of its duty would cut its first answer off',
  zero: 'a quarter of the lowest right-half-plane zero over the line',
  section: 'where the second section’s resonance stays 10 dB below one',
  filter: 'below the output filter’s resonance',
};

/**
 * The network of a stage whose current stops in each period at full load too: there is no resonance to pass, only the one
 * pole of bank and load, far above which a duty's output is 2·I/(D·C·s). It goes with the root of the load, and the zero
 * stands below where the lightest load crosses over. Source: Erickson and Maksimović, chapter 11; recalled from memory.
 */
function forPulses(
  { brief, decisions, crossoverLimit, corners }: Placing,
  admittance: number,
): { value: Network; rule: string } {
  const { crossover } = crossoverLimit;
  const { outputCurrent } = brief;
  const capacitance = wholeOf(decisions);
  const gains = corners.map(
    ({ duty, inputVoltage }) =>
      (2 * outputCurrent.max) / (duty * capacitance * rampAt(decisions.control, inputVoltage)) / (2 * Math.PI),
  );
  const [least, most] = [Math.min(...gains), Math.max(...gains)];
  const light = crossover * (least / most) * Math.sqrt(outputCurrent.min / outputCurrent.max);
  const zero = Math.min(ZERO * crossover, Math.max(PULSED_ZERO * light, SLOWEST * crossover));
  const feedbackResistor = resistor(crossover / (most * admittance));
  return {
    value: {
      type: 2,
      feedbackResistor,
      feedbackCapacitor: capacitor(1 / (2 * Math.PI * zero * feedbackResistor)),
      shuntCapacitor: capacitor(1 / (Math.PI * decisions.switchingFrequency * feedbackResistor)),
    },
    rule: `type 2, to cross over at ${formatQuantity(crossover, 'Hz', { digits: 2 })} at full load and ${formatQuantity(light, 'Hz', { digits: 2 })} at the lightest, where the pulses’ gain is less; its zero at ${formatQuantity(zero, 'Hz', { digits: 2 })}`,
  };
}

/** A gain with an integrator below it, on the one pole that current mode leaves. */
function forCurrent(
  { brief, decisions, crossoverLimit, corners }: Placing,
  admittance: number,
): { value: Network; rule: string } {
  const { switchingFrequency, phases, control } = decisions;
  const outputCapacitors = banksOf(decisions);
  const { crossover, highest, limit } = crossoverLimit;
  const speed = 2 * Math.PI * crossover;
  const bank = magnitude(bankImpedance(outputCapacitors, speed));
  // an average current's amplifier hands the control voltage on past its own network as well
  const { inputResistor = 1, feedbackResistor: around = Infinity } = control.currentAmplifier ?? {};
  const gain = ((reachesOf(highest) * phases) / (control.currentSenseGain ?? 1)) * bank * (1 + inputResistor / around);
  const capacitance = wholeOf(decisions);
  const usual = Math.min(switchingFrequency / 2, Math.max(esrZero(outputCapacitors, capacitance), 3 * crossover));
  // where the current stops at light load the gain falls with its peak, by the root of the load, and the added slope, which
  // takes nothing from a current that goes on, takes its part of the peak
  const light = Math.min(
    1,
    ...corners.map((corner) => {
      const { inductorRipple, duty } = corner;
      const boundary = (reachesOf(corner) * phases * inductorRipple) / 2;
      if (!stops(decisions) || !(boundary > brief.outputCurrent.min)) return 1;
      const rises = ((inductorRipple * switchingFrequency) / duty) * (control.currentSenseGain ?? 1);
      const added = control.method === 'peak-current-mode' ? (control.slopeCompensation ?? 0) : 0;
      return (Math.sqrt(brief.outputCurrent.min / boundary) * rises) / (rises + added);
    }),
  );
  const share = limitShare(crossoverLimit, corners);
  const low = Math.min(ZERO, Math.max(SLOWEST, light * share));
  const { pole, part, zero } = rolledOff(outputCapacitors, crossoverLimit, corners, {
    half: switchingFrequency / 2,
    sharpness: (corner) => sharpnessAt(decisions, corner),
    pole: usual,
    zeros: [low, Math.min(low, ZERO * share)],
  });
  const crosses = part * crossover;
  const feedbackResistor = resistor(part / (admittance * gain));
  return {
    value: {
      type: 2,
      feedbackResistor,
      feedbackCapacitor: capacitor(1 / (2 * Math.PI * zero * feedbackResistor)),
      shuntCapacitor: capacitor(1 / (2 * Math.PI * pole * feedbackResistor)),
    },
    rule: `type 2, to cross over at ${formatQuantity(crosses, 'Hz', { digits: 2 })} at ${formatQuantity(highest.inputVoltage, 'V')}, ${
      part < 1
        ? 'where it keeps 45° of phase, and 9 dB above it, beside ESR and right-half-plane zero'
        : limit === 'frequency'
          ? `${formatQuantity(crossoverLimit.at(highest).part, '%', { digits: 2 })} of the switching frequency`
          : LIMITS[limit]
    }, its zero at ${formatQuantity(zero, 'Hz', { digits: 2 })}${
      pole < usual ? `, its pole at ${formatQuantity(pole, 'Hz', { digits: 2 })} against the bank’s ESR` : ''
    }`,
  };
}

/** Loop gain that may be left where the phase is lost, 9 dB below one, and degrees past which it counts as lost. Common practice, no source. */
const LEFT = 0.36;
const LOST = -160;
/** Degrees of phase margin that a current-mode loop is placed for. Common practice, no source: 45 to 60. */
const PLACED = 45;
/** What a pole and a gain are moved down by at a time; over the crossover, how near the pole may come; and how far the gain is lowered. Our own. */
const NEARER = 1.3;
const SLOWER = 0.9;
const NEAREST = 1.5;
const LEAST_PART = 0.25;
/** Places a loop's gain above its crossover is looked at. */
const PLACES = 24;

/**
 * The pole, the zero, and the part of the gain at which a current-mode loop keeps its phase at the crossover and falls away above
 * it, at every corner. A bulk's ESR keeps its impedance from falling and a right-half-plane zero raises the gain, both
 * while the phase goes: the usual place for the pole, at the bank's last zero, is then too high. The plant is the bank's
 * impedance, the zero, and the current loop's double pole at half the switching frequency. Source: Ridley, 1991; recalled
 * from memory.
 * @param half Hz, of the switching frequency
 * @param sharpness of the double pole
 * @param pole Hz, where it usually stands
 * @param zeros over the crossover, the one that is wanted first
 */
function rolledOff(
  banks: readonly CapacitorBank[],
  { crossover, at }: CrossoverLimit,
  corners: readonly Estimate[],
  {
    half,
    sharpness,
    pole: usual,
    zeros,
  }: { half: number; sharpness: (corner: Estimate) => number; pole: number; zeros: readonly number[] },
): { pole: number; part: number; zero: number } {
  const bank = (frequency: number): Complex => bankImpedance(banks, 2 * Math.PI * frequency);
  const unit = magnitude(bank(crossover));
  const damped = corners.map((corner) => 1 / sharpness(corner));
  const plantAt = (frequency: number, damping: number) => {
    const ratio = frequency / half;
    const plant = over(bank(frequency), [1 - ratio * ratio, ratio * damping]);
    return { frequency, size: magnitude(plant) / unit, turn: degrees(plant) };
  };
  const seen = new Map<number, ReturnType<typeof plantAt>[]>();
  for (const damping of damped)
    if (!seen.has(damping))
      seen.set(
        damping,
        Array.from({ length: PLACES }, (_, k) =>
          plantAt(crossover * (half / crossover) ** ((k + 1) / PLACES), damping),
        ),
      );
  const phaseAt = ({ frequency, turn }: { frequency: number; turn: number }, zero: number, pole: number): number =>
    turn - ((Math.atan(frequency / zero) + Math.atan(frequency / pole)) * 180) / Math.PI;
  /** of a gain of one at the crossover, where the phase is lost */
  const left = (pole: number): number => {
    let most = 0;
    for (const [k, corner] of corners.entries()) {
      const { gain } = at(corner);
      const { rightHalfPlaneZero: zero = Infinity } = corner;
      for (const place of seen.get(damped[k]!)!) {
        if (phaseAt(place, zero, pole) > LOST) continue;
        const raised = 1 + (place.frequency / zero) ** 2;
        const taken = 1 + (place.frequency / pole) ** 2;
        most = Math.max(most, gain * place.size * Math.sqrt(raised / taken));
      }
    }
    return most;
  };
  const margin = (pole: number, part: number, low: number): number =>
    Math.min(
      ...corners.map((corner, k) => {
        const there = plantAt(part * at(corner).crossover, damped[k]!);
        const integrated = Math.atan((low * part * crossover) / there.frequency);
        return 180 + phaseAt(there, corner.rightHalfPlaneZero ?? Infinity, pole) - (integrated * 180) / Math.PI;
      }),
    );
  for (let part = 1; ; part *= SLOWER) {
    // the highest pole that leaves little enough, as long as it costs no more phase than there is
    for (let pole = usual; pole >= NEAREST * part * crossover; pole /= NEARER)
      if (part * left(pole) <= LEFT) {
        const low = zeros.find((one) => margin(pole, part, one) >= PLACED);
        if (low !== undefined) return { pole, part, zero: low * part * crossover };
        break;
      }
    if (part * SLOWER < LEAST_PART)
      return { pole: Math.min(usual, 3 * part * crossover), part, zero: zeros.at(-1)! * part * crossover };
  }
}

const stops = ({ rectifier, lightLoad }: CompleteDecisions): boolean =>
  rectifier.kind === 'diode' || lightLoad !== 'forced-pwm';

const limitShare = ({ at }: CrossoverLimit, corners: readonly Estimate[]): number =>
  Math.min(...corners.map((corner) => at(corner).gain));
