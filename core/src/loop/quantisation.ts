import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { magnitude, type Complex } from '../numbers/complex.ts';
import { formatQuantity } from '../quantity/index.ts';
import { SimulationError } from '../simulation/modulator.ts';
import { simulate } from '../simulation/simulate.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { Margins } from './margins.ts';

/*
 * A digital controller sees its output in steps of the converter and moves its duty in steps of the modulator. Where no
 * step of the duty lies within the converter's zero, or the integrator passes over it, the output never comes to rest: it
 * cycles, slower than it switches. The conditions for none: Peterchev and Sanders, "Quantization resolution and limit
 * cycling in digitally controlled PWM converters", IEEE Transactions on Power Electronics 18, 2003; recalled from memory.
 */

/** dB: what a mid-tread quantiser may add to the gain that it sees at most, 4/π. Same source. */
const QUANTISER_GAIN = 20 * Math.log10(4 / Math.PI);
/** Part of the switching frequency at which the plant has its gain at rest. */
const AT_REST = 1e-3;
/** Part of the ripple by which the quantised output has to swing more than the other before it is said to cycle. */
const MORE = 0.05;

export interface Quantisation {
  /** V of the output that one step of the duty makes, and that the converter tells apart; undefined where continuous */
  dutyStep: number | undefined;
  converterStep: number | undefined;
  /** conditions for a rest that do not hold, in words */
  broken: string[];
  /** V peak to peak of the simulated output, and without the steps; undefined where it could not be simulated */
  swing: { quantised: number; continuous: number } | undefined;
  /** whether the simulated output cycles below the switching frequency */
  cycles: boolean | undefined;
}

/** The same controller without its steps: what a linear response is of. */
export function withoutSteps(decisions: CompleteDecisions): CompleteDecisions {
  const { digital } = decisions.control;
  if (decisions.control.method !== 'digital' || !digital) return decisions;
  const { dutyResolution: _, converterStep: __, ...linear } = digital;
  return { ...decisions, control: { ...decisions.control, digital: linear } };
}

/**
 * Whether a digital controller's steps let its output rest at a corner: by the known conditions, and by simulation.
 * @returns undefined where nothing is quantised
 */
export function quantisationAt(
  design: Design,
  decisions: CompleteDecisions,
  corner: Corner,
  { plant }: { plant: (frequency: number) => Complex },
  { gainMargin }: Pick<Margins, 'gainMargin'>,
): Quantisation | undefined {
  const { digital, method } = decisions.control;
  if (method !== 'digital' || !digital) return undefined;
  const { dutyResolution, converterStep, numerator, denominator } = digital;
  if (dutyResolution === undefined && converterStep === undefined) return undefined;
  // a loop that does not hold needs no steps to swing
  if (gainMargin !== null && gainMargin <= 0) return undefined;
  const gain = magnitude(plant(AT_REST * decisions.switchingFrequency));
  const dutyStep = dutyResolution === undefined ? undefined : gain / dutyResolution;
  const volts = (value: number): string => formatQuantity(value, 'V', { digits: 2 });
  const broken: string[] = [];
  if (dutyStep !== undefined && dutyStep >= (converterStep ?? 0))
    broken.push(
      converterStep === undefined
        ? `one step of the duty moves the output by ${volts(dutyStep)}, and a converter without steps never calls that nothing`
        : `one step of the duty moves the output by ${volts(dutyStep)}, more than the ${volts(converterStep)} that the converter tells apart: no duty need lie within its zero`,
    );
  const integral = integralOf(numerator, denominator);
  if (integral === undefined)
    broken.push('the controller has no integrator: it rests wherever its last step leaves it');
  else if (converterStep !== undefined && integral * gain >= 1)
    broken.push(
      `one converter step’s error moves the output by ${volts(integral * gain * converterStep)} in a period through the integrator, past the ${volts(converterStep)} of its zero`,
    );
  if (gainMargin !== null && gainMargin < QUANTISER_GAIN)
    broken.push(
      `the gain margin of ${gainMargin.toFixed(1)} dB is less than the ${QUANTISER_GAIN.toFixed(1)} dB that a quantiser may add`,
    );
  const swing = swingOf(design, decisions, corner);
  return {
    dutyStep,
    converterStep,
    broken,
    swing,
    cycles: swing && swing.quantised > swing.continuous * (1 + MORE) + (dutyStep ?? 0) * MORE,
  };
}

/** What a quantised loop is said to do, in a sentence; undefined where it rests. */
export function quantisationWords({ broken, swing, cycles }: Quantisation): string | undefined {
  if (broken.length === 0 && cycles !== true) return undefined;
  const why = broken.length > 0 ? `${broken.join('; ')}.` : 'The known conditions for a rest hold all the same.';
  const seen =
    swing === undefined
      ? 'It could not be simulated.'
      : `Simulated, the output swings by ${formatQuantity(swing.quantised, 'V')} peak to peak where ${formatQuantity(swing.continuous, 'V')} is ripple: ${cycles ? 'it cycles below the switching frequency' : 'it came to rest all the same'}.`;
  return `The controller’s steps${cycles ? '' : ' may'} keep the output from resting: ${why} ${seen}`;
}

/** Duty per volt of error that the integrator adds each period: (1 − q)·H(q) at q = 1. */
function integralOf(numerator: readonly number[], denominator: readonly number[]): number | undefined {
  const sum = (list: readonly number[]): number => list.reduce((total, value) => total + value, 0);
  if (Math.abs(sum(denominator)) > 1e-9) return undefined;
  // the denominator over (1 − q), at q = 1, is −d/dq of it there
  const slope = -denominator.reduce((total, value, k) => total + k * value, 0);
  return Math.abs(sum(numerator) / slope);
}

function swingOf(design: Design, decisions: CompleteDecisions, corner: Corner): Quantisation['swing'] {
  const peakToPeak = (made: CompleteDecisions): number =>
    simulate({ ...design, decisions: made }, { scenario: 'steady-state', at: corner, waveforms: false }).measurements
      .outputVoltage.peakToPeak;
  try {
    return { quantised: peakToPeak(decisions), continuous: peakToPeak(withoutSteps(decisions)) };
  } catch (error) {
    if (error instanceof SimulationError) return undefined;
    throw error;
  }
}
