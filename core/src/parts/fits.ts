import type { Brief, Design, Topology } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import type { Capacitor, Controller, Converter, Diode, Inductor, Mosfet } from '../shelf/part.ts';
import { leftOf } from './values.ts';

/**
 * How much of a rating is used at most. The usual defaults; common practice, no source. Each may be set otherwise.
 */
export interface Derating {
  /** times a switch's blocked voltage, for what rings on top of it */
  ringing: number;
  /** part of a rated voltage, by technology of capacitor */
  ceramicVoltage: number;
  polymerVoltage: number;
  electrolyticVoltage: number;
  tantalumVoltage: number;
  filmVoltage: number;
  /** part of a rated current */
  switchCurrent: number;
  diodeCurrent: number;
  inductorCurrent: number;
  /** part of a ceramic's capacitance that must be left */
  capacitanceLeft: number;
}

export const USUAL_DERATING: Derating = {
  ringing: 1.25,
  ceramicVoltage: 0.8,
  polymerVoltage: 0.9,
  electrolyticVoltage: 0.8,
  tantalumVoltage: 0.5,
  filmVoltage: 0.9,
  switchCurrent: 0.8,
  diodeCurrent: 0.75,
  inductorCurrent: 1,
  capacitanceLeft: 0.2,
};

/** What a design uses of a rating at most: its own figures, the usual ones elsewhere. */
export function deratingOf({ derating = {} }: Design['decisions']): Derating {
  const own = Object.entries(derating).filter(([key, value]) => key in USUAL_DERATING && value !== undefined);
  return { ...USUAL_DERATING, ...Object.fromEntries(own) };
}

/** Why a part does not fit a place: by what, and in words with its numbers. */
export interface Reason {
  by: string;
  words: string;
}
export type Reasons = Reason[];

/** What a place asks of a switch, of one phase: V, A. */
export interface SwitchPlace {
  blocking: number;
  rms: number;
  gateVoltage: number | undefined;
}

/** Part of the gate voltage its values are given at with which a switch may be driven. Common practice, no source. */
const LEAST_DRIVE = 0.8;

const volts = (value: number): string => formatQuantity(value, 'V');
const amperes = (value: number): string => formatQuantity(value, 'A');

function tooHigh(part: { height?: number | undefined }, brief: Brief): Reasons {
  const { maximumHeight } = brief;
  return maximumHeight !== undefined && part.height !== undefined && part.height > maximumHeight
    ? [
        {
          by: 'height',
          words: `${formatQuantity(part.height, 'm')} high, where ${formatQuantity(maximumHeight, 'm')} are left`,
        },
      ]
    : [];
}

function tooLow(part: Mosfet | Diode, blocking: number, how: string, { ringing }: Derating): Reasons {
  const rated = part.voltageRating ?? 0;
  const asked = blocking * ringing;
  return rated < asked
    ? [
        {
          by: 'voltage',
          words: `rated ${volts(rated)}: ${volts(blocking)} ${how} and what rings on top of it ask for ${volts(asked)}`,
        },
      ]
    : [];
}

export function mosfetReasons(part: Mosfet, place: SwitchPlace, count: number, brief: Brief, by: Derating): Reasons {
  const reasons: Reasons = [];
  reasons.push(...tooLow(part, place.blocking, 'blocked', by));
  const carried = place.rms / count;
  if (part.currentRating !== undefined && carried > part.currentRating * by.switchCurrent)
    reasons.push({
      by: 'current',
      words: `${amperes(carried)} RMS is over ${Math.round(by.switchCurrent * 100)} % of its ${amperes(part.currentRating)}`,
    });
  const { gateVoltage } = place;
  if (gateVoltage !== undefined) {
    if (part.gateVoltageMaximum !== undefined && gateVoltage > part.gateVoltageMaximum)
      reasons.push({
        by: 'gate drive',
        words: `its gate stands ${volts(part.gateVoltageMaximum)}, the driver gives ${volts(gateVoltage)}`,
      });
    if (part.gateVoltage !== undefined && gateVoltage < LEAST_DRIVE * part.gateVoltage)
      reasons.push({
        by: 'gate drive',
        words: `made for ${volts(part.gateVoltage)} at the gate, the driver gives ${volts(gateVoltage)}`,
      });
  }
  return [...reasons, ...tooHigh(part, brief)];
}

