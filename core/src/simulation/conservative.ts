import type { Brief } from '../design/schema.ts';
import { bankImpedance } from '../network/impedance.ts';
import { magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { formatQuantity } from '../quantity/format.ts';
import type { CompleteDecisions } from '../stage/operating/stage.ts';
import type { TopologyModel } from '../topology/index.ts';
import type { CompensatorParts } from './amplifier.ts';
import type { ControlLaw } from './law.ts';

/*
 * A compensator for a design that has none, so that it can be simulated at once: slow, and stable at every corner. Our own
 * rule, from the textbook forms of the plants (Erickson and Maksimović, chapters 8, 9 and 12; recalled from memory).
 */

/** Loop gain that voltage mode's resonance may reach at its highest: a quarter leaves 12 dB. */
const AT_RESONANCE = 0.25;
/** Crossover of voltage mode's integrator over the resonance at most. */
const OF_RESONANCE = 0.1;
/** Crossover of type 3 over the switching frequency at most, and over the resonance at least. Common practice, no source: a tenth to a fifth. */
const OF_FREQUENCY_TYPE_3 = 1 / 10;
const ABOVE_RESONANCE = 2.5;
/** Its zeros over the resonance: below it, so that the phase is there when the filter takes it. */
const ZEROS = 0.7;
/** Crossover of current mode over the switching frequency, and over the right-half-plane zero, at most; its zero over the crossover. */
const OF_FREQUENCY = 1 / 20;
const OF_RIGHT_HALF_PLANE = 1 / 6;
const ZERO = 1 / 5;

/** The compensator of the design, or the conservative one with the words that say so. */
export function compensatorOf(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  law: ControlLaw,
): { compensator: CompensatorParts; assumed: string[] } {
  const given = decisions.compensator;
  const parts = given && (given.feedbackCapacitor ?? given.feedbackResistor ?? given.shuntCapacitor);
  const ratio = law.reference / brief.outputVoltage;
  const dividerTop = given?.dividerTop ?? 10e3;
  const dividerBottom = given?.dividerBottom ?? (ratio < 1 ? (dividerTop * ratio) / (1 - ratio) : undefined);
  const divider = { dividerTop, ...(dividerBottom === undefined ? {} : { dividerBottom }) };
  if (given && parts !== undefined) return { compensator: { ...divider, ...given }, assumed: [] };
  const plant = plantOf(model, brief, decisions);
  return law.method === 'peak-current-mode'
    ? forCurrent(plant, decisions, law, divider)
    : forVoltage(plant, brief, decisions, law, divider);
}

/** What the textbook's plants are made of, each at its worst corner. */
interface PlantValues {
  /** H, as the output sees it, where it is largest */
  inductance: number;
  /** F and Ω, of the whole output bank */
  capacitance: number;
  esr: number;
  /** Ω of the bank at a frequency in rad/s: unlike capacitors share it */
  bank: (speed: number) => Complex;
  /** Ω in series with the inductance, as the output sees it */
  series: number;
  /** Ω, of the lightest load; Infinity where it draws a current whatever the voltage */
  lightest: number;
  /** V of the output for a change of the duty by 1, where it is largest */
  dutyGain: number;
  /** part of the inductor's current that reaches the output, where it is least */
  reaches: number;
  /** Hz, the lowest right-half-plane zero; Infinity without one */
  zero: number;
}

function plantOf(model: TopologyModel, brief: Brief, decisions: CompleteDecisions): PlantValues {
  const { inductor, phases, outputCapacitors, controlSwitch, rectifier } = decisions;
  const { min, max } = brief.inputVoltage;
  const output = brief.outputVoltage;
  const heaviest = output / brief.outputCurrent.max;
  const boosts = model.pulsating.output;
  // what reaches the output is the rectifier's part of the period, least at the lowest input
  const duty = boosts ? Math.min(0.95, Math.max(0, model.idealDuty(output / min))) : 0;
  const reaches = 1 - duty;
  const capacitance = outputCapacitors.reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);
  const conductance = outputCapacitors.reduce((sum, bank) => sum + (bank.esr > 0 ? bank.count / bank.esr : 0), 0);
  const released = (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance) ?? 0;
  const on = Math.min(controlSwitch.onResistance, released);
  // windings that all carry the same see their mutual inductance as their own
  const { coupling } = decisions;
  const mutual = coupling ? (coupling.polarity === 'inverse' ? -coupling.coefficient : coupling.coefficient) : 0;
  const seen = inductor.inductance * (1 + mutual);
  return {
    inductance: seen / phases / reaches ** 2,
    bank: (speed) => bankImpedance(outputCapacitors, speed),
    capacitance,
    esr: conductance > 0 ? 1 / conductance : 0,
    series: (inductor.resistance + on) / phases / reaches ** 2,
    lightest: brief.load === 'resistive' && brief.outputCurrent.min > 0 ? output / brief.outputCurrent.min : Infinity,
    dutyGain: boosts ? (model.pulsating.input ? (min + output) ** 2 / min : output ** 2 / min) : max,
    reaches,
    zero: boosts ? (reaches ** 2 * heaviest) / (2 * Math.PI * (seen / phases)) : Infinity,
  };
}

