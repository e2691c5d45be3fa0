import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { bankImpedance } from '../network/impedance.ts';
import { degrees, magnitude, over, plus, scaled, times, type Complex } from '../numbers/complex.ts';
import { NoLoop, SimulationError, type Segment } from '../simulation/modulator.ts';
import { conductanceOf, cornerAsked, currentNetwork, drawnBy, lawOf, ready, type Ready } from '../simulation/setup.ts';
import type { Response } from '../simulation/linearized.ts';
import { periodicState, steadyState, type Steady } from '../simulation/steady.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { hasAmplifier, sensesCurrent } from '../control/compensator.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { differenceEquation } from '../control/digital.ts';
import { AveragedStage, byCurrent, type Asked } from './averaged.ts';
import { CompensatorResponse } from './compensator.ts';
import { marginsOf, nearest, unwrapped, type Margins } from './margins.ts';
import { quantisationAt, quantisationWords, withoutSteps } from './quantisation.ts';

export interface LoopOptions {
  /** V and A; nominal input and full load where absent */
  at?: Partial<Corner> | undefined;
  /** Hz, rising; the usual range where absent */
  frequencies?: readonly number[] | undefined;
  /** also what an injection on the switching circuit would measure */
  exact?: boolean | undefined;
}

/** A transfer function over frequency: dB and degrees. */
export interface ResponseCurve {
  frequency: number[];
  gain: number[];
  phase: number[];
}

/** Ω and degrees over Hz. */
export interface ImpedanceCurve {
  frequency: number[];
  magnitude: number[];
  phase: number[];
}

/** What the loop answers. Names and units are the result format's. */
export interface LoopResult {
  format: 'yundro-loop';
  version: 1;
  inputVoltage: number;
  outputCurrent: number;
  conductionMode: string;
  crossoverFrequency: number | null;
  phaseMargin: number | null;
  gainMargin: number | null;
  /** Hz, at which the gain margin is told */
  phaseCrossoverFrequency: number | null;
  vectorMargin: Margins['vectorMargin'];
  response: ResponseCurve;
  /** from control voltage (duty of a digital controller) to output voltage */
  plant: ResponseCurve;
  /** from output voltage to minus the control voltage */
  compensator: ResponseCurve;
  /** closed loop; Ω and degrees */
  outputImpedance: ImpedanceCurve;
  /** what the source and its leads see of the stage behind the input bank, closed loop; Ω and degrees */
  inputImpedance: ImpedanceCurve;
  /** what the stage sees of the source, its leads and the input bank; absent where the source is stiff */
  sourceImpedance?: ImpedanceCurve;
  /** source to output, closed loop */
  audioSusceptibility: ResponseCurve;
  exactResponse?: ResponseCurve & Margins;
  /** which model the response is of */
  model: 'averaged' | 'exact';
  /** largest magnitude to which a disturbance of the closed loop grows in a period, where it was found */
  growth?: number;
  warnings: { id: string; message: string }[];
}

/** Points of the usual range, and where it begins: part of the switching frequency. */
const POINTS = 400;
const LOWEST = 1e-5;
/** Part of the switching frequency up to which loops are asked. */
const HIGHEST = 0.5;
/** Part of it below which pulses are left out. */
const SKIPS = 0.999;
/** Part of it at which a loop is asked whether there is one. */
const PROBED = 0.01;

/** The loop of a design at one corner: functions of frequency, each as exact as its model. */
export interface Loop {
  ready: Ready;
  /** Hz at which the stage switches: the clock's, and without one what comes out */
  switches: number;
  model: 'averaged' | 'exact';
  gain: (frequency: number) => Complex;
  plant: (frequency: number) => Complex;
  /** average current mode in continuous conduction: its plant by averages, beside the exact one */
  averagedPlant?: (frequency: number) => Complex;
  compensator: (frequency: number) => Complex;
  outputImpedance: (frequency: number) => Complex;
  /** where the load is not what is held: what disturbs both, and what the control voltage does at the load, the loop open */
  opened?: {
    reaches: (frequency: number) => Complex;
    impedance: (frequency: number) => Opened;
    audio: (frequency: number) => Opened;
  };
  /** V of the input node over A that the stage draws from it, the bank's current apart */
  inputImpedance: (frequency: number) => Complex;
  /** Ω of the source with the input bank across it; undefined where the source is stiff */
  sourceImpedance: ((frequency: number) => Complex) | undefined;
  audioSusceptibility: (frequency: number) => Complex;
  /** control to what is sensed of the output on the switching circuit, its control voltage held; undefined where no period was found */
  exactPlant: () => ((frequency: number) => Complex) | undefined;
  /** what an injection measures; undefined where no period of the closed loop was found */
  exact: (() => ((frequency: number) => Complex) | undefined) | undefined;
  closed: () => Steady | undefined;
  /** whether the closed loop repeats at all, be it that it has come to rest */
  settles: () => boolean;
  assumed: string[];
}

