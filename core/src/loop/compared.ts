import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { simulate } from '../simulation/simulate.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { usualSlew } from '../estimates/loadStep.ts';
import { hasAmplifier } from '../control/compensator.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { curveOf, loopAt, usualFrequencies, type ResponseCurve } from './loop.ts';
import { marginsOf, type Margins } from './margins.ts';

/*
 * The same stage with the same network in two ways of running it, side by side: what a ramp that follows the input does to
 * the crossover over the line, and what discontinuous conduction does to the loop at light load.
 */

/** What is set against what. */
const COMPARISONS = {
  ramp: ['fixed ramp', 'feedforward'],
  conduction: ['discontinuous', 'forced continuous'],
} as const;
export type ComparisonOf = keyof typeof COMPARISONS;

/** One of the two at one corner. */
export interface ComparedCorner extends Corner, Margins {
  /** which of the two */
  way: 0 | 1;
  conductionMode: string;
  loop: ResponseCurve;
  /** s and V from the average before, of the brief's load step; absent where it cannot be simulated */
  step?: { time: number[]; voltage: number[]; undershoot: number; overshoot: number };
}

export interface Comparison {
  of: ComparisonOf;
  names: readonly [string, string];
  /** by way, then by corner */
  corners: ComparedCorner[];
  /** how far each crossover lies apart over the corners, highest over lowest */
  drift: readonly [number | undefined, number | undefined];
  /** why a corner has no loop, or no step */
  troubles: string[];
}

const POINTS = 161;
/** How long a step is looked at: times the slowest crossover’s own period, and switching periods at least. */
const ANSWERS = 4;
const LEAST_PERIODS = 30;

/**
 * Two ways of running a stage, with the network and all parts of the design as it stands.
 * @throws SimulationError in words where the design has no second way
 */
export function compareLoops(design: Design, of: ComparisonOf): Comparison {
  const { brief } = design;
  const { inputVoltage, outputCurrent } = brief;
  const corners: Corner[] =
    of === 'ramp'
      ? [...new Set([inputVoltage.min, inputVoltage.nominal, inputVoltage.max])].map((volts) => ({
          inputVoltage: volts,
          outputCurrent: outputCurrent.max,
        }))
      : [{ inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.min }];
  const found: ComparedCorner[] = [];
  const troubles: string[] = [];
  const ways = waysOf(design, of);
  const each = (way: 0 | 1, corner: Corner, make: () => void): void => {
    try {
      make();
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      troubles.push(`${COMPARISONS[of][way]} at ${formatQuantity(corner.inputVoltage, 'V')}: ${error.message}`);
    }
  };
  for (const way of [0, 1] as const)
    for (const corner of corners) each(way, corner, () => found.push({ ...loopOf(ways[way], corner), way }));
  // all steps as long as the slowest loop takes to answer
  const slowest = Math.min(...found.map(({ crossoverFrequency: f }) => f ?? Infinity));
  for (const corner of found)
    each(corner.way, corner, () => {
      corner.step = stepOf(ways[corner.way], corner, of, ANSWERS / slowest);
    });
  const drift = ([0, 1] as const).map((way) => {
    const at = found.flatMap(({ way: own, crossoverFrequency: f }) => (own === way && f !== null ? [f] : []));
    return at.length > 0 ? Math.max(...at) / Math.min(...at) : undefined;
  });
  return { of, names: COMPARISONS[of], corners: found, drift: [drift[0], drift[1]], troubles };
}

/** The design with everything decided, in both ways. */
function waysOf(design: Design, of: ComparisonOf): [Design, Design] {
  const { decisions } = completeDecisions(design);
  const { control } = decisions;
  if (of === 'ramp') {
    const byRamp = control.method === 'voltage-mode' || control.method === 'voltage-mode-feedforward';
    if (!byRamp || !hasAmplifier(control))
      throw new SimulationError('Only voltage mode has a ramp that the input can bend.');
    const nominal = design.brief.inputVoltage.nominal;
    const amplitude = control.rampAmplitude ?? (control.rampGain ?? 1) * nominal;
    const gain = control.method === 'voltage-mode' ? amplitude / nominal : (control.rampGain ?? amplitude / nominal);
    const { rampAmplitude: _, rampGain: __, ...rest } = control;
    return [
      {
        ...design,
        decisions: { ...decisions, control: { ...rest, method: 'voltage-mode', rampAmplitude: gain * nominal } },
      },
      {
        ...design,
        decisions: { ...decisions, control: { ...rest, method: 'voltage-mode-feedforward', rampGain: gain } },
      },
    ];
  }
  if (decisions.conduction === 'critical')
    throw new SimulationError('A stage at the boundary of conduction has no other way at light load.');
  const { rectifier, boostLeg, phases } = decisions;
  const full = design.brief.outputCurrent.max / phases;
  return [
    {
      ...design,
      decisions: {
        ...decisions,
        lightLoad: 'diode-emulation',
      },
    },
    {
      ...design,
      decisions: {
        ...decisions,
        lightLoad: 'forced-pwm',
        rectifier: carryingBack(rectifier, full),
        ...(boostLeg?.rectifier && { boostLeg: { ...boostLeg, rectifier: carryingBack(boostLeg.rectifier, full) } }),
      },
    },
  ];
}

/** A diode cannot carry current back: what could is a switch of the same loss at a phase's full load, A. */
function carryingBack(rectifier: CompleteDecisions['rectifier'], full: number): CompleteDecisions['rectifier'] {
  if (rectifier.kind !== 'diode') return rectifier;
  return {
    kind: 'synchronous',
    count: 1,
    onResistance: (rectifier.resistance ?? 0) / (rectifier.count ?? 1) + (rectifier.forwardVoltage ?? 0) / full,
  };
}

function loopOf(design: Design, corner: Corner): Omit<ComparedCorner, 'way'> {
  const { decisions } = completeDecisions(design);
  const frequencies = usualFrequencies(decisions.switchingFrequency, POINTS);
  const made = loopAt(design, decisions, corner);
  const values = frequencies.map(made.gain);
  return {
    ...corner,
    ...marginsOf(frequencies, values, made.gain, made.switches / 2),
    conductionMode: made.ready.solved.state!.mode,
    loop: curveOf(frequencies, values),
  };
}

/** From the lightest load to half of it and more where light load is looked at, the brief's own step else. */
function stepOf(design: Design, corner: Corner, of: ComparisonOf, long: number): NonNullable<ComparedCorner['step']> {
  const { brief } = design;
  const { min, max } = brief.outputCurrent;
  const loadStep = brief.loadStep ?? { from: max / 2, to: max, slewRate: usualSlew(max) };
  const stepped: Design =
    of === 'ramp'
      ? design
      : { ...design, brief: { ...brief, loadStep: { ...loadStep, from: min, to: (min + max) / 2 } } };
  const { waveforms, measurements } = simulate(stepped, {
    scenario: 'load-step',
    at: { inputVoltage: corner.inputVoltage },
    assume: true,
    duration: Math.max(long, LEAST_PERIODS / completeDecisions(design).decisions.switchingFrequency),
  });
  const { undershoot = 0, overshoot = 0, outputVoltage } = measurements;
  const before = undershoot > overshoot ? outputVoltage.min + undershoot : outputVoltage.max - overshoot;
  return {
    time: waveforms!.time,
    voltage: waveforms!.outputVoltage.map((volts) => volts - before),
    undershoot,
    overshoot,
  };
}
