import type { StageScene } from '../scene.ts';
import { ERICKSON, PRACTICE, type Form } from '../../explain/form.ts';
import { buckInputRms } from '../sizing/inputBank.ts';
import { triangleRipple } from '../sizing/outputBank.ts';

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
const SERIES = ['windingResistance', 'restingResistance'];
const series = 'R_\\Sigma';
const total = '\\quad R_\\Sigma = \\q{windingResistance} + \\q{restingResistance},\\ I_L = \\q{inductorAverage}';
const seriesOf = (q: (id: string) => number): number => q('windingResistance') + q('restingResistance');
const DROPS = [
  'outputVoltage',
  'inductorAverage',
  ...SERIES,
  'rectifierResistance',
  'rectifierDrop',
  'inputVoltage',
  'controlResistance',
];

const averageOfPulses: Form = {
  tex: 'I_L = \\frac{\\q{outputCurrent}}{\\q{phases}\\,(1 - \\q{duty})}',
  inputs: ['outputCurrent', 'phases', 'duty'],
  evaluate: (q) => q('outputCurrent') / q('phases') / (1 - q('duty')),
  holds:
    'Charge balance of the output bank: the inductor feeds it only while the rectifier conducts. Continuous conduction.',
  source: ERICKSON('ch. 2'),
};

const rippleFromInput: Form = {
  tex: '\\Delta i_L = \\frac{\\q{inputVoltage}\\,\\q{duty}}{\\q{inductance}\\,\\q{switchingFrequency}}',
  inputs: ['inputVoltage', 'duty', 'inductance', 'switchingFrequency'],
  evaluate: (q) => (q('inputVoltage') * q('duty')) / (q('inductance') * q('switchingFrequency')),
  holds: 'Straight ramps, drops left out; in either conduction mode.',
  source: ERICKSON('ch. 2'),
};

/** RMS of a bank on the side where the current is chopped: for the fraction named, with the ripple on the pulses' tops. */
const choppedRms = (symbol: string, share: 'duty' | 'rectifierDuty'): Form => ({
  tex: `${symbol} = \\sqrt{\\q{inductorAverage}^2\\,\\q{${share}}(1-\\q{${share}}) + \\frac{\\q{${share}}\\,\\q{inductorRipple}^2}{12}}`,
  inputs: ['inductorAverage', share, 'inductorRipple'],
  evaluate: (q) => buckInputRms(q('inductorAverage'), q(share), q('inductorRipple')),
  holds: `${RAMPS} The bank takes all of the alternating current.`,
  source: ERICKSON('appendix on RMS values'),
});

const smoothRms = (symbol: string): Form => ({
  tex: `${symbol} = \\frac{\\q{inductorRipple}}{\\sqrt{12}}`,
  inputs: ['inductorRipple'],
  evaluate: (q) => q('inductorRipple') / Math.sqrt(12),
  holds: `${RAMPS} The bank takes all of the ripple.`,
  source: ERICKSON('appendix on RMS values'),
});

const choppedRipple = (symbol: string, current: string, share: string, capacitance: string, esr: string): Form => ({
  tex: `${symbol} \\approx \\frac{\\q{${current}}\\,\\q{${share}}}{\\q{${capacitance}}\\,\\q{switchingFrequency}}${current === 'inductorAverage' ? `(1-\\q{${share}})` : ''} + \\q{inductorPeak}\\,\\q{${esr}}`,
  inputs: [current, share, capacitance, 'switchingFrequency', 'inductorPeak', esr],
  evaluate: (q) =>
    (q(current) * q(share) * (current === 'inductorAverage' ? 1 - q(share) : 1)) /
      (q(capacitance) * q('switchingFrequency')) +
    q('inductorPeak') * q(esr),
  holds: 'Continuous conduction, flat-topped pulses; the two parts’ peaks added, so a little high.',
  source: PRACTICE,
});