/**
 * The loop at one corner, a bent inductance told as finely as `fineness` says; of a digital controller without its steps, which have no response.
 * @throws SimulationError in words where the corner has no steady state to disturb
 */
export function loopAt(design: Design, given: CompleteDecisions, corner: Corner, fineness?: 'bench'): Loop {
  const decisions = withoutSteps(given);
  const segments: Segment[] = [
    {
      at: -1,
      conductance: conductanceOf(design.brief, decisions, corner.outputCurrent),
      current: drawnBy(design.brief, corner.outputCurrent),
      currentSlope: 0,
      source: corner.inputVoltage,
      sourceSlope: 0,
    },
  ];
  const { method } = decisions.control;
  const closedReady = ready(design, decisions, corner, segments, { fineness });
  if (!closedReady.solved.state || closedReady.solved.state.outOfReach)
    throw new NoLoop('The stage does not reach its output at this corner: there is no loop to judge.');
  if (closedReady.setup.modulator.leastPulse && skipsPulses(closedReady)) throw new NoLoop(SKIPPED);
  const { period } = closedReady.setup;
  let found: Steady | undefined | 'none' = 'none';
  // where Newton's method loses its way at a limit that only the way passes, the stage itself may find its period
  let ran: Steady | undefined;
  const closed = (): Steady | undefined => {
    if (found === 'none') {
      found = periodicState(closedReady);
      if (!found) ran = steadyState(closedReady);
      if (ran?.periodic && ran.linearized) found = ran;
    }
    return found;
  };
  const places = (steady: Steady): Steady['simulator']['places'] => steady.simulator.places;
  const network = hasAmplifier(decisions.control) ? new CompensatorResponse(decisions.compensator!, period) : undefined;
  // a held average current would leave the voltage of a load that draws one to itself: its plant is told from the closed loop
  const wholly = !network || method === 'average-current-mode';
  // loop gain, plant and exact response ask the same again, and every drive is asked at a frequency
  const answers = new Map<string, Response>();
  const respond = (steady: Steady, drive: number, frequency: number): Response => {
    const keyOf = (at: number): string => `${steady === found ? 'closed' : 'held'} ${at} ${frequency}`;
    const known = answers.get(keyOf(drive));
    if (known) return known;
    const { injected, source, drawn } = places(steady);
    const drives = steady === found && !wholly ? [injected] : [injected, source, drawn];
    const { period: own, simulator, linearized } = steady;
    linearized!
      .responses(drives, frequency, own, simulator.time)
      .forEach((answer, k) => answers.set(keyOf(drives[k]!), answer));
    return answers.get(keyOf(drive))!;
  };
  const disturb = (steady: Steady, drive: number, frequency: number): Complex =>
    respond(steady, drive, frequency).output;
  const supply = supplyOf(design, decisions);
  const injected =
    (steady: Steady) =>
    (frequency: number): Complex => {
      const { sensed } = respond(steady, places(steady).injected, frequency);
      return scaled(over(sensed, plus(sensed, [1, 0])), -1);
    };
  const exact = (): ((frequency: number) => Complex) | undefined => {
    const steady = closed();
    return steady && injected(steady);
  };
  const base = {
    ready: closedReady,
    switches: closedReady.setup.modulator.critical
      ? (closedReady.solved.point?.switchingFrequency ?? 1 / period)
      : 1 / period,
    exact,
    closed,
    settles: () => closed() !== undefined || ran?.periodic === true || ran?.rests === true,
    assumed: closedReady.assumed,
    sourceImpedance: supply.stiff ? undefined : supply.impedance,
  };
  if (wholly) {
    const steady = closed();
    if (!steady)
      throw new SimulationError(
        'The closed loop has no period that repeats at this corner: there is no response to tell.',
      );
    const gain = injected(steady);
    reaching(gain(PROBED / period), closedReady);
    const { digital } = closedReady.setup.modulator;
    const compensator = (frequency: number): Complex =>
      network?.at(frequency) ??
      (digital ? differenceEquation(digital, frequency * period) : [closedReady.setup.tapRatio, 0]);
    const plant = (frequency: number): Complex => over(gain(frequency), compensator(frequency));
    const averagedPlant = averagedByCurrent(closedReady);
    return {
      ...base,
      // without a clock, pulses come as the load takes them
      ...(closedReady.setup.modulator.clocked ? {} : { switches: 1 / steady.period }),
      ...(averagedPlant ? { averagedPlant } : {}),
      model: 'exact',
      gain,
      compensator,
      plant,
      exactPlant: () => plant,
      outputImpedance: (frequency) => scaled(disturb(steady, places(steady).drawn, frequency), -1),
      inputImpedance: (frequency) => supply.seenBy(respond(steady, places(steady).source, frequency).input, frequency),
      audioSusceptibility: (frequency) => disturb(steady, places(steady).source, frequency),
    };
  }
  const modulator = lawOf(design.brief, decisions, corner, undefined);
  const compensator = (frequency: number): Complex => network.at(frequency);
  const averages =
    !sensesCurrent(decisions.control) && closedReady.solved.state.mode === 'CCM' && !decisions.inductor.inductanceCurve;
  let holding: Steady | undefined | 'none' = 'none';
  const heldPeriod = (): Steady | undefined => {
    if (holding === 'none')
      holding = periodicState(ready(design, decisions, corner, segments, { held: true, fineness }));
    return holding;
  };
  // from the control voltage to what is sensed, and to the load; and what disturbs both, the loop open
  let plant: (frequency: number) => Complex;
  let reaches: (frequency: number) => Complex;
  let impedance: (frequency: number) => Opened;
  let audio: (frequency: number) => Opened;
  // A of the input for a volt of the source and of the control voltage, the loop open
  let draws: (frequency: number) => { bySource: Complex; byControl: Complex };
  if (averages) {
    const stage = new AveragedStage(closedReady);
    const duty = closedReady.solved.state.duty;
    const forwards = method === 'voltage-mode-feedforward';
    const gained = forwards ? 1 / (modulator.rampGain * stage.inputVoltage) : 1 / modulator.rampAmplitude;
    // a ramp that follows the stage's input takes the duty back as that rises, and the duty moves it too
    const back = forwards ? duty / stage.inputVoltage : 0;
    const kept = (frequency: number): Complex => plus([1, 0], scaled(stage.at('node', 'duty', frequency), back));
    const byControl = (asked: Asked, frequency: number): Complex => {
      const moved = scaled(stage.at(asked, 'duty', frequency), gained);
      return forwards ? over(moved, kept(frequency)) : moved;
    };
    const by = (asked: Asked, disturbed: 'source' | 'drawn', frequency: number): Complex => {
      const own = stage.at(asked, disturbed, frequency);
      if (!forwards) return own;
      const duties = over(scaled(stage.at('node', disturbed, frequency), -back), kept(frequency));
      return plus(own, times(stage.at(asked, 'duty', frequency), duties));
    };
    plant = (frequency) => byControl('sensed', frequency);
    reaches = (frequency) => byControl('output', frequency);
    impedance = (frequency) => ({
      load: scaled(by('output', 'drawn', frequency), -1),
      sensed: scaled(by('sensed', 'drawn', frequency), -1),
    });
    audio = (frequency) => ({
      load: by('output', 'source', frequency),
      sensed: by('sensed', 'source', frequency),
    });
    draws = (frequency) => ({
      bySource: by('input', 'source', frequency),
      byControl: byControl('input', frequency),
    });
  } else {
    const held = heldPeriod();
    if (!held) {
      if (skipsPulses(closedReady)) throw new NoLoop(SKIPPED);
      throw new SimulationError(
        'With its control voltage held the stage has no period that repeats at this corner: there is no plant to tell.',
      );
    }
    plant = (frequency) => respond(held, places(held).injected, frequency).sensed;
    reaches = (frequency) => disturb(held, places(held).injected, frequency);
    reaching(plant(PROBED / period), closedReady);
    impedance = (frequency) => {
      const { output, sensed } = respond(held, places(held).drawn, frequency);
      return { load: scaled(output, -1), sensed: scaled(sensed, -1) };
    };
    audio = (frequency) => {
      const { output, sensed } = respond(held, places(held).source, frequency);
      return { load: output, sensed };
    };
    draws = (frequency) => ({
      bySource: respond(held, places(held).source, frequency).input,
      byControl: respond(held, places(held).injected, frequency).input,
    });
  }
  const gain = (frequency: number): Complex => times(plant(frequency), compensator(frequency));
  const settled = (sensed: Complex, frequency: number): Complex => over(sensed, plus([1, 0], gain(frequency)));
  const before = decisions.outputFilter?.feedback === 'before';
  const closing =
    (open: (frequency: number) => Opened) =>
    (frequency: number): Complex => {
      const opened = open(frequency);
      return before
        ? beyondHeld(opened, reaches(frequency), compensator(frequency), gain(frequency))
        : settled(opened.load, frequency);
    };
  return {
    ...base,
    model: averages ? 'averaged' : 'exact',
    gain,
    plant,
    exactPlant: () => {
      const held = heldPeriod();
      return held && ((frequency) => respond(held, places(held).injected, frequency).sensed);
    },
    compensator,
    ...(before ? { opened: { reaches, impedance, audio } } : {}),
    outputImpedance: closing(impedance),
    inputImpedance: (frequency) => {
      const { bySource, byControl } = draws(frequency);
      const control = scaled(times(compensator(frequency), settled(audio(frequency).sensed, frequency)), -1);
      return supply.seenBy(plus(bySource, times(byControl, control)), frequency);
    },
    audioSusceptibility: closing(audio),
  };
}

