import { cornersOf, type Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { magnitude, over, plus, times, type Complex } from '../numbers/complex.ts';
import { preferredMoved, type Series } from '../quantity/preferred.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { hasAmplifier } from '../control/compensator.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { CompensatorResponse } from './compensator.ts';
import { loopAt, SKIPPED, skipsPulses, usualFrequencies } from './loop.ts';
import { marginsOf, type Margins } from './margins.ts';
import { stepWeights } from './predicted.ts';
import { spreadCorners, varied } from './spread.ts';

/*
 * The network that is best by a stated objective while its margins hold at every corner of line, load and parts. Its parts
 * are searched among those that are made, together: what one is rounded to, the others answer.
 */

export type Objective = 'bandwidth' | 'impedance' | 'step';

/** What holds at every corner: degrees, dB, and the crossover over the switching frequency at most. */
export interface Held {
  phaseMargin: number;
  gainMargin: number;
  crossover: number;
}

/** Common practice, no source. */
export const USUALLY_HELD: Held = { phaseMargin: 50, gainMargin: 10, crossover: 1 / 5 };

export interface OptimisedCorner extends Corner, Margins {
  /** how its parts lie */
  parts: string;
}

export interface Optimised {
  compensator: CompensatorParts;
  objective: Objective;
  /** Hz, Ω or V: what the objective is at its worst corner, of the network that was there and of this one, where this one holds */
  before: number;
  value: number;
  /** whether every corner holds its margins, before and now */
  heldBefore: boolean;
  holds: boolean;
  corners: OptimisedCorner[];
  /** corners that have no loop to hold, and why */
  without: { corner: Corner; parts: string; message: string }[];
  /** networks that were asked */
  tried: number;
}

/** One corner's functions over the search's frequencies. */
interface Known {
  corner: Corner;
  parts: string;
  plant: Complex[];
  flatPlant: Flat;
  /** Ω of the output with the loop open */
  open: Complex[];
  plantAt: (frequency: number) => Complex;
}

/** Frequencies that the search looks at: gain and phase are told between them by straight lines in logarithms. */
const POINTS = 90;
/** Steps in their series by which parts are moved, the widest first: a decade, and at last to the next one. */
const STRIDES = [
  { capacitor: 12, resistor: 96 },
  { capacitor: 6, resistor: 48 },
  { capacitor: 3, resistor: 24 },
  { capacitor: 1, resistor: 8 },
  { capacitor: 1, resistor: 3 },
  { capacitor: 1, resistor: 1 },
];
/** What is fitted: Ω and F. Common practice, no source: below ten picofarads the board decides, above a megohm leakage. */
const FITTED = { resistor: [47, 1e6], capacitor: [10e-12, 10e-6] } as const;
/** Poles over the switching frequency at most, so that its ripple stays off the comparator; a zero below the slowest crossover at most. Our own. */
const HIGHEST_POLE = 0.75;
const LOWEST_ZERO = 1 / 100;
/** Times at which a predicted step is looked at, in switching periods. */
const TIMES = Array.from({ length: 18 }, (_, k) => 0.4 * 1.42 ** k);
/** Times the feedback capacitor's value that a search begins from: what is best with one lies apart from what is best with another. */
const STARTS = [1, 0.1, 0.3];
const PASSES = 3;

type Part = 'feedbackResistor' | 'feedbackCapacitor' | 'shuntCapacitor' | 'inputResistor' | 'inputCapacitor';
const PARTS_OF: Record<1 | 2 | 3, readonly Part[]> = {
  1: ['feedbackCapacitor'],
  2: ['feedbackResistor', 'feedbackCapacitor', 'shuntCapacitor'],
  3: ['feedbackResistor', 'feedbackCapacitor', 'shuntCapacitor', 'inputResistor', 'inputCapacitor'],
};
const kindOf = (part: Part): 'capacitor' | 'resistor' => (part.endsWith('Capacitor') ? 'capacitor' : 'resistor');
const seriesOf = (part: Part): Series => (kindOf(part) === 'capacitor' ? 'E12' : 'E96');
const fitted = (part: Part, value: number): boolean => {
  const [least, most] = FITTED[kindOf(part)];
  return value >= least && value <= most;
};

/** Hz, the lowest zero and the highest pole of a network; nothing bounds what has none. */
function ends({
  type = 1,
  feedbackResistor,
  feedbackCapacitor,
  shuntCapacitor,
  inputResistor,
  inputCapacitor,
}: CompensatorParts): [zero: number, pole: number] {
  const corner = (ohms = 0, farads = 0): number => 1 / (2 * Math.PI * ohms * farads);
  if (type === 1) return [Infinity, 0];
  const lead = type === 3 ? corner(inputResistor, inputCapacitor) : 0;
  return [corner(feedbackResistor, feedbackCapacitor), Math.max(corner(feedbackResistor, shuntCapacitor), lead)];
}

/** Hz at which the stage switches, at its slowest corner: in critical conduction not the clock's. */
function slowestClock(design: Design, decisions: CompleteDecisions): number {
  const clock = decisions.switchingFrequency;
  if (decisions.conduction !== 'critical') return clock;
  const each = cornersOf(design).map((corner) => {
    try {
      return loopAt(design, decisions, corner).switches;
    } catch (error) {
      if (error instanceof SimulationError) return clock;
      throw error;
    }
  });
  return Math.min(clock, ...each);
}

/**
 * @throws SimulationError in words where the controller has no network, or no corner a loop
 */
export function* optimiseNetwork(
  design: Design,
  objective: Objective,
  held: Held = USUALLY_HELD,
): Generator<{ part: number; soFar: Optimised | undefined }, Optimised> {
  const { decisions } = completeDecisions(design);
  if (!hasAmplifier(decisions.control)) throw new SimulationError('This controller has no amplifier network to place.');
  const frequency = slowestClock(design, decisions);
  const frequencies = usualFrequencies(frequency, POINTS).filter((at) => at > 1e-4 * frequency);
  const known: Known[] = [];
  const without: Optimised['without'] = [];
  const list = spreadCorners(design);
  for (const [k, { corner, variation }] of list.entries()) {
    try {
      const made = loopAt(design, varied(decisions, variation), corner);
      if (skipsPulses(made.ready)) throw new SimulationError(SKIPPED);
      const closed = frequencies.map(made.outputImpedance);
      const plant = frequencies.map(made.plant);
      const network = frequencies.map(made.compensator);
      const open = closed.map((value, at) => times(value, plus([1, 0], times(plant[at]!, network[at]!))));
      known.push({ corner, parts: variation.name, plant, flatPlant: flat(plant), open, plantAt: made.plant });
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      without.push({ corner, parts: variation.name, message: error.message });
    }
    yield { part: (0.8 * (k + 1)) / list.length, soFar: undefined };
  }
  if (known.length === 0) throw new SimulationError('No corner of the design has a loop to place a network for.');
  const period = 1 / frequency;
  const step = design.brief.loadStep;
  const amperes = step ? Math.abs(step.to - step.from) : design.brief.outputCurrent.max / 2;
  const weights = stepWeights(
    frequencies,
    TIMES.map((time) => time * period),
  );
  // the corner that ruled a network out last is likely to rule out the next: it is asked first
  const hardestFirst = known.slice();
  const judge: Judge = (parts, bar) => {
    const [zero, pole] = ends(parts);
    let lacking = Math.max(0, Math.log2(pole / (HIGHEST_POLE * frequency)));
    if (bar && lacking > 0 && UNHELD + lacking >= bar.score) return worse(UNHELD + lacking);
    const response = new CompensatorResponse(parts, period);
    const answered = frequencies.map((at) => response.at(at));
    const network = flat(answered);
    let slowest = Infinity;
    for (const [place, one] of hardestFirst.entries()) {
      const plant = one.flatPlant;
      const sizeAt = (k: number): number =>
        magnitude([plant.re[k]!, plant.im[k]!]) * magnitude([network.re[k]!, network.im[k]!]);
      // a loop that never falls through one, or never stands above it, is none
      if (sizeAt(frequencies.length - 1) >= 1 || sizeAt(0) < 1) lacking += 20;
      const { crossover, phaseMargin, gainMargin } = roughMargins(frequencies, plant, network);
      slowest = Math.min(slowest, crossover);
      lacking +=
        Math.max(0, held.phaseMargin - phaseMargin) / 10 +
        Math.max(0, held.gainMargin - gainMargin) / 2 +
        Math.max(0, Math.log2(crossover / (held.crossover * frequency))) * 4;
      const least = lacking > 0 ? UNHELD + lacking : objective === 'bandwidth' ? bandwidthScore(slowest) : -Infinity;
      if (bar && least >= bar.score) {
        hardestFirst.splice(place, 1);
        hardestFirst.unshift(one);
        return worse(least);
      }
    }
    lacking += Math.max(0, Math.log2((LOWEST_ZERO * slowest) / zero));
    const holds = lacking === 0;
    if (lacking > 0 && bar) return { score: UNHELD + lacking, value: Infinity, holds };
    if (objective === 'bandwidth')
      return { score: lacking > 0 ? UNHELD + lacking : bandwidthScore(slowest), value: slowest, holds };
    const worst = Math.max(
      ...known.map(({ open, plant }) => {
        const closed = open.map((value, at) => over(value, plus([1, 0], times(plant[at]!, answered[at]!))));
        if (objective === 'impedance') return Math.max(...closed.map(magnitude));
        let worstDip = 0;
        for (const row of weights) {
          let dip = 0;
          for (let at = 0; at < row.length; at += 1) dip += row[at]! * closed[at]![0];
          if (dip > worstDip) worstDip = dip;
        }
        return amperes * worstDip;
      }),
    );
    return { score: lacking > 0 ? UNHELD + lacking : Math.log(worst), value: worst, holds };
  };
  const start = decisions.compensator!;
  const type = start.type ?? 1;
  const free = PARTS_OF[type].filter((part) => start[part] !== undefined);
  const { once, asked } = remembered(judge, free);
  const first = once(start);
  let best: Judged & { parts: CompensatorParts } = { parts: start, ...first };
  // what is found must not hang on what was there: the rules' own network is begun from as well
  const begins = [start, ruledNetwork(design, start)].flatMap((from) =>
    from ? STARTS.map((factor) => withCapacitor(from, factor)) : [],
  );
  for (const [k, begin] of begins.entries()) {
    const found = descend(begin, free, once);
    if (found.score < best.score) best = found;
    yield { part: 0.8 + (0.2 * (k + 1)) / begins.length, soFar: undefined };
  }
  const response = new CompensatorResponse(best.parts, period);
  const fine = usualFrequencies(frequency, 2 * POINTS);
  const corners = known.map(({ corner, parts, plantAt }): OptimisedCorner => {
    const gain = (at: number): Complex => times(plantAt(at), response.at(at));
    return { ...corner, parts, ...marginsOf(fine, fine.map(gain), gain) };
  });
  return {
    compensator: best.parts,
    objective,
    before: first.value,
    value: best.value,
    heldBefore: first.holds,
    holds: best.holds,
    corners,
    without,
    tried: asked(),
  };
}

function withCapacitor(network: CompensatorParts, factor: number): CompensatorParts {
  const { feedbackCapacitor } = network;
  return feedbackCapacitor === undefined
    ? network
    : { ...network, feedbackCapacitor: preferredMoved(feedbackCapacitor * factor, 'E12', 0) };
}

/** The network that the rules decide of the same type and round the same divider; undefined where the design holds none of its own. */
function ruledNetwork(design: Design, start: CompensatorParts): CompensatorParts | undefined {
  const { compensator: own } = design.decisions;
  if (!own || !PARTS_OF[start.type ?? 1].some((part) => own[part] !== undefined)) return undefined;
  const rest = Object.fromEntries(Object.entries(own).filter(([key]) => !PARTS_OF[3].some((part) => part === key)));
  const { decisions } = completeDecisions({ ...design, decisions: { ...design.decisions, compensator: rest } });
  return decisions.compensator?.type === start.type ? decisions.compensator : undefined;
}

interface Judged {
  score: number;
  value: number;
  holds: boolean;
  /** whether the score is only a lower bound */
  atLeast?: boolean;
}

/** @param bar what is to be bettered: a network that cannot is not judged to its end; every corner's when absent */
type Judge = (parts: CompensatorParts, bar?: Judged) => Judged;

/** Score from which margins are lacking, by how much; above that of any network that holds them. */
const UNHELD = 1e6;
/** What is known of a network that cannot better its bar: no better than this. */
const worse = (least: number): Judged => ({ score: least, value: Infinity, holds: false, atLeast: true });
const bandwidthScore = (slowest: number): number => 1e3 - Math.log(slowest);

/** A judge that is asked of each network once: a descent comes by the same ones from many sides. */
function remembered(judge: Judge, free: readonly Part[]): { once: Judge; asked: () => number } {
  const known = new Map<string, Judged>();
  return {
    asked: () => known.size,
    once: (parts, bar) => {
      const key = free.map((part) => parts[part]).join();
      const before = known.get(key);
      if (before && !(before.atLeast && (!bar || before.score < bar.score))) return before;
      const found = judge(parts, bar);
      known.set(key, found);
      return found;
    },
  };
}

/** Moves parts, the widest steps first, as long as that makes the network better. */
function descend(start: CompensatorParts, free: readonly Part[], judge: Judge): Judged & { parts: CompensatorParts } {
  let best = { parts: start, ...judge(start) };
  const moves = movesOf(free);
  // again from the widest while that finds more: a narrow step opens what a wide one could not pass
  for (let pass = 0, last = Infinity; pass < PASSES && best.score < last - 1e-6; pass += 1) {
    last = best.score;
    for (const stride of STRIDES)
      for (let improved = true; improved;) {
        improved = false;
        for (const move of moves) {
          const next = { ...best.parts };
          for (const { part, by } of move)
            next[part] = preferredMoved(next[part]!, seriesOf(part), stride[kindOf(part)] * by);
          if (!free.every((part) => fitted(part, next[part]!))) continue;
          const found = judge(next, best);
          if (found.score >= best.score - 1e-9) continue;
          best = { parts: next, ...found };
          improved = true;
        }
      }
  }
  return best;
}

/** Each part by itself, and two that hold a corner or the gain between them. */
function movesOf(parts: readonly Part[]): { part: Part; by: 1 | -1 }[][] {
  const alone = parts.flatMap((part) => ([1, -1] as const).map((by) => [{ part, by }]));
  const pairs = parts.flatMap((one, k) =>
    parts.slice(k + 1).flatMap((other) =>
      (
        [
          [1, -1],
          [-1, 1],
          [1, 1],
          [-1, -1],
        ] as const
      ).map(([a, b]) => [
        { part: one, by: a },
        { part: other, by: b },
      ]),
    ),
  );
  // the gain alone, zeros and poles where they are; and all of them, the gain where it is
  const scaled: Partial<Record<Part, 1 | -1>>[] = [
    { feedbackResistor: 1, feedbackCapacitor: -1, shuntCapacitor: -1 },
    { feedbackCapacitor: 1, shuntCapacitor: 1 },
    { feedbackCapacitor: 1, shuntCapacitor: 1, inputCapacitor: 1 },
    { feedbackResistor: 1, feedbackCapacitor: -1, shuntCapacitor: -1, inputCapacitor: -1 },
  ];
  const together = scaled.flatMap((by) =>
    ([1, -1] as const).map((way) =>
      parts.flatMap((part) => (by[part] === undefined ? [] : [{ part, by: (by[part] * way) as 1 | -1 }])),
    ),
  );
  return [...alone, ...pairs, ...together];
}

/**
 * Margins by straight lines between the search's frequencies. The phase is told by which way the negative real axis is
 * crossed; a phase that never turns over has a wide gain margin, and one that turns over and back above one holds by as much.
 */
function roughMargins(
  frequencies: readonly number[],
  plant: Flat,
  network: Flat,
): { crossover: number; phaseMargin: number; gainMargin: number } {
  let crossover = frequencies[0]!;
  let phaseMargin = 180;
  let gainMargin = 100;
  let turns = 0;
  let re = plant.re[0]! * network.re[0]! - plant.im[0]! * network.im[0]!;
  let im = plant.re[0]! * network.im[0]! + plant.im[0]! * network.re[0]!;
  let size = re * re + im * im;
  for (let k = 1; k < frequencies.length; k += 1) {
    const [a, b, c, d] = [plant.re[k]!, plant.im[k]!, network.re[k]!, network.im[k]!];
    const nextRe = a * c - b * d;
    const nextIm = a * d + b * c;
    const next = nextRe * nextRe + nextIm * nextIm;
    if (size >= 1 && next < 1) {
      const part = Math.log(size) / Math.log(size / next);
      crossover = frequencies[k - 1]! * (frequencies[k]! / frequencies[k - 1]!) ** part;
      const before = Math.atan2(im, re);
      let phase = Math.atan2(nextIm, nextRe);
      phase += TURN * Math.round((before - phase) / TURN);
      phaseMargin = ((before + (phase - before) * part) * 360) / TURN + 180 + 360 * turns;
    }
    if (im > 0 !== nextIm > 0) {
      const part = im / (im - nextIm);
      const at = re + (nextRe - re) * part;
      if (at < 0) {
        turns += nextIm > 0 ? -1 : 1;
        gainMargin = Math.min(gainMargin, Math.abs(20 * Math.log10(-at)));
      }
    }
    re = nextRe;
    im = nextIm;
    size = next;
  }
  return { crossover, phaseMargin, gainMargin };
}

const TURN = 2 * Math.PI;

/** Complex numbers side by side: the search multiplies millions of them. */
interface Flat {
  re: number[];
  im: number[];
}

const flat = (values: readonly Complex[]): Flat => ({
  re: values.map(([re]) => re),
  im: values.map(([, im]) => im),
});