const smoothRipple = (symbol: string, capacitance: string, esr: string): Form => ({
  tex: `${symbol} = \\frac{\\q{inductorRipple}}{8\\,\\q{${capacitance}}\\,\\q{switchingFrequency}}\\ \\text{with } \\q{${esr}} \\text{ in its true phase at } \\q{duty}`,
  inputs: ['inductorRipple', capacitance, 'switchingFrequency', esr, 'duty'],
  evaluate: (q) =>
    triangleRipple(
      q('inductorRipple'),
      q('duty') / q('switchingFrequency'),
      (1 - q('duty')) / q('switchingFrequency'),
      q(capacitance),
      q(esr),
    ),
  holds: `${RAMPS} Banks lumped into one capacitance and one ESR; series inductance left out.`,
  source: ERICKSON('ch. 2'),
});

const blocking = (symbol: string, device: 'control' | 'rectifier', volts: readonly string[]): Form => {
  const [current, resistance] =
    device === 'control' ? ['inductorPeak', 'rectifierResistance'] : ['inductorValley', 'controlResistance'];
  const sum = volts.map((id) => `\\q{${id}}`).join(' + ');
  return {
    tex:
      device === 'control'
        ? `${symbol} = ${sum} + \\q{rectifierDrop} + \\q{inductorPeak}\\,\\q{rectifierResistance}`
        : `${symbol} = ${sum} - \\q{inductorValley}\\,\\q{controlResistance}`,
    inputs: [...volts, ...(device === 'control' ? ['rectifierDrop'] : []), current, resistance],
    evaluate: (q) => {
      const stand = volts.reduce((all, id) => all + q(id), 0);
      return device === 'control'
        ? stand + q('rectifierDrop') + q('inductorPeak') * q('rectifierResistance')
        : stand - q('inductorValley') * q('controlResistance');
    },
    holds: `The highest static voltage, the ${device === 'control' ? 'rectifier' : 'control switch'} conducting; ringing comes on top.`,
    source: ERICKSON('ch. 4'),
  };
};

const C_IN = 'I_{C\\mathrm{in}}';
const C_OUT = 'I_{C\\mathrm{out}}';
const V_IN = '\\Delta v_\\mathrm{in}';
const V_OUT = '\\Delta v_\\mathrm{out}';
const choppedInput = {
  inputRms: choppedRms(C_IN, 'duty'),
  inputRipple: choppedRipple(V_IN, 'inductorAverage', 'duty', 'inputCapacitance', 'inputEsr'),
};
const choppedOutput = {
  outputRms: choppedRms(C_OUT, 'rectifierDuty'),
  outputRipple: choppedRipple(V_OUT, 'outputCurrent', 'duty', 'outputCapacitance', 'outputEsr'),
};

