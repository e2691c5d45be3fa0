import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { degrees, magnitude, type Complex } from '../numbers/complex.ts';
import { preferredNearest } from '../quantity/preferred.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { hasAmplifier } from '../control/compensator.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { loopCorners } from './corners.ts';
import { loopAt } from './loop.ts';

/*
 * The k-factor: zeros and poles as far apart, on either side of the crossover, as the phase that is wanted there needs.
 * Source: Venable, "The k factor: a new mathematical tool for stability analysis and synthesis", 1983; recalled from
 * memory.
 */

/** Where to cross over (Hz) with which margin (degrees). */
export interface Wanted {
  crossover: number;
  phaseMargin: number;
}

export interface Placed {
  compensator: CompensatorParts;
  /** degrees that the network adds at the crossover, and how far apart zeros and poles then stand */
  boost: number;
  k: number;
  /** the corner that it was placed at: where the loop's gain is highest */
  at: Corner;
}

/** Degrees that each type adds at most in practice; beyond, resistors and capacitors lie too far apart. */
const MOST_BOOST = { 2: 80, 3: 160 } as const;

/** How far apart zeros and poles stand for a boost in degrees. */
export function kFactor(type: 1 | 2 | 3, boost: number): number {
  const radians = (angle: number): number => (angle * Math.PI) / 180;
  if (type === 1) return 1;
  return type === 2 ? Math.tan(radians(boost / 2 + 45)) : Math.tan(radians(boost / 4 + 45)) ** 2;
}

/**
 * The network's parts for a plant at the crossover.
 * @param plant from control voltage to output there
 * @param series whether parts are taken from E24 (resistors) and E12 (capacitors)
 * @throws SimulationError where no network adds what is missing
 */
export function placeAt(
  plant: Complex,
  { crossover, phaseMargin }: Wanted,
  given: Pick<CompensatorParts, 'amplifier' | 'transconductance' | 'dividerTop' | 'dividerBottom'>,
  series = true,
): Omit<Placed, 'at'> {
  // a plant begins at no phase and lags: what reads as far ahead is further behind
  const read = degrees(plant);
  const turned = phaseMargin - (read > 90 ? read - 360 : read) - 90;
  const ota = given.amplifier === 'ota';
  const most = ota ? MOST_BOOST[2] : MOST_BOOST[3];
  if (turned > most)
    throw new SimulationError(
      `${phaseMargin}° there needs ${turned.toFixed(0)}° from the network, expected at most ${most}°: a lower crossover, or another controller, leaves more.`,
      'crossover',
    );
  const type = turned <= 0 ? 1 : ota || turned <= MOST_BOOST[2] ? 2 : 3;
  const k = kFactor(type, Math.max(0, turned));
  const top = given.dividerTop ?? 10e3;
  const bottom = given.dividerBottom ?? Infinity;
  // what an ohm of the network's impedance turns a volt of the output into
  const share = bottom === Infinity ? 1 : bottom / (top + bottom);
  const admittance = ota ? (given.transconductance ?? 1e-3) * share : 1 / top;
  const speed = 2 * Math.PI * crossover;
  const gain = 1 / magnitude(plant);
  const resistor = (value: number): number => (series ? preferredNearest(value, 'E24') : value);
  const capacitor = (value: number): number => (series ? preferredNearest(value, 'E12') : value);
  const base = { ...given, dividerTop: top, type } as const;
  if (type === 1)
    return { boost: turned, k, compensator: { ...base, feedbackCapacitor: capacitor(admittance / (speed * gain)) } };
  const shunt = type === 2 ? admittance / (speed * gain * k) : admittance / (speed * gain);
  const own = shunt * (type === 2 ? k * k - 1 : k - 1);
  const feedbackResistor = (type === 2 ? k : Math.sqrt(k)) / (speed * own);
  const parts: CompensatorParts = {
    ...base,
    feedbackResistor: resistor(feedbackResistor),
    feedbackCapacitor: capacitor(own),
    shuntCapacitor: capacitor(shunt),
  };
  if (type === 2) return { boost: turned, k, compensator: parts };
  const inputResistor = top / (k - 1);
  return {
    boost: turned,
    k,
    compensator: {
      ...parts,
      inputResistor: resistor(inputResistor),
      inputCapacitor: capacitor(1 / (speed * inputResistor * Math.sqrt(k))),
    },
  };
}

