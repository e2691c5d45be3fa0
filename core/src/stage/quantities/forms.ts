import type { Topology } from '../../design/schema.ts';
import { switchData } from '../../topology/ofDesign.ts';
import type { StageScene } from '../scene.ts';
import { ERICKSON, PRACTICE, type Form } from '../../explain/form.ts';
import { triangleRipple } from '../../estimates/outputBank.ts';

/** The textbook forms that differ from one topology to another, for the way a stage runs at the point asked about. */
export interface StageForms {
  dutyCcm: Form;
  dutyDcm: Form;
  rectifierDutyDcm: Form;
  ripple: Form;
  averageCcm: Form;
  controlBlocking: Form;
  rectifierBlocking: Form;
  inputRms: Form;
  inputRipple: Form;
  outputRms: Form;
  outputRipple: Form;
}

const RAMPS = 'Continuous conduction, straight ramps.';
const BALANCE =
  'Volt-second balance with resistances and drops, continuous conduction; the ripple’s own drop and the dead time are left out.';
/** The resistance in the inductor's own path, and the drops around it, as the duty's form sets them apart. */
const SERIES = {
  series: { symbol: 'R_\\Sigma', expression: 'windingResistance + restingResistance' },
};

const averageOfPulses: Form = {
  expression: 'outputCurrent / (phases * (1 - duty))',
  holds:
    'Charge balance of the output bank: the inductor feeds it only while the rectifier conducts. Continuous conduction.',
  source: ERICKSON('ch. 2'),
};

const rippleFromInput: Form = {
  expression: '(inputVoltage * duty) / (inductance * switchingFrequency)',
  holds: 'Straight ramps, drops left out; in either conduction mode.',
  source: ERICKSON('ch. 2'),
};

/** RMS of a bank on the side where the current is chopped: for the fraction named, with the ripple on the pulses' tops. */
const choppedRms = (share: 'duty' | 'rectifierDuty'): Form => ({
  expression: `sqrt(inductorAverage^2 * ${share} * (1 - ${share}) + ${share} * inductorRipple^2 / 12)`,
  holds: `${RAMPS} The bank takes all of the alternating current.`,
  source: ERICKSON('appendix on RMS values'),
});

const smoothRms: Form = {
  expression: 'inductorRipple / sqrt(12)',
  holds: `${RAMPS} The bank takes all of the ripple.`,
  source: ERICKSON('appendix on RMS values'),
};

const choppedRipple = (current: string, share: string, capacitance: string, esr: string): Form => ({
  expression: `${current} * ${share}${current === 'inductorAverage' ? ` * (1 - ${share})` : ''} / (${capacitance} * switchingFrequency) + inductorPeak * ${esr}`,
  relation: '\\approx',
  holds: 'Continuous conduction, flat-topped pulses; the two parts’ peaks added, so a little high.',
  source: PRACTICE,
});

const smoothRipple = (capacitance: string, esr: string): Form => ({
  expression: `ofTriangle(inductorRipple, duty, switchingFrequency, ${capacitance}, ${esr})`,
  functions: {
    ofTriangle: {
      call: (ripple = 0, duty = 0, frequency = 0, farads = 0, ohms = 0) =>
        triangleRipple(ripple, duty / frequency, (1 - duty) / frequency, farads, ohms),
      tex: (ripple, duty, frequency, farads, ohms) =>
        `\\frac{${ripple}}{8\\cdot ${farads}\\cdot ${frequency}}\\ \\text{with } ${ohms} \\text{ in its true phase at } ${duty}`,
    },
  },
  holds: `${RAMPS} Banks lumped into one capacitance and one ESR; series inductance left out.`,
  source: ERICKSON('ch. 2'),
});

const CONDUCTS = { control: 'rectifier', rectifier: 'control switch' } as const;

const blocking = (device: 'control' | 'rectifier', volts: string): Form => ({
  expression:
    device === 'control'
      ? `${volts} + rectifierDrop + inductorPeak * rectifierResistance`
      : `${volts} - inductorValley * controlResistance`,
  holds: `The highest static voltage, the ${CONDUCTS[device]} conducting; ringing comes on top.`,
  source: ERICKSON('ch. 4'),
});

/** The same where a dead time's body diode drops more than the channel beside it. */
const blockingWhileDead = (device: 'control' | 'rectifier', volts: string, drop: number): Form => ({
  expression: `${volts} + body`,
  figures: { body: { value: drop, unit: 'V', symbol: 'V_\\mathrm{body}' } },
  holds: `The highest static voltage, in the dead time: the ${CONDUCTS[device]}’s body diode carries the current; ringing comes on top.`,
  source: ERICKSON('ch. 4'),
});

/** V across a device that is off while the other one of its leg conducts without a drop. */
const BLOCKED: Readonly<Record<Topology, string>> = {
  buck: 'inputVoltage',
  boost: 'outputVoltage',
  'inverting-buck-boost': 'inputVoltage + outputVoltage',
  'four-switch-buck-boost': 'inputVoltage',
};