export function diodeReasons(
  part: Diode,
  place: { blocking: number; average: number },
  count: number,
  brief: Brief,
  by: Derating,
): Reasons {
  const reasons: Reasons = [];
  reasons.push(...tooLow(part, place.blocking, 'reverse', by));
  const carried = place.average / count;
  if (part.currentRating !== undefined && carried > part.currentRating * by.diodeCurrent)
    reasons.push({
      by: 'current',
      words: `${amperes(carried)} on average is over ${Math.round(by.diodeCurrent * 100)} % of its ${amperes(part.currentRating)}`,
    });
  return [...reasons, ...tooHigh(part, brief)];
}

/** What the place asks of an inductor: H, A. */
export interface InductorPlace {
  inductance: number;
  saturation: number;
  rms: number;
  frequency: number;
  /** windings that one core carries, and the coupling between them, where phases are coupled */
  coupled?: { windings: number; coefficient: number } | undefined;
}

/** Inductance over the wanted one that still serves it. Our own starting point. */
const LEAST_INDUCTANCE = 0.8;
const MOST_INDUCTANCE = 1.5;
/** Times the switching frequency that a self-resonance stays above. Common practice, no source. */
const RESONANCE_ABOVE = 5;

/** By which a part's coupling may lie off the design's. Our own: what it leaves of the ripple moves by less than a fifth. */
const COUPLED_WITHIN = 0.06;

export function inductorReasons(part: Inductor, place: InductorPlace, brief: Brief, by: Derating): Reasons {
  const reasons: Reasons = [];
  const { windings = 1, coupling = 0 } = part;
  const { coupled } = place;
  if (windings !== (coupled?.windings ?? 1))
    reasons.push({
      by: 'windings',
      words: coupled
        ? `${windings === 1 ? 'one winding' : `${windings} windings`}, where ${coupled.windings} on one core are wanted`
        : `${windings} windings on one core, where each phase has its own`,
    });
  else if (coupled && Math.abs(coupling - coupled.coefficient) > COUPLED_WITHIN)
    reasons.push({ by: 'coupling', words: `coupled by ${coupling}, where ${coupled.coefficient} is wanted` });
  const ratio = (part.inductance ?? 0) / place.inductance;
  const henries = formatQuantity(part.inductance ?? 0, 'H');
  if (ratio < LEAST_INDUCTANCE * 0.999 || ratio > MOST_INDUCTANCE * 1.001)
    reasons.push({
      by: 'inductance',
      words: `${henries}, where about ${formatQuantity(place.inductance, 'H')} are wanted`,
    });
  if ((part.saturationCurrent ?? 0) < place.saturation)
    reasons.push({
      by: 'saturation',
      words: `saturates at ${amperes(part.saturationCurrent ?? 0)}, where ${amperes(place.saturation)} are wanted`,
    });
  if (part.ratedCurrent !== undefined && place.rms > part.ratedCurrent * by.inductorCurrent)
    reasons.push({
      by: 'heat',
      words: `${amperes(place.rms)} RMS heats it past what its ${amperes(part.ratedCurrent)} are rated for`,
    });
  if (part.selfResonance !== undefined && part.selfResonance < RESONANCE_ABOVE * place.frequency)
    reasons.push({
      by: 'resonance',
      words: `resonates with itself at ${formatQuantity(part.selfResonance, 'Hz')}, too near ${formatQuantity(place.frequency, 'Hz')}`,
    });
  return [...reasons, ...tooHigh(part, brief)];
}

/** Part of a capacitor's rated voltage that may be used. */
export function voltageShare(part: Capacitor, by: Derating): number {
  const technology = part.technology ?? 'ceramic';
  return {
    ceramic: by.ceramicVoltage,
    polymer: by.polymerVoltage,
    electrolytic: by.electrolyticVoltage,
    tantalum: by.tantalumVoltage,
    film: by.filmVoltage,
  }[technology];
}

