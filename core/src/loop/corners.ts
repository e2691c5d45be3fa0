import { cornersOf, type Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { magnitude } from '../numbers/complex.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';
import { SimulationError } from '../simulation/law.ts';
import { hasAmplifier } from '../stage/sizing/compensator.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { StepQuantity } from '../step/quantities.ts';
import { assessTargets, type Target } from '../verdict/target.ts';
import { curveOf, loopAt, usualFrequencies, type ResponseCurve } from './loop.ts';
import { marginsOf, type Margins } from './margins.ts';

/** The loop at one corner, over frequency. */
export interface LoopCorner extends Corner, Margins {
  conductionMode: string;
  /** Hz, at which it switches there */
  frequency: number;
  model: 'averaged' | 'exact';
  loop: ResponseCurve;
  plant: ResponseCurve;
  /** Ω at the loop's frequencies, closed */
  outputImpedance: number[];
}

/** Every corner's loop, and the network that closes it. */
export interface LoopCorners {
  corners: LoopCorner[];
  compensator: ResponseCurve | undefined;
  /** the amplifier's network by its parts; undefined where the controller has none */
  network: CompensatorParts | undefined;
  /** what was taken where the design says nothing */
  assumed: string[];
  /** why a corner has no loop */
  troubles: { at: Corner; message: string }[];
}

/** Points of each curve: gain and phase are smooth between them, margins are found on the functions themselves. */
const POINTS = 161;

/** Corner by corner, as they are found. */
export function* loopCorners(design: Design): Generator<{ part: number; soFar: LoopCorners }, LoopCorners> {
  const { decisions } = completeDecisions(design);
  const found: LoopCorners = { corners: [], compensator: undefined, network: undefined, assumed: [], troubles: [] };
  const list = cornersOf(design);
  const frequencies = usualFrequencies(decisions.switchingFrequency, POINTS);
  if (hasAmplifier(decisions.control)) found.network = decisions.compensator;
  for (const [k, corner] of list.entries()) {
    try {
      const made = loopAt(design, decisions, corner);
      const values = frequencies.map(made.gain);
      const plant = frequencies.map(made.plant);
      found.assumed = made.assumed;
      found.compensator ??= curveOf(frequencies, frequencies.map(made.compensator));
      found.corners = [
        ...found.corners,
        {
          ...corner,
          ...marginsOf(frequencies, values, made.gain),
          conductionMode: made.ready.solved.state!.mode,
          frequency: 1 / made.ready.setup.period,
          model: made.model,
          loop: curveOf(frequencies, values),
          plant: curveOf(frequencies, plant),
          outputImpedance: frequencies.map((frequency): number => magnitude(made.outputImpedance(frequency))),
        },
      ];
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      found.troubles = [...found.troubles, { at: corner, message: error.message }];
    }
    yield { part: (k + 1) / list.length, soFar: { ...found } };
  }
  return found;
}

/** What a loop is held to where nothing else is said. Common practice, no source. */
const HELD_TO = { phaseMargin: 45, gainMargin: 8, crossover: 1 / 5 };

/** The loop's margins, each at its worst corner; and its crossover against a fifth of the switching frequency. */
export function loopTargets(design: Design, { corners }: Pick<LoopCorners, 'corners'>): Target<StepQuantity>[] {
  const { decisions } = completeDecisions(design);
  const common = { levers: ['outputCapacitors', 'switchingFrequency'], quantity: 'crossover' as const };
  return assessTargets<LoopCorner, StepQuantity>(
    design,
    [
      {
        ...common,
        id: 'phaseMargin',
        name: 'Phase margin, degrees',
        unit: '',
        sense: 'above',
        required: HELD_TO.phaseMargin,
        predict: ({ phaseMargin }) => phaseMargin!,
        applies: ({ phaseMargin }) => phaseMargin !== null,
      },
      {
        ...common,
        id: 'gainMargin',
        name: 'Gain margin, dB',
        unit: '',
        sense: 'above',
        required: HELD_TO.gainMargin,
        predict: ({ gainMargin }) => gainMargin!,
        applies: ({ gainMargin }) => gainMargin !== null,
      },
      {
        ...common,
        id: 'crossover',
        name: 'Crossover',
        unit: 'Hz',
        sense: 'below',
        required: HELD_TO.crossover * decisions.switchingFrequency,
        predict: ({ crossoverFrequency }) => crossoverFrequency!,
        applies: ({ crossoverFrequency }) => crossoverFrequency !== null,
      },
    ],
    corners,
  );
}
