import type { Brief, Decisions, Topology } from '../../design/schema.ts';
import { sizeSwitch } from '../../estimates/switchLoss.ts';
import { windingFor } from '../../shelf/usual/inductors.ts';
import { topologyModel, type TopologyModel } from '../../topology/index.ts';
import { allowedLoss, WINDING_SHARE } from './banks.ts';
import { usualFrequency } from './frequency.ts';
import { SCHOOLS, wantedSaturation } from './inductor.ts';

/* Whether a step-up of a far ratio runs in pulses, its current stopping in each period, or continuously: what each would lose. */

/** Lossless duty in continuous conduction from which on the question is asked. Common practice, no source. */
const DEEP_DUTY = 0.85;
/** The same beyond which so little time is left for the output that a continuous current answers no load step. Common practice, no source. */
const DEEPEST_DUTY = 0.94;
/** Duty in discontinuous conduction at the least input and full load that its inductance is chosen for. Our own starting point. */
export const PULSED_DUTY = 0.7;
/** Part of a continuous current's loss that pulses have to save at the same frequency: their peak asks for several times the banks and a larger core. Our own. */
const WORTH = 0.15;
/** A of inductor current below which pulses are what such stages are built with: an inductor for less would be of too many turns. Common practice, no source. */
const SMALL = 0.5;

/** Whether a step-up's ratio is so far that its switch turns off several times the load's current at all of the voltage, in whichever way it runs. */
export const isFar = ({ inputVoltage, outputVoltage }: Brief, model: TopologyModel): boolean =>
  (model.id === 'boost' || model.id === 'inverting-buck-boost') &&
  model.idealDuty(outputVoltage / inputVoltage.min) > DEEP_DUTY;

/** What one way of running asks of switch and inductor at the least input and full load. */
interface Way {
  frequency: number;
  inductance: number;
  peak: number;
  average: number;
  /** A RMS, of the control switch and of the winding */
  switched: number;
  rms: number;
  on: number;
}

/**
 * Whether a stage is meant to run in pulses: where the ratio is so far that in continuous conduction hardly any time is left
 * for the output, where it is small, or where pulses lose clearly less, and nothing held speaks against it.
 */
export function meansPulses(brief: Brief, given: Decisions, topology: Topology): boolean {
  const model = topologyModel(topology);
  if (!isFar(brief, model)) return false;
  // a part chosen for the pulses does not speak against them
  if (given.inductor?.inductance !== undefined && given.inductor.partId === undefined) return false;
  if (given.rectifier?.kind === 'synchronous') return false;
  if (given.coupling || given.conduction === 'critical' || (given.phases ?? 1) > 1) return false;
  const duty = model.idealDuty(brief.outputVoltage / brief.inputVoltage.min);
  if (duty > Math.min(DEEPEST_DUTY, given.control?.maximumDuty ?? 1)) return true;
  // without a sensed current a far continuous step-up is held too slowly for any bank: zero and resonance are both low
  if (given.control?.method?.startsWith('voltage-mode')) return true;
  const pulsed = pulses(brief, model, given);
  if (pulsed.average < SMALL) return true;
  const continuous = flowing(brief, duty, pulsed.frequency);
  return lossOf(brief, model, pulsed) < (1 - WORTH) * lossOf(brief, model, continuous);
}

/** V that a phase switches at most. */
export function switchedVoltage({ brief, model }: { brief: Brief; model: TopologyModel }): number {
  const { control, rectifier } = model.switchStress(brief.inputVoltage.max, brief.outputVoltage);
  return Math.max(control, rectifier);
}

/**
 * H: discontinuous conduction with the duty {@link PULSED_DUTY} at the least input and full load.
 * Source: Erickson and Maksimović, chapter 5; recalled from memory.
 */
export function pulsedInductance(
  { inputVoltage, outputVoltage, outputCurrent }: Brief,
  model: TopologyModel,
  frequency: number,
): number {
  const fall = model.inverts ? outputVoltage : outputVoltage - inputVoltage.min;
  return (PULSED_DUTY * inputVoltage.min) ** 2 / (2 * outputCurrent.max * frequency * fall);
}

function pulses(brief: Brief, model: TopologyModel, given: Decisions): Way {
  const { inputVoltage, outputVoltage } = brief;
  const frequency = given.switchingFrequency ?? usualFrequency(switchedVoltage({ brief, model }), true, false);
  const inductance = pulsedInductance(brief, model, frequency);
  const peak = (inputVoltage.min * PULSED_DUTY) / (frequency * inductance);
  const falls = (PULSED_DUTY * inputVoltage.min) / (model.inverts ? outputVoltage : outputVoltage - inputVoltage.min);
  return {
    frequency,
    inductance,
    peak,
    average: (peak * (PULSED_DUTY + falls)) / 2,
    switched: peak * Math.sqrt(PULSED_DUTY / 3),
    rms: peak * Math.sqrt((PULSED_DUTY + falls) / 3),
    on: 0,
  };
}

function flowing(brief: Brief, duty: number, frequency: number): Way {
  const average = brief.outputCurrent.max / (1 - duty);
  const ripple = SCHOOLS.general.ratio * average;
  return {
    frequency,
    inductance: (brief.inputVoltage.min * duty) / (frequency * ripple),
    peak: average + ripple / 2,
    average,
    switched: average * Math.sqrt(duty),
    rms: average,
    on: average - ripple / 2,
  };
}

/** W in control switch and winding, by the parts that can be had; the diode’s is the same either way. */
function lossOf(brief: Brief, model: TopologyModel, way: Way): number {
  const { frequency, inductance, peak, average, switched, rms, on } = way;
  const blocked = model.switchStress(brief.inputVoltage.max, brief.outputVoltage).control;
  const { conduction, switching } = sizeSwitch({ blocked, rms: switched, on, off: peak }, frequency);
  const saturation = wantedSaturation(average, peak, 0);
  const winding = windingFor(inductance, saturation, rms, WINDING_SHARE * allowedLoss(brief));
  return conduction + switching + rms ** 2 * winding.resistance;
}