export function capacitorReasons(part: Capacitor, bias: number, brief: Brief, by: Derating): Reasons {
  const reasons: Reasons = [];
  const allowed = (part.voltageRating ?? 0) * voltageShare(part, by);
  if (bias > allowed)
    reasons.push({
      by: 'voltage',
      words: `${volts(bias)} is over ${Math.round(voltageShare(part, by) * 100)} % of its ${volts(part.voltageRating ?? 0)}`,
    });
  const left = leftOf(part, bias);
  if (left < by.capacitanceLeft)
    reasons.push({
      by: 'capacitance',
      words: `only ${Math.round(left * 100)} % of its capacitance is left at ${volts(bias)}, hot or cold, and aged`,
    });
  return [...reasons, ...tooHigh(part, brief)];
}

/** What is asked of a controller. */
export interface ControllerPlace {
  topology: Topology;
  phases: number;
  frequency: number;
  synchronous: boolean;
  /** s and parts, over the line at full load */
  shortestOnTime: number;
  shortestOffTime: number;
  largestDuty: number;
  /** V across the controller: an inverting stage's rides on its output */
  inputVoltage: { min: number; max: number };
  method: string | undefined;
  lightLoad: string | undefined;
}

/** Times its shortest that a controller’s pulse is to be before the parts and their drops are known. Our own. */
const PULSE = 1.05;

export function controllerReasons(part: Controller | Converter, place: ControllerPlace, brief: Brief): Reasons {
  const reasons: Reasons = [];
  const { topology, inputVoltage, frequency } = place;
  if (part.topologies && !part.topologies.includes(topology))
    reasons.push({ by: 'topology', words: 'runs another kind of stage' });
  if ((part.phases ?? 1) < place.phases)
    reasons.push({ by: 'phases', words: `${part.phases ?? 1} phases, where ${place.phases} are wanted` });
  if (part.inputVoltageMinimum !== undefined && part.inputVoltageMinimum > inputVoltage.min)
    reasons.push({
      by: 'input',
      words: `starts at ${volts(part.inputVoltageMinimum)}, the input falls to ${volts(inputVoltage.min)}`,
    });
  if (part.inputVoltageMaximum !== undefined && part.inputVoltageMaximum < inputVoltage.max)
    reasons.push({
      by: 'input',
      words: `stands ${volts(part.inputVoltageMaximum)}, it sees ${volts(inputVoltage.max)}${topology === 'inverting-buck-boost' ? ' between its input and the negative output it rides on' : ''}`,
    });
  const { outputVoltage } = brief;
  if (part.outputVoltageMinimum !== undefined && part.outputVoltageMinimum > outputVoltage)
    reasons.push({ by: 'output', words: `gives ${volts(part.outputVoltageMinimum)} at least` });
  if (part.outputVoltageMaximum !== undefined && part.outputVoltageMaximum < outputVoltage)
    reasons.push({ by: 'output', words: `gives ${volts(part.outputVoltageMaximum)} at most` });
  const supply = { 'from-input': inputVoltage.min, 'from-output': outputVoltage, given: Infinity }[
    part.gateSupply ?? 'given'
  ];
  if (part.gateVoltage !== undefined && part.gateVoltage > supply)
    reasons.push({
      by: 'gate supply',
      words: `makes ${volts(part.gateVoltage)} for the gates from the ${part.gateSupply === 'from-input' ? 'input' : 'output'}, which gives ${volts(supply)}`,
    });
  if (part.frequencyMinimum !== undefined && part.frequencyMinimum > frequency)
    reasons.push({ by: 'frequency', words: `runs at ${formatQuantity(part.frequencyMinimum, 'Hz')} at least` });
  if (part.frequencyMaximum !== undefined && part.frequencyMaximum < frequency)
    reasons.push({ by: 'frequency', words: `runs at ${formatQuantity(part.frequencyMaximum, 'Hz')} at most` });
  // a current that turns over lengthens its pulse by the dead time, and the controller's own is so much shorter
  if (part.minimumOnTime !== undefined && PULSE * (part.minimumOnTime + (part.deadTime ?? 0)) > place.shortestOnTime)
    reasons.push({
      by: 'on-time',
      words: `its shortest on-time is ${formatQuantity(part.minimumOnTime, 's')}, ${formatQuantity(place.shortestOnTime, 's')} are asked for`,
    });
  if (part.minimumOffTime !== undefined && part.minimumOffTime > place.shortestOffTime)
    reasons.push({
      by: 'off-time',
      words: `its shortest off-time is ${formatQuantity(part.minimumOffTime, 's')}, ${formatQuantity(place.shortestOffTime, 's')} are left`,
    });
  if (part.maximumDuty !== undefined && part.maximumDuty < place.largestDuty && part.passThrough !== true)
    reasons.push({
      by: 'duty',
      words: `its duty ends at ${Math.round(part.maximumDuty * 100)} %, ${Math.round(place.largestDuty * 100)} % is asked for`,
    });
  if (place.method && part.methods && !part.methods.some((method) => method === place.method))
    reasons.push({ by: 'method', words: 'another control method' });
  if (place.lightLoad && part.lightLoads && !part.lightLoads.some((policy) => policy === place.lightLoad))
    reasons.push({ by: 'light load', words: 'another policy at light load' });
  return [...reasons, ...wished(part, brief), ...tooHigh(part, brief)];
}