/**
 * What a disturbance makes of a load that is not what is held, the loop closed: its own share, less what the loop takes back
 * through the section.
 */
export const beyondHeld = ({ load, sensed }: Opened, reaches: Complex, network: Complex, gain: Complex): Complex =>
  plus(load, scaled(times(times(reaches, network), over(sensed, plus([1, 0], gain))), -1));

/** What a disturbance makes of the load's voltage and of what is sensed, the loop open. */
export interface Opened {
  load: Complex;
  sensed: Complex;
}

/** From control voltage to output of average current mode, its winding's current held by its own amplifier. */
function averagedByCurrent(made: Ready): ((frequency: number) => Complex) | undefined {
  const { solved, decisions, setup } = made;
  const { control, inductor } = decisions;
  if (control.method !== 'average-current-mode' || solved.state?.mode !== 'CCM' || inductor.inductanceCurve)
    return undefined;
  const stage = new AveragedStage(made);
  const amplifier = new CompensatorResponse(currentNetwork(control.currentAmplifier), setup.period);
  const { rampAmplitude, currentSenseGain } = setup.modulator;
  return (frequency) =>
    byCurrent(
      amplifier.at(frequency),
      scaled(stage.at('sensed', 'duty', frequency), 1 / rampAmplitude),
      scaled(stage.at('winding', 'duty', frequency), currentSenseGain / rampAmplitude),
    );
}