/**
 * Type 3 with both zeros on the output filter's resonance, where the crossover that can be had lies well above it; else an
 * integrator whose gain at the resonance stays well below one.
 */
function forVoltage(
  plant: PlantValues,
  brief: Brief,
  { switchingFrequency }: CompleteDecisions,
  law: ControlLaw,
  divider: { dividerTop: number },
): { compensator: CompensatorParts; assumed: string[] } {
  const { inductance, capacitance, esr, series, lightest, dutyGain, zero } = plant;
  const resonance = 1 / (2 * Math.PI * Math.sqrt(inductance * capacitance));
  // without feedforward the gain, and the crossover with it, is highest at the highest input
  const ramp = law.method === 'voltage-mode' ? law.rampAmplitude : law.rampGain * brief.inputVoltage.max;
  const crossover = Math.min(switchingFrequency * OF_FREQUENCY_TYPE_3, zero * OF_RIGHT_HALF_PLANE);
  if (crossover > ABOVE_RESONANCE * resonance) {
    const speed = 2 * Math.PI * crossover;
    const bank = plant.bank(speed);
    const whole = plus(bank, [series, speed * inductance]);
    const gain = (dutyGain / ramp) * magnitude(over(bank, whole));
    const half = switchingFrequency / 2;
    const esrZero = esr > 0 ? 1 / (2 * Math.PI * esr * capacitance) : Infinity;
    const pole = Math.min(half, Math.max(esrZero, crossover * 1.5));
    const top = divider.dividerTop;
    const low = ZEROS * resonance;
    const inputResistor = (top * low) / (pole - low);
    const inputCapacitor = 1 / (2 * Math.PI * pole * inputResistor);
    const lead: Complex = [inputResistor, -1 / (speed * inputCapacitor)];
    const into = over(times([top, 0], lead), plus([top, 0], lead));
    // of an ohm of feedback resistor: the zero at the resonance and the pole at half the frequency scale with it
    const zf: Complex = [1, -low / crossover];
    const shunt: Complex = [0, -half / crossover];
    const unit = over(times(zf, shunt), plus(zf, shunt));
    const feedbackResistor = magnitude(into) / (gain * magnitude(unit));
    return {
      compensator: {
        ...divider,
        amplifier: 'op-amp',
        type: 3,
        feedbackResistor,
        feedbackCapacitor: 1 / (2 * Math.PI * low * feedbackResistor),
        shuntCapacitor: 1 / (2 * Math.PI * half * feedbackResistor),
        inputResistor,
        inputCapacitor,
      },
      assumed: [
        `The design has no compensator: a type 3 network is taken, both zeros at 0.7 of the output filter’s resonance of ${formatQuantity(resonance, 'Hz')}, that crosses over at ${formatQuantity(crossover, 'Hz')} at the highest input.`,
      ],
    };
  }
  const impedance = Math.sqrt(inductance / capacitance);
  const sharpness = 1 / ((series + esr) / impedance + impedance / lightest);
  const part = Math.min(OF_RESONANCE, AT_RESONANCE / sharpness);
  const lowest = law.method === 'voltage-mode' ? law.rampAmplitude : law.rampGain * brief.inputVoltage.min;
  const feedbackCapacitor = dutyGain / lowest / (2 * Math.PI * part * resonance * divider.dividerTop);
  return {
    compensator: { ...divider, amplifier: 'op-amp', type: 1, feedbackCapacitor },
    assumed: [
      'The design has no compensator: an integrator is taken that stays four times below what would sustain the output filter’s resonance, and crosses over at a tenth of it at most. It holds the output slowly.',
    ],
  };
}

/** A gain with an integrator below a fifth of the crossover, on the one pole that current mode leaves. */
function forCurrent(
  plant: PlantValues,
  decisions: CompleteDecisions,
  law: ControlLaw,
  divider: { dividerTop: number },
): { compensator: CompensatorParts; assumed: string[] } {
  const { reaches, zero } = plant;
  const { switchingFrequency, phases } = decisions;
  const crossover = Math.min(switchingFrequency * OF_FREQUENCY, zero * OF_RIGHT_HALF_PLANE);
  const speed = 2 * Math.PI * crossover;
  const gain = ((reaches * phases) / law.currentSenseGain) * magnitude(plant.bank(speed));
  const feedbackResistor = divider.dividerTop / gain;
  return {
    compensator: {
      ...divider,
      amplifier: 'op-amp',
      type: 2,
      feedbackResistor,
      feedbackCapacitor: 1 / (ZERO * speed * feedbackResistor),
      shuntCapacitor: 1 / (2 * Math.PI * (switchingFrequency / 2) * feedbackResistor),
    },
    assumed: [
      'The design has no compensator: a gain with an integrator is taken that crosses over at a twentieth of the switching frequency, or a sixth of the right-half-plane zero, at most.',
    ],
  };
}