/** What rules a converter out beside what does a controller: its own switches are its own. */
export function converterReasons(
  part: Converter,
  place: { brings: boolean; synchronous: boolean; current: number; peak: number },
): Reasons {
  const reasons: Reasons = [];
  if (place.brings) reasons.push({ by: 'switches', words: 'brings its own switches, and the design gives others' });
  if (place.synchronous && part.rectifierResistance === undefined)
    reasons.push({ by: 'rectifier', words: 'has no rectifier inside: a diode stands outside' });
  if (!place.synchronous && part.rectifierResistance !== undefined)
    reasons.push({ by: 'rectifier', words: 'rectifies by a switch inside, a diode is decided' });
  if (part.outputCurrent !== undefined && part.outputCurrent < place.current)
    reasons.push({
      by: 'current',
      words: `gives ${amperes(part.outputCurrent)}, ${amperes(place.current)} a phase are asked for`,
    });
  if (part.currentLimit !== undefined && part.currentLimit < place.peak)
    reasons.push({
      by: 'current',
      words: `limits at ${amperes(part.currentLimit)}, the inductor’s peak is ${amperes(place.peak)}`,
    });
  return reasons;
}

/** What the brief wishes for beside what any controller does. */
function wished(part: Controller | Converter, { controller }: Brief): Reasons {
  const reasons: Reasons = [];
  if (!controller) return reasons;
  const lacks = (wish: boolean | undefined, has: boolean | undefined, words: string): void => {
    if (wish === true && has !== true) reasons.push({ by: 'wishes', words });
  };
  lacks(controller.passThrough, part.passThrough, 'no 100 % duty');
  lacks(controller.spreadSpectrum, part.spreadSpectrum, 'no spread spectrum');
  lacks(controller.powerGood, part.powerGood, 'no power-good output');
  lacks(controller.externalCompensation, part.externalCompensation, 'no compensation outside');
  lacks(controller.synchronisable, part.synchronisable, 'does not follow an outer clock');
  lacks(controller.softStart, part.softStart === 'capacitor', 'its soft start cannot be set');
  if (controller.accuracy !== undefined && (part.accuracy ?? Infinity) > controller.accuracy)
    reasons.push({
      by: 'accuracy',
      words: `its reference is ${part.accuracy === undefined ? 'of unknown accuracy' : `within ${formatQuantity(part.accuracy, '%')}`}, ${formatQuantity(controller.accuracy, '%')} are wished for`,
    });
  if (controller.quiescentCurrent !== undefined && (part.quiescentCurrent ?? Infinity) > controller.quiescentCurrent)
    reasons.push({
      by: 'quiescent current',
      words: `draws ${part.quiescentCurrent === undefined ? 'an unknown current' : amperes(part.quiescentCurrent)}, ${amperes(controller.quiescentCurrent)} at most are wished for`,
    });
  return reasons;
}
