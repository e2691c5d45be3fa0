import type { Onward } from '../area.ts';
import { cornersOf, type Corner } from '../design/corner.ts';
import type { Brief, Design } from '../design/schema.ts';
import { within } from '../numbers/linear.ts';
import { degrees, magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';
import { formatQuantity } from '../quantity/index.ts';
import { NoLoop, SimulationError } from '../simulation/modulator.ts';
import { hasAmplifier } from '../control/compensator.ts';
import { differenceEquation, type DigitalParts } from '../control/digital.ts';
import type { LoopHere, Polar } from './scene.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { completeDecisions, type Completion } from '../stage/sizing/complete.ts';
import { assessTargets, openTargets, type Draft, type Target } from '../verdict/target.ts';
import { CompensatorResponse } from './compensator.ts';
import { factored, type Factored } from './factored.ts';
import { beyondHeld, curveOf, loopAt, usualFrequencies, type Opened, type ResponseCurve } from './loop.ts';
import { peakOf } from '../numbers/peak.ts';
import { judgedLoop, sizeOf, withResonances, worstOf, type JudgedLoop } from './judged.ts';
import { marginsOf, nearest, unwrapped, type Margins } from './margins.ts';
import type { LoopQuantity } from './quantities.ts';
import { quantisationAt, quantisationWords } from './quantisation.ts';
import { spreadCorners, varied, VARIATIONS, type Variation } from './spread.ts';

/** The loop at one corner, over frequency. */
export interface LoopCorner extends Corner, Margins {
  /** how its parts lie, where they are not as designed */
  parts?: string;
  conductionMode: string;
  /** Hz of its clock */
  frequency: number;
  /** Hz at which it switches there: without a clock what comes out */
  switches: number;
  model: 'averaged' | 'exact';
  loop: ResponseCurve;
  plant: ResponseCurve;
  /** real and imaginary part of the loop gain where it is not far from −1 */
  nyquist: (readonly [number, number])[];
  /** Ω at the loop's frequencies, closed */
  outputImpedance: number[];
  /** V/V at the loop's frequencies, source to output, closed */
  audioSusceptibility: number[];
  /** what it is judged by, which may be another response than the one that is drawn */
  judged: JudgedLoop;
  /** the output impedance at its highest, found and not sampled */
  impedancePeak: { frequency: number; value: number };
  /** where the load is not what is held: both by their parts, with which another network can be told */
  opened?: { reaches: Complex[]; impedance: Opened[]; audio: Opened[] };
}

/** Every corner's loop, and the network that closes it. */
export interface LoopCorners {
  corners: LoopCorner[];
  compensator: ResponseCurve | undefined;
  /** the amplifier's network by its parts; undefined where the controller has none */
  network: CompensatorParts | undefined;
  /** a digital controller's equation by its zeros and poles */
  digital?: Factored;
  /** what was taken where the design says nothing */
  assumed: string[];
  /** what the response does not tell: cycles of a digital controller's steps */
  warnings: string[];
  /** why a corner has no loop */
  troubles: { at: Corner; message: string; /** whether there is none by design */ none: boolean }[];
}

/**
 * A comparator that sees the output itself has a loop gain above one up to half its frequency, where its bank shows it
 * ripple enough: what the gain is as the phase turns says nothing then. The growth of its steady state does.
 */
const withoutCrossover = ({ control }: CompleteDecisions, margins: Margins): Margins =>
  control.method === 'constant-on-time' && margins.crossoverFrequency === null
    ? { ...margins, gainMargin: null, phaseCrossoverFrequency: null }
    : margins;

/** Points of each curve: gain and phase are smooth between them, margins are found on the functions themselves. */
const POINTS = 161;

/**
 * Corner by corner, as they are found.
 * @param spread whether its parts are varied too, at both ends of the line
 * @param only these corners; all of line and load where absent
 */
export function* loopCorners(
  design: Design,
  spread = false,
  only: readonly Corner[] = cornersOf(design),
): Generator<Onward<LoopCorners>, LoopCorners> {
  const { decisions } = completeDecisions(design);
  const found: LoopCorners = {
    corners: [],
    compensator: undefined,
    network: undefined,
    assumed: [],
    warnings: [],
    troubles: [],
  };
  const asDesigned = only.map((corner) => ({ corner, variation: VARIATIONS[0]! }));
  const list = spread
    ? [...asDesigned, ...spreadCorners(design).filter(({ variation }) => variation !== VARIATIONS[0])]
    : asDesigned;
  const frequencies = withResonances(
    usualFrequencies(decisions.switchingFrequency, POINTS),
    resonancesOf(design, decisions),
  );
  if (hasAmplifier(decisions.control)) found.network = decisions.compensator;
  const { digital, method } = decisions.control;
  if (method === 'digital' && digital) found.digital = factored(digital, 1 / decisions.switchingFrequency);
  for (const [k, { corner, variation }] of list.entries()) {
    try {
      // a corner without an end would leave the others without a loop
      const asked = within(WORK, () => askCorner(design, decisions, { corner, variation, frequencies }, found));
      if (asked === 'spent') throw new SimulationError('The loop takes more work than one may at this corner.');
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      found.troubles = [...found.troubles, { at: corner, message: error.message, none: error instanceof NoLoop }];
    }
    yield { part: (k + 1) / list.length, soFar: { ...found } };
  }
  return found;
}

/** Multiplications that one corner's loop may take: some seconds. */
const WORK = 3e9;

/** Finds the loop of one corner, and adds it to what was found. */
function askCorner(
  design: Design,
  decisions: CompleteDecisions,
  { corner, variation, frequencies }: { corner: Corner; variation: Variation; frequencies: readonly number[] },
  found: LoopCorners,
): void {
  const made = loopAt(design, varied(decisions, variation), corner, 'bench');
  // pulses that come as the load takes them tell nothing beyond half of them
  const told = found.network ? frequencies : frequencies.filter((at, k) => k < 2 || at <= made.switches / 2);
  const values = told.map(made.gain);
  const plant = told.map(made.plant);
  const margins = withoutCrossover(decisions, marginsOf(told, values, made.gain, made.switches / 2));
  const impedance = sizeOf(made.outputImpedance);
  const outputImpedance = told.map(impedance);
  // of parts that vary the response that is drawn says enough
  const judged =
    variation === VARIATIONS[0]
      ? judgedLoop(made, told, margins).judged
      : { by: made.model, ...worstOf(margins, undefined) };
  if (variation === VARIATIONS[0]) found.assumed = made.assumed;
  found.compensator ??= curveOf(frequencies, frequencies.map(made.compensator));
  found.corners = [
    ...found.corners,
    {
      ...corner,
      ...(variation === VARIATIONS[0] ? {} : { parts: variation.name }),
      ...margins,
      conductionMode: made.ready.solved.state!.mode,
      frequency: 1 / made.ready.setup.period,
      switches: made.switches,
      model: made.model,
      loop: curveOf(told, values),
      nyquist: nearOf(values),
      plant: curveOf(told, plant),
      judged,
      impedancePeak: peakOf(told, outputImpedance, impedance),
      outputImpedance,
      audioSusceptibility: told.map((frequency): number => magnitude(made.audioSusceptibility(frequency))),
      ...(made.opened
        ? {
            opened: {
              reaches: told.map(made.opened.reaches),
              impedance: told.map(made.opened.impedance),
              audio: told.map(made.opened.audio),
            },
          }
        : {}),
    },
  ];
  if (variation === VARIATIONS[0] && found.warnings.length === 0) {
    const stepped = quantisationAt(design, decisions, corner, made, margins);
    const words = stepped && quantisationWords(stepped);
    if (words !== undefined)
      found.warnings = [
        `${formatQuantity(corner.inputVoltage, 'V')}, ${formatQuantity(corner.outputCurrent, 'A')}: ${words}`,
      ];
  }
}

const isSampled = (parts: CompensatorParts | DigitalParts): parts is DigitalParts => Array.isArray(parts['numerator']);

function responseOf(parts: CompensatorParts | DigitalParts, period: number): (frequency: number) => Complex {
  if (isSampled(parts)) return (frequency) => differenceEquation(parts, frequency * period);
  const network = new CompensatorResponse(parts, period);
  return (frequency) => network.at(frequency);
}

/**
 * The same corners with another network, or another difference equation, from the plants that are known: what a zero that is
 * dragged does, at once. The output impedances follow by what the loop was and is. A digital controller's own samples are a
 * part of its plant: what is told of it is told about, until it is let go of.
 */
export function withNetwork(found: LoopCorners, parts: CompensatorParts | DigitalParts): LoopCorners {
  const [first] = found.corners;
  if (!first) return found;
  const { frequency: frequencies } = first.loop;
  const period = 1 / first.frequency;
  const response = responseOf(parts, period);
  const network = frequencies.map(response);
  const corners = found.corners.map((corner): LoopCorner => {
    const plant = complexOf(corner.plant);
    const before = complexOf(corner.loop);
    const values = plant.map((value, k) => times(value, network[k]!));
    // what was divided by the loop that was is divided by the one that is
    const closes = values.map((value, k) => magnitude(plus([1, 0], before[k]!)) / magnitude(plus([1, 0], value)));
    const { opened } = corner;
    const closed =
      (of: readonly Opened[] | undefined) =>
      (size: number, k: number): number =>
        of && opened ? magnitude(beyondHeld(of[k]!, opened.reaches[k]!, network[k]!, values[k]!)) : size * closes[k]!;
    const gain = (at: number): Complex => times(between(frequencies, plant, at), response(at));
    const margins = marginsOf(frequencies, values, gain, corner.switches / 2);
    const outputImpedance = corner.outputImpedance.map(closed(opened?.impedance));
    const highest = Math.max(...outputImpedance);
    return {
      ...corner,
      ...margins,
      judged: { by: corner.model, ...worstOf(margins, undefined) },
      loop: curveOf(frequencies, values),
      nyquist: nearOf(values),
      outputImpedance,
      impedancePeak: { frequency: frequencies[outputImpedance.indexOf(highest)]!, value: highest },
      audioSusceptibility: corner.audioSusceptibility.map(closed(opened?.audio)),
    };
  });
  return {
    ...found,
    corners,
    ...(isSampled(parts) ? { digital: factored(parts, period) } : { network: parts }),
    compensator: curveOf(frequencies, network),
  };
}

/** Beyond it a loop gain says nothing about how near it comes to −1. */
const FAR = 6;

const nearOf = (values: readonly Complex[]): Complex[] => values.filter((value) => magnitude(value) < FAR);

function complexOf({ gain, phase }: ResponseCurve): Complex[] {
  return gain.map((decibels, k) => {
    const size = 10 ** (decibels / 20);
    const angle = (phase[k]! * Math.PI) / 180;
    return [size * Math.cos(angle), size * Math.sin(angle)];
  });
}

/** Between two of a list's frequencies: straight in the logarithms of frequency and size, and in phase. */
function between(frequencies: readonly number[], values: readonly Complex[], at: number): Complex {
  let [k, end] = [0, frequencies.length - 1];
  while (end - k > 1) {
    const middle = (k + end) >> 1;
    if (frequencies[middle]! <= at) k = middle;
    else end = middle;
  }
  const part = Math.log(at / frequencies[k]!) / Math.log(frequencies[k + 1]! / frequencies[k]!);
  const ratio = over(values[k + 1]!, values[k]!);
  const size = magnitude(ratio) ** part;
  const angle = ((degrees(ratio) * Math.PI) / 180) * part;
  return times(values[k]!, [size * Math.cos(angle), size * Math.sin(angle)]);
}

/** What a loop is held to where nothing else is said. Common practice, no source. */
const HELD_TO = { phaseMargin: 45, gainMargin: 8, crossover: 1 / 5 };
/** Distance of the loop gain to −1: a sensitivity of at most two. Source: Åström and Murray, Feedback Systems, ch. 10 (recalled from memory). */
const VECTOR_MARGIN = 0.5;

/** What the loop's quantities are explained from, at one corner; undefined where it has no loop. */
export function loopHere(design: Design, corner: Corner): LoopHere | undefined {
  const { decisions } = completeDecisions(design);
  try {
    const made = loopAt(design, decisions, corner, 'bench');
    const frequencies = withResonances(
      usualFrequencies(decisions.switchingFrequency, POINTS),
      resonancesOf(design, decisions),
    );
    const own = withoutCrossover(
      decisions,
      marginsOf(frequencies, frequencies.map(made.gain), made.gain, made.switches / 2),
    );
    const { judged, gain, margins: whole } = judgedLoop(made, frequencies, own);
    const plantOf = (at: number): Complex => over(gain(at), made.compensator(at));
    const phasesTo = (of: (frequency: number) => Complex, at: number): number =>
      unwrapped([...frequencies.filter((frequency) => frequency < at), at].map(of)).at(-1)!;
    const both = (at: number, together: number): { plant: Polar; network: Polar } => {
      const polar = (of: (frequency: number) => Complex, phase: number): Polar => ({
        decibels: 20 * Math.log10(magnitude(of(at))),
        degrees: phase,
      });
      const plant = phasesTo(plantOf, at);
      // on the branch that makes the loop's own phase of the two
      return {
        plant: polar(plantOf, plant),
        network: polar(made.compensator, nearest(degrees(made.compensator(at)), together - plant)),
      };
    };
    const thereAt = (at: number, margin: number): Pick<LoopHere, 'there'> => {
      const there = both(at, margin - 180);
      // a margin that is told from the other side of −180° is no sum of the two
      return Math.abs(180 + there.plant.degrees + there.network.degrees - margin) < 1 ? { there } : {};
    };
    const impedance = sizeOf(made.outputImpedance);
    const { frequency, value: highest } = peakOf(frequencies, frequencies.map(impedance), impedance);
    const dividedBy = magnitude(plus([1, 0], made.gain(frequency)));
    const { phaseCrossoverFrequency: reversal } = whole;
    const { crossoverFrequency: crossover, phaseMargin, gainMargin, vectorMargin, growth } = judged;
    return {
      vectorMargin: vectorMargin.distance,
      ...(growth === undefined ? {} : { growth }),
      ...(crossover === null || phaseMargin === null
        ? {}
        : { crossover, phaseMargin, ...thereAt(crossover, phaseMargin) }),
      ...(gainMargin === null || reversal === null
        ? {}
        : { gainMargin, reversal: { frequency: reversal, ...both(reversal, -180) } }),
      impedance: { frequency, open: highest * dividedBy, dividedBy },
    };
  } catch (error) {
    if (error instanceof SimulationError) return undefined;
    throw error;
  }
}

/** What a network is drawn to hold: what it is, with which decisions it moves. */
function loopDrafts(
  design: Design,
  decisions: CompleteDecisions,
  corners: readonly LoopCorner[],
): Draft<LoopCorner, LoopQuantity>[] {
  const network = decisions.control.method === 'digital' ? 'control.digital' : 'compensator';
  const levers = [network, 'outputCapacitors', 'switchingFrequency', 'control.method', 'outputFilter'];
  const { loadStep } = design.brief;
  const step = loadStep && Math.abs(loadStep.to - loadStep.from);
  const crosses = hasAmplifier(decisions.control) || decisions.control.method === 'digital';
  // pulses without a clock and without an amplifier have a crossover only where they show one
  const shows = ({ judged }: LoopCorner): boolean => crosses || judged.crossoverFrequency !== null;
  // each crossover is held to the pulses of its own corner: where they come too rarely to cross over there is none to hold
  const part = ({ judged, switches }: LoopCorner): number => (judged.crossoverFrequency ?? 0) / switches;
  const fastest = corners.reduce<LoopCorner | undefined>(
    (most, corner) => (part(corner) > (most ? part(most) : 0) ? corner : most),
    undefined,
  );
  return [
    {
      levers,
      quantity: 'loopGrowth',
      id: 'loopGrowth',
      name: 'Disturbance left after a period',
      unit: '',
      sense: 'below',
      // asked only where it does not die away: how fast it does is what the margins say
      required: corners.some(({ judged: { growth } }) => (growth ?? 0) >= 1) ? 1 : undefined,
      predict: ({ judged: { growth } }) => growth ?? 0,
    },
    {
      levers,
      quantity: 'phaseMargin',
      id: 'phaseMargin',
      name: 'Phase margin, degrees',
      unit: '',
      sense: 'above',
      required: HELD_TO.phaseMargin,
      predict: ({ judged }) => judged.phaseMargin!,
      applies: ({ judged }) => judged.phaseMargin !== null,
    },
    {
      levers,
      quantity: 'gainMargin',
      id: 'gainMargin',
      name: 'Gain margin, dB',
      unit: '',
      sense: 'above',
      required: HELD_TO.gainMargin,
      predict: ({ judged }) => judged.gainMargin!,
      applies: ({ judged }) => judged.gainMargin !== null,
    },
    {
      levers,
      quantity: 'vectorMargin',
      id: 'vectorMargin',
      name: 'Distance to −1',
      unit: '',
      sense: 'above',
      required: VECTOR_MARGIN,
      predict: ({ judged }) => judged.vectorMargin.distance,
      applies: shows,
    },
    {
      levers,
      quantity: 'loopCrossover',
      id: 'crossover',
      name: 'Crossover',
      unit: 'Hz',
      sense: 'below',
      required: HELD_TO.crossover * Math.min(decisions.switchingFrequency, fastest?.switches ?? Infinity),
      // a gain that passes one nowhere regulates nothing
      predict: ({ judged }) => judged.crossoverFrequency ?? Infinity,
      applies: (corner) => shows(corner) && (corner === fastest || corner.judged.crossoverFrequency === null),
    },
    {
      levers,
      quantity: 'closedImpedance',
      id: 'outputImpedance',
      name: 'Output impedance',
      unit: 'Ω',
      sense: 'below',
      required: loadStep?.deviation !== undefined && step ? loadStep.deviation / step : undefined,
      predict: ({ impedancePeak }) => impedancePeak.value,
      applies: ({ outputCurrent }) => metByStep(design.brief, outputCurrent),
    },
  ];
}

/** Whether a load is one that the brief's step meets: loads below its own are none. */
export const metByStep = ({ loadStep }: Brief, outputCurrent: number): boolean =>
  !loadStep || outputCurrent >= Math.min(loadStep.from, loadStep.to);

/**
 * The loop's margins and output impedance, each at its worst corner; its crossover against a fifth of the switching
 * frequency. Where a corner's loop could not be found, what would be met is open.
 */
export function loopTargets(
  design: Design,
  { corners, troubles = [] }: Pick<LoopCorners, 'corners'> & Partial<Pick<LoopCorners, 'troubles'>>,
  { decisions }: Pick<Completion, 'decisions'> = completeDecisions(design),
): Target<LoopQuantity>[] {
  const drafts = loopDrafts(design, decisions, corners);
  const lost = troubles.find(({ none }) => !none);
  const why =
    lost &&
    `${formatQuantity(lost.at.inputVoltage, 'V')}, ${formatQuantity(lost.at.outputCurrent, 'A')}: ${lost.message}`;
  if (corners.length === 0 && why !== undefined) return openTargets(design, drafts, why);
  return assessTargets(design, why === undefined ? drafts : drafts.map((draft) => ({ ...draft, lacks: why })), corners);
}

/** The same before any corner has been asked. */
export function openLoopTargets(design: Design, decisions: CompleteDecisions, why: string): Target<LoopQuantity>[] {
  return openTargets(design, loopDrafts(design, decisions, []), why);
}

/** What a loop says that no margin does, in words: where its gain falls below one and rises again. */
export function loopWarnings(corners: readonly LoopCorner[]): string[] {
  const several = corners.filter(({ crossings }) => crossings.length > 1);
  if (several.length === 0) return [];
  const most = several.reduce((a, b) => (b.crossings.length > a.crossings.length ? b : a));
  const at = most.crossings.map(({ frequency }) => formatQuantity(frequency, 'Hz')).join(', ');
  return [
    `The loop’s gain passes one ${most.crossings.length} times at ${formatQuantity(most.inputVoltage, 'V')}, ${formatQuantity(most.outputCurrent, 'A')}: at ${at}. Between them it is below one, and holds nothing; the worst of the crossings is judged.`,
  ];
}

/** Hz at which what stores energy beside the loop rings: a second section with the banks about it, a source with the input bank. */
function resonancesOf(
  { brief }: Design,
  { outputFilter, outputCapacitors, inputCapacitors }: CompleteDecisions,
): number[] {
  const whole = (banks: CompleteDecisions['outputCapacitors']): number =>
    banks.reduce((sum, { capacitance, count }) => sum + capacitance * count, 0);
  const ring = (inductance: number, capacitance: number): number =>
    1 / (2 * Math.PI * Math.sqrt(inductance * capacitance));
  const found: number[] = [];
  if (outputFilter) {
    const [before, behind] = [whole(outputCapacitors), whole(outputFilter.capacitors)];
    found.push(
      ring(outputFilter.inductance, behind),
      ring(outputFilter.inductance, (before * behind) / (before + behind)),
    );
  }
  if (brief.sourceInductance) found.push(ring(brief.sourceInductance, whole(inputCapacitors)));
  return found.filter((at) => Number.isFinite(at));
}

/** Where most of what moves at the input comes through to the output. */
export function worstThrough(
  corners: readonly LoopCorner[],
): { corner: LoopCorner; frequency: number; size: number } | undefined {
  let worst: { corner: LoopCorner; frequency: number; size: number } | undefined;
  for (const corner of corners)
    corner.audioSusceptibility.forEach((size, k) => {
      if (size > (worst?.size ?? 0)) worst = { corner, frequency: corner.loop.frequency[k]!, size };
    });
  return worst;
}