const buck: StageForms = {
  dutyCcm: {
    tex: `D = \\frac{\\q{outputVoltage} + I_L(${series} + \\q{rectifierResistance}) + \\q{rectifierDrop}}{\\q{inputVoltage} - I_L\\,\\q{controlResistance} + I_L\\,\\q{rectifierResistance} + \\q{rectifierDrop}},${total}`,
    inputs: DROPS,
    evaluate: (q) => {
      const current = q('inductorAverage');
      const below = q('rectifierDrop') + current * q('rectifierResistance');
      return (
        (q('outputVoltage') + current * seriesOf(q) + below) /
        (q('inputVoltage') - current * q('controlResistance') + below)
      );
    },
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    tex: 'D = M\\sqrt{\\frac{K}{1-M}},\\quad K = \\frac{2\\,\\q{inductance}\\,\\q{switchingFrequency}\\,I_L}{\\q{outputVoltage}},\\quad M = \\frac{\\q{outputVoltage}}{\\q{inputVoltage}},\\quad I_L = \\q{inductorAverage}',
    inputs: ['inductance', 'switchingFrequency', 'inductorAverage', 'outputVoltage', 'inputVoltage'],
    evaluate: (q) => {
      const ratio = q('outputVoltage') / q('inputVoltage');
      const k = (2 * q('inductance') * q('switchingFrequency') * q('inductorAverage')) / q('outputVoltage');
      return ratio * Math.sqrt(k / (1 - ratio));
    },
    holds: 'Discontinuous conduction, lossless.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    tex: "D' = \\q{duty}\\,\\frac{\\q{inputVoltage} - \\q{outputVoltage}}{\\q{outputVoltage} + \\q{rectifierDrop}}",
    inputs: ['duty', 'inputVoltage', 'outputVoltage', 'rectifierDrop'],
    evaluate: (q) => (q('duty') * (q('inputVoltage') - q('outputVoltage'))) / (q('outputVoltage') + q('rectifierDrop')),
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: {
    tex: '\\Delta i_L = \\frac{\\left(\\q{inputVoltage} - \\q{outputVoltage}\\right)\\q{duty}}{\\q{inductance}\\,\\q{switchingFrequency}}',
    inputs: ['inputVoltage', 'outputVoltage', 'duty', 'inductance', 'switchingFrequency'],
    evaluate: (q) =>
      ((q('inputVoltage') - q('outputVoltage')) * q('duty')) / (q('inductance') * q('switchingFrequency')),
    holds: 'Straight ramps, drops left out; in either conduction mode.',
    source: ERICKSON('ch. 2'),
  },
  averageCcm: {
    tex: 'I_L = \\frac{\\q{outputCurrent}}{\\q{phases}}',
    inputs: ['outputCurrent', 'phases'],
    evaluate: (q) => q('outputCurrent') / q('phases'),
    holds: 'Charge balance of the output bank; a buck in either mode.',
    source: ERICKSON('ch. 2'),
  },
  controlBlocking: blocking('V_Q', 'control', ['inputVoltage']),
  rectifierBlocking: blocking('V_R', 'rectifier', ['inputVoltage']),
  ...choppedInput,
  outputRms: smoothRms(C_OUT),
  outputRipple: smoothRipple(V_OUT, 'outputCapacitance', 'outputEsr'),
};

const boost: StageForms = {
  dutyCcm: {
    tex: `D = \\frac{\\q{outputVoltage} + \\q{rectifierDrop} + I_L(${series} + \\q{rectifierResistance}) - \\q{inputVoltage}}{\\q{outputVoltage} + \\q{rectifierDrop} + I_L(\\q{rectifierResistance} - \\q{controlResistance})},${total}`,
    inputs: DROPS,
    evaluate: (q) => {
      const current = q('inductorAverage');
      const above = q('outputVoltage') + q('rectifierDrop');
      return (
        (above + current * (seriesOf(q) + q('rectifierResistance')) - q('inputVoltage')) /
        (above + current * (q('rectifierResistance') - q('controlResistance')))
      );
    },
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    tex: 'D = \\frac{1}{\\q{inputVoltage}}\\sqrt{2\\,\\q{inductance}\\,\\q{switchingFrequency}\\,\\frac{\\q{outputCurrent}}{\\q{phases}}\\left(\\q{outputVoltage} + \\q{rectifierDrop} - \\q{inputVoltage}\\right)}',
    inputs: [
      'inputVoltage',
      'inductance',
      'switchingFrequency',
      'outputCurrent',
      'phases',
      'outputVoltage',
      'rectifierDrop',
    ],
    evaluate: (q) =>
      Math.sqrt(
        2 *
          q('inductance') *
          q('switchingFrequency') *
          (q('outputCurrent') / q('phases')) *
          Math.max(0, q('outputVoltage') + q('rectifierDrop') - q('inputVoltage')),
      ) / q('inputVoltage'),
    holds: 'Discontinuous conduction, lossless but for the rectifier’s drop.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    tex: "D' = \\frac{\\q{duty}\\,\\q{inputVoltage}}{\\q{outputVoltage} + \\q{rectifierDrop} - \\q{inputVoltage}}",
    inputs: ['duty', 'inputVoltage', 'outputVoltage', 'rectifierDrop'],
    evaluate: (q) => (q('duty') * q('inputVoltage')) / (q('outputVoltage') + q('rectifierDrop') - q('inputVoltage')),
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: rippleFromInput,
  averageCcm: averageOfPulses,
  controlBlocking: blocking('V_Q', 'control', ['outputVoltage']),
  rectifierBlocking: blocking('V_R', 'rectifier', ['outputVoltage']),
  inputRms: smoothRms(C_IN),
  inputRipple: smoothRipple(V_IN, 'inputCapacitance', 'inputEsr'),
  ...choppedOutput,
};

const inverting: StageForms = {
  dutyCcm: {
    tex: `D = \\frac{\\q{outputVoltage} + \\q{rectifierDrop} + I_L(${series} + \\q{rectifierResistance})}{\\q{inputVoltage} + \\q{outputVoltage} + \\q{rectifierDrop} + I_L(\\q{rectifierResistance} - \\q{controlResistance})},${total}`,
    inputs: DROPS,
    evaluate: (q) => {
      const current = q('inductorAverage');
      const below = q('outputVoltage') + q('rectifierDrop');
      return (
        (below + current * (seriesOf(q) + q('rectifierResistance'))) /
        (q('inputVoltage') + below + current * (q('rectifierResistance') - q('controlResistance')))
      );
    },
    holds: BALANCE,
    source: ERICKSON('ch. 3'),
  },
  dutyDcm: {
    tex: 'D = \\frac{1}{\\q{inputVoltage}}\\sqrt{2\\,\\q{inductance}\\,\\q{switchingFrequency}\\,\\frac{\\q{outputCurrent}}{\\q{phases}}\\left(\\q{outputVoltage} + \\q{rectifierDrop}\\right)}',
    inputs: [
      'inputVoltage',
      'inductance',
      'switchingFrequency',
      'outputCurrent',
      'phases',
      'outputVoltage',
      'rectifierDrop',
    ],
    evaluate: (q) =>
      Math.sqrt(
        2 *
          q('inductance') *
          q('switchingFrequency') *
          (q('outputCurrent') / q('phases')) *
          (q('outputVoltage') + q('rectifierDrop')),
      ) / q('inputVoltage'),
    holds: 'Discontinuous conduction, lossless but for the rectifier’s drop.',
    source: ERICKSON('ch. 5'),
  },
  rectifierDutyDcm: {
    tex: "D' = \\frac{\\q{duty}\\,\\q{inputVoltage}}{\\q{outputVoltage} + \\q{rectifierDrop}}",
    inputs: ['duty', 'inputVoltage', 'outputVoltage', 'rectifierDrop'],
    evaluate: (q) => (q('duty') * q('inputVoltage')) / (q('outputVoltage') + q('rectifierDrop')),
    holds: 'Discontinuous conduction: the time the current takes to fall to zero.',
    source: ERICKSON('ch. 5'),
  },
  ripple: rippleFromInput,
  averageCcm: averageOfPulses,
  controlBlocking: blocking('V_Q', 'control', ['inputVoltage', 'outputVoltage']),
  rectifierBlocking: blocking('V_R', 'rectifier', ['inputVoltage', 'outputVoltage']),
  ...choppedInput,
  ...choppedOutput,
};

/** The forms for the way the stage runs at a point; none in a four-switch stage's transition, nor where it passes through. */
export function formsAt({ result, point }: StageScene): Partial<StageForms> {
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
  const forms = byTopology[topology];
  // coupled windings share their flux: the plain ramps do not hold
  return coupling && coupling.coefficient > 0 && phases > 1 ? { ...forms, ripple: undefined as never } : forms;
}

const restingBuckLeg = { controlBlocking: undefined as never, rectifierBlocking: undefined as never };