/** The blocking forms that a dead time decides at a point. */
function deadTimeForms({ result, point }: StageScene): Partial<StageForms> {
  const { deadTimeConduction = 0 } = point.losses;
  if (deadTimeConduction === 0 || point.region === 'boost') return {};
  const volts = BLOCKED[result.decisions.topology];
  const { bodyDiodeDrop, controlBodyDiodeDrop, rectifierDrop, rectifierResistance } = switchData(result.decisions);
  const { peak, valley } = point.inductorCurrent;
  return {
    ...(peak > 0 && bodyDiodeDrop > rectifierDrop + peak * rectifierResistance
      ? { controlBlocking: blockingWhileDead('control', volts, bodyDiodeDrop) }
      : {}),
    ...(valley < 0 ? { rectifierBlocking: blockingWhileDead('rectifier', volts, controlBodyDiodeDrop) } : {}),
  };
}

const choppedInput = {
  inputRms: choppedRms('duty'),
  inputRipple: choppedRipple('inductorAverage', 'duty', 'inputCapacitance', 'inputEsr'),
};
const choppedOutput = {
  outputRms: choppedRms('rectifierDuty'),
  outputRipple: choppedRipple('outputCurrent', 'duty', 'outputCapacitance', 'outputEsr'),
};

const buck: StageForms = {
  dutyCcm: {
    expression:
      '(outputVoltage + rectifierDrop + inductorAverage * (series + rectifierResistance)) / (inputVoltage + rectifierDrop + inductorAverage * (rectifierResistance - controlResistance))',
    where: SERIES,
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    expression: 'M * sqrt(K / (1 - M))',
    where: {
      M: { symbol: 'M', expression: 'outputVoltage / inputVoltage' },
      K: { symbol: 'K', expression: '2 * inductance * switchingFrequency * inductorAverage / outputVoltage' },
    },
    holds: 'Discontinuous conduction, lossless.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    expression: '(duty * (inputVoltage - outputVoltage)) / (outputVoltage + rectifierDrop)',
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: {
    expression: '((inputVoltage - outputVoltage) * duty) / (inductance * switchingFrequency)',
    holds: 'Straight ramps, drops left out; in either conduction mode.',
    source: ERICKSON('ch. 2'),
  },
  averageCcm: {
    expression: 'outputCurrent / phases',
    holds: 'Charge balance of the output bank; a buck in either mode.',
    source: ERICKSON('ch. 2'),
  },
  controlBlocking: blocking('control', BLOCKED.buck),
  rectifierBlocking: blocking('rectifier', BLOCKED.buck),
  ...choppedInput,
  outputRms: smoothRms,
  outputRipple: smoothRipple('outputCapacitance', 'outputEsr'),
};

const boost: StageForms = {
  dutyCcm: {
    expression:
      '(outputVoltage + rectifierDrop + inductorAverage * (series + rectifierResistance) - inputVoltage) / (outputVoltage + rectifierDrop + inductorAverage * (rectifierResistance - controlResistance))',
    where: SERIES,
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    expression:
      'sqrt(2 * inductance * switchingFrequency * (outputCurrent / phases) * (outputVoltage + rectifierDrop - inputVoltage)) / inputVoltage',
    holds: 'Discontinuous conduction, lossless but for the rectifier’s drop.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    expression: '(duty * inputVoltage) / (outputVoltage + rectifierDrop - inputVoltage)',
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: rippleFromInput,
  averageCcm: averageOfPulses,
  controlBlocking: blocking('control', BLOCKED.boost),
  rectifierBlocking: blocking('rectifier', BLOCKED.boost),
  inputRms: smoothRms,
  inputRipple: smoothRipple('inputCapacitance', 'inputEsr'),
  ...choppedOutput,
};

const inverting: StageForms = {
  dutyCcm: {
    expression:
      '(outputVoltage + rectifierDrop + inductorAverage * (series + rectifierResistance)) / (inputVoltage + outputVoltage + rectifierDrop + inductorAverage * (rectifierResistance - controlResistance))',
    where: SERIES,
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    expression:
      'sqrt(2 * inductance * switchingFrequency * (outputCurrent / phases) * (outputVoltage + rectifierDrop)) / inputVoltage',
    holds: 'Discontinuous conduction, lossless but for the rectifier’s drop.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    expression: '(duty * inputVoltage) / (outputVoltage + rectifierDrop)',
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: rippleFromInput,
  averageCcm: averageOfPulses,
  controlBlocking: blocking('control', BLOCKED['inverting-buck-boost']),
  rectifierBlocking: blocking('rectifier', BLOCKED['inverting-buck-boost']),
  ...choppedInput,
  ...choppedOutput,
};

/** The forms for the way the stage runs at a point; none in a four-switch stage's transition, nor where it passes through. */
export function formsAt(scene: StageScene): Partial<StageForms> {
  const { result, point } = scene;
  const { topology, coupling, phases } = result.decisions;
  if (point.onTime === 0) return {};
  const byTopology: Record<typeof topology, Partial<StageForms>> = {
    buck,
    boost,
    'inverting-buck-boost': inverting,
    // the blocking voltages of a four-switch stage's legs are each their own side's
    'four-switch-buck-boost':
      point.region === 'buck' ? buck : point.region === 'boost' ? { ...boost, ...restingBuckLeg } : {},
  };
  const forms = point.region === 'buck-boost' ? {} : { ...byTopology[topology], ...deadTimeForms(scene) };
  // coupled windings share their flux: the plain ramps do not hold
  return coupling && coupling.coefficient > 0 && phases > 1 ? { ...forms, ripple: undefined as never } : forms;
}

const restingBuckLeg = { controlBlocking: undefined as never, rectifierBlocking: undefined as never };