/** The source, its leads and the input bank across them. */
function supplyOf({ brief: { sourceResistance = 0, sourceInductance = 0 } }: Design, decisions: CompleteDecisions) {
  const stiff = sourceResistance === 0 && sourceInductance === 0;
  const leads = (speed: number): Complex => [sourceResistance, speed * sourceInductance];
  const withBank = (speed: number): Complex =>
    plus([1, 0], over(leads(speed), bankImpedance(decisions.inputCapacitors, speed)));
  return {
    stiff,
    impedance: (frequency: number): Complex => {
      const speed = 2 * Math.PI * frequency;
      return over(leads(speed), withBank(speed));
    },
    /** Ω behind the bank, from the A drawn for a volt of the source: the node is what leads and bank leave of it */
    seenBy: (drawn: Complex, frequency: number): Complex => {
      const speed = 2 * Math.PI * frequency;
      const node = stiff
        ? ([1, 0] as const)
        : over(plus([1, 0], scaled(times(leads(speed), drawn), -1)), withBank(speed));
      return over(node, drawn);
    },
  };
}

/** Whether a stage with a clock gives fewer pulses than it has periods, by its own solution. */
export const skipsPulses = ({ setup: { modulator, period }, solved: { point } }: Ready): boolean =>
  modulator.clocked && point !== undefined && point.switchingFrequency < SKIPS / period;

export const SKIPPED = 'Pulses are skipped at this corner: there is no loop to hold.';

/** @throws SimulationError where a disturbance comes to nothing */
function reaching(response: Complex, made: Ready): void {
  if (magnitude(response) === 0)
    throw new NoLoop(
      skipsPulses(made)
        ? SKIPPED
        : 'The switches stand at a limit of the controller’s pulses at this corner, its shortest or its longest: there is no loop to judge.',
    );
}