/**
 * The corner whose plant is highest at a wanted crossover, so that no corner crosses over above it, and what was found there.
 * @throws SimulationError in words where what is wanted cannot be, or no corner has a loop
 */
export function whereHighest(design: Design, wanted: Wanted) {
  const { decisions } = completeDecisions(design);
  const { switchingFrequency } = decisions;
  if (!(wanted.crossover > 0 && wanted.crossover < switchingFrequency / 2))
    throw new SimulationError(
      `${wanted.crossover} Hz, expected above 0 and below half the switching frequency.`,
      'crossover',
    );
  if (!(wanted.phaseMargin > 0 && wanted.phaseMargin < 90))
    throw new SimulationError(`${wanted.phaseMargin}°, expected above 0 and below 90°.`, 'phaseMargin');
  const going = loopCorners(design);
  let step = going.next();
  while (!step.done) step = going.next();
  const { corners, network } = step.value;
  const [first, ...rest] = corners;
  if (!first) throw new SimulationError('No corner of the design has a loop to place a network for.');
  const gainAt = ({ plant }: (typeof corners)[number]): number => {
    const at = plant.frequency.findIndex((frequency) => frequency >= wanted.crossover);
    return plant.gain[at < 0 ? plant.gain.length - 1 : at]!;
  };
  const highest = rest.reduce((most, corner) => (gainAt(corner) > gainAt(most) ? corner : most), first);
  const { inputVoltage, outputCurrent } = highest;
  const at = { inputVoltage, outputCurrent };
  return { decisions, network, at };
}

/**
 * Places the network of a design at the corner whose loop crosses over highest.
 * @throws SimulationError in words where the controller has no network, or none reaches the margin
 */
export function placeNetwork(design: Design, wanted: Wanted): Placed {
  const { decisions, network, at } = whereHighest(design, wanted);
  if (!network) throw new SimulationError('This controller has no amplifier network to place.');
  const { amplifier = 'op-amp', transconductance, dividerTop, dividerBottom } = network;
  const placed = placeAt(loopAt(design, decisions, at).plant(wanted.crossover), wanted, {
    amplifier,
    ...(transconductance === undefined ? {} : { transconductance }),
    ...(dividerTop === undefined ? {} : { dividerTop }),
    ...(dividerBottom === undefined ? {} : { dividerBottom }),
  });
  return { ...placed, at };
}

/**
 * Zeros and poles on the plant's own features (the filter's resonance, its ESR, half the frequency), for a crossover at the
 * input of the highest gain.
 * @throws SimulationError in words where the controller has no network
 */
export function placeOnFeatures(design: Design, crossover: number): CompensatorParts {
  const { decisions } = design;
  const { amplifier, transconductance, dividerTop, dividerBottom } = decisions.compensator ?? {};
  const kept = Object.fromEntries(
    Object.entries({ amplifier, transconductance, dividerTop, dividerBottom }).filter(
      ([, value]) => value !== undefined,
    ),
  );
  const open: Design = { ...design, decisions: { ...decisions, compensator: kept } };
  const { switchingFrequency, compensator, control } = completeDecisions(open, { crossover }).decisions;
  if (!hasAmplifier(control)) throw new SimulationError('This controller has no amplifier network to place.');
  if (!(crossover > 0 && crossover < switchingFrequency / 2))
    throw new SimulationError(`${crossover} Hz, expected above 0 and below half the switching frequency.`, 'crossover');
  return compensator!;
}