/** The usual frequencies of a loop: evenly in logarithms up to half the switching frequency. */
export function usualFrequencies(switchingFrequency: number, points = POINTS): number[] {
  const [low, high] = [Math.log(LOWEST * switchingFrequency), Math.log(HIGHEST * switchingFrequency)];
  return Array.from({ length: points }, (_, k) => Math.exp(low + ((high - low) * k) / (points - 1)));
}

export function curveOf(
  frequency: readonly number[],
  values: readonly Complex[],
  phases?: readonly number[],
): ResponseCurve {
  return {
    frequency: frequency.slice(),
    gain: values.map((value) => 20 * Math.log10(magnitude(value))),
    phase: phases ? phases.slice() : unwrapped(values),
  };
}

/**
 * Plant, compensator and loop at one corner.
 * @throws SimulationError in words
 */
export function loop(design: Design, options: LoopOptions = {}): LoopResult {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, options.at);
  const asked = options.frequencies;
  if (asked?.some((frequency) => !(frequency > 0)))
    throw new SimulationError('expected frequencies above 0.', 'frequencies');
  const made = loopAt(design, decisions, corner);
  const usual = usualFrequencies(1 / made.ready.setup.period);
  const whole = usual.map(made.gain);
  const margins = marginsOf(usual, whole, made.gain, made.switches / 2);
  const frequencies = asked ?? usual;
  // the branch of each phase is that of the whole range beneath it
  const pick = (of: (frequency: number) => Complex, known?: Complex[]): ResponseCurve => {
    const values = known ?? usual.map(of);
    const phases = unwrapped(values);
    if (!asked) return curveOf(usual, values, phases);
    const there = asked.map(of);
    return curveOf(
      asked,
      there,
      there.map((value, k) => nearest(degrees(value), phases[placeOf(usual, asked[k]!)]!)),
    );
  };
  const impedancesOf = (of: (frequency: number) => Complex): ImpedanceCurve => {
    const values = frequencies.map(of);
    return { frequency: frequencies.slice(), magnitude: values.map(magnitude), phase: unwrapped(values) };
  };
  const warnings: LoopResult['warnings'] = made.assumed.map((message) => ({ id: 'assumed-compensator', message }));
  let exactResponse: LoopResult['exactResponse'];
  if (options.exact) {
    const exact = made.exact?.();
    if (exact) {
      const values = usual.map(exact);
      exactResponse = { ...pick(exact, values), ...marginsOf(usual, values, exact, made.switches / 2) };
    } else
      warnings.push({
        id: 'no-exact-response',
        message: 'The closed loop has no period that repeats at this corner: there is no exact response.',
      });
  }
  const growth = options.exact ? made.closed()?.growth : undefined;
  if ((margins.phaseMargin ?? 1) <= 0 || (growth ?? 0) > 1)
    warnings.push({ id: 'unstable-loop', message: 'The closed loop does not hold: a disturbance grows.' });
  const stepped = quantisationAt(design, decisions, corner, made, margins);
  const words = stepped && quantisationWords(stepped);
  if (words !== undefined) warnings.push({ id: 'limit-cycle', message: words });
  return {
    format: 'yundro-loop',
    version: 1,
    inputVoltage: corner.inputVoltage,
    outputCurrent: corner.outputCurrent,
    conductionMode: made.ready.solved.state!.mode,
    ...margins,
    response: pick(made.gain, whole),
    plant: pick(made.plant),
    compensator: pick(made.compensator),
    outputImpedance: impedancesOf(made.outputImpedance),
    inputImpedance: impedancesOf(made.inputImpedance),
    ...(made.sourceImpedance ? { sourceImpedance: impedancesOf(made.sourceImpedance) } : {}),
    audioSusceptibility: pick(made.audioSusceptibility),
    ...(exactResponse ? { exactResponse } : {}),
    model: made.model,
    ...(growth === undefined ? {} : { growth }),
    warnings,
  };
}

/** Index of the usual frequency nearest to one asked. */
function placeOf(usual: readonly number[], frequency: number): number {
  let nearest = 0;
  for (let k = 1; k < usual.length; k += 1)
    if (Math.abs(Math.log(usual[k]! / frequency)) < Math.abs(Math.log(usual[nearest]! / frequency))) nearest = k;
  return nearest;
}
