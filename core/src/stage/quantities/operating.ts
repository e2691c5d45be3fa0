import { heatQuantities } from './heat.ts';
import { lossQuantities } from './losses.ts';
import type { StageScene } from '../scene.ts';
import { LOSSES } from '../../losses/mechanisms.ts';
import { lossScopeWords } from '../../losses/scope.ts';
import { ERICKSON, type Form, type Quantity } from '../../explain/form.ts';
import { effective } from '../operating/heat.ts';
import type { CompleteDecisions } from '../../design/complete.ts';
import { BODY_DIODE_VOLTAGE, branchOf, switchData } from '../../topology/ofDesign.ts';
import { formsAt, type StageForms } from './forms.ts';
import { nearestRating } from '../operating/shares.ts';
import { lumped } from '../../estimates/outputBank.ts';

/** Operating-point quantities with the textbook forms that explain them, in CCM unless said. */

const RAMPS = 'Continuous conduction, straight ramps.';
const discontinuous = ({ point }: StageScene): boolean => point.conductionMode === 'DCM';
const inCcm =
  (form: Form) =>
  (scene: StageScene): Form | undefined =>
    discontinuous(scene) || scene.point.onTime === 0 ? undefined : form;
const ofBuck =
  (form: Form) =>
  (scene: StageScene): Form | undefined =>
    scene.result.decisions.topology === 'buck' ? inCcm(form)(scene) : undefined;
/** Forms of the buck leg's two switches: not where that leg rests or shares the period with the other. */
const ofSwitchingLeg =
  (form: Form) =>
  (scene: StageScene): Form | undefined =>
    scene.point.region === undefined || scene.point.region === 'buck' ? inCcm(form)(scene) : undefined;
const always = (form: Form) => (): Form => form;
const perPhase = 'of one phase';
/** A topology's own form of a bank's quantity: one phase, continuous conduction. */
const ofOnePhase =
  (which: keyof StageForms) =>
  (scene: StageScene): Form | undefined =>
    scene.result.decisions.phases > 1 || discontinuous(scene) ? undefined : formsAt(scene)[which];

/** The decisions as the circuit of a point has them: parallel devices as one, resistances hot. */
function hotOf({ result, point }: StageScene): CompleteDecisions {
  return effective(result.decisions, point.temperatures ?? {});
}

function peakOfPulse(ripple: Form | undefined): Form | undefined {
  return ripple && { ...ripple, holds: 'Discontinuous conduction: each pulse starts at zero.' };
}

/** The part of the four-switch stage's path that does not switch at a point: its resting leg's switch. */
function restingResistance(scene: StageScene): number {
  const { point } = scene;
  const { controlResistance, boostLeg } = switchData(hotOf(scene));
  if (point.region === 'buck') return boostLeg.rectifierResistance;
  return point.region === 'boost' ? controlResistance : 0;
}

export const operatingQuantities = {
  duty: {
    name: 'Duty',
    symbol: 'D',
    unit: '%',
    kind: 'ratio',
    // in a four-switch stage outside its buck region, the duty spoken of is that of the leg that regulates
    value: ({ point }) =>
      point.region === undefined || point.region === 'buck' ? point.duty : point.onTime * point.switchingFrequency,
    exact: true,
    form: (scene) => formsAt(scene)[discontinuous(scene) ? 'dutyDcm' : 'dutyCcm'],
  },
  // how older texts count the duty
  pulseRatio: {
    name: 'Pulse ratio, period over on-time',
    symbol: 'T/t_\\mathrm{on}',
    unit: '',
    kind: 'ratio',
    value: ({ point }) => (point.onTime > 0 ? 1 / (point.onTime * point.switchingFrequency) : undefined),
    form: always({ expression: '1 / duty', holds: 'Always.', source: 'Definition' }),
  },
  rectifierDuty: {
    name: 'Rectifier duty',
    symbol: "D'",
    unit: '%',
    kind: 'ratio',
    value: ({ point }) => (point.region === 'boost' ? 1 - (point.boostDuty ?? 0) : point.rectifierDuty),
    exact: true,
    form: (scene) =>
      scene.point.onTime === 0 || scene.point.region === 'buck-boost'
        ? undefined
        : discontinuous(scene)
          ? formsAt(scene).rectifierDutyDcm
          : {
              expression: '1 - duty',
              holds: 'Continuous conduction; the dead times, in which a body diode conducts, count in.',
              source: ERICKSON('ch. 2'),
            },
  },
  boostDuty: {
    name: 'Boost leg’s duty',
    symbol: 'D_2',
    unit: '%',
    kind: 'ratio',
    value: ({ point }) => point.boostDuty,
  },
  boostControlRms: {
    name: 'Boost leg’s control switch RMS',
    symbol: 'I_{Q2,\\mathrm{rms}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.boostLeg?.controlSwitch.rmsCurrent,
  },
  boostControlBlocking: {
    name: 'Boost leg’s control switch, blocking',
    symbol: 'V_{Q2}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.boostLeg?.controlSwitch.blockingVoltage,
  },
  boostRectifierBlocking: {
    name: 'Boost leg’s rectifier, blocking',
    symbol: 'V_{R2}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.boostLeg?.rectifier.blockingVoltage,
  },
  boostRectifierRms: {
    name: 'Boost leg’s rectifier RMS',
    symbol: 'I_{R2,\\mathrm{rms}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.boostLeg?.rectifier.rmsCurrent,
  },
  loadRipple: {
    name: 'Ripple after the second-stage filter',
    symbol: '\\Delta v_\\mathrm{load}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.outputFilter?.ripple,
  },
  onTime: {
    name: 'On-time',
    symbol: 't_\\mathrm{on}',
    unit: 's',
    kind: 'time',
    value: ({ point }) => point.onTime,
    form: always({
      expression: 'duty / switchingFrequency',
      holds: 'Always.',
      source: 'Definition of duty',
    }),
  },
  offTime: {
    name: 'Off-time',
    symbol: 't_\\mathrm{off}',
    unit: 's',
    kind: 'time',
    value: ({ point }) => point.offTime,
    form: always({
      expression: '(1 - duty) / switchingFrequency',
      holds: 'Always.',
      source: 'Definition of duty',
    }),
  },
  outputVoltageAverage: {
    name: 'Output, average',
    symbol: '\\overline{v}_\\mathrm{out}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.outputVoltage.average,
    exact: true,
    form: ofBuck({
      expression: 'inputVoltage - inductorAverage * (controlResistance + windingResistance)',
      relation: '\\le',
      holds: 'The ceiling of a buck: the control switch on all the time. Below it, duty sets the output.',
      source: ERICKSON('ch. 3'),
    }),
  },
  inductorAverage: {
    name: 'Inductor average',
    symbol: 'I_L',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inductorCurrent.average,
    exact: true,
    form: (scene) =>
      discontinuous(scene) && scene.point.onTime > 0 && scene.result.decisions.topology !== 'buck'
        ? {
            expression: '(inductorPeak / 2) * (duty + rectifierDuty)',
            holds: 'Discontinuous conduction: the area of one triangle.',
            source: ERICKSON('ch. 5'),
          }
        : formsAt(scene).averageCcm,
  },
  inductorRipple: {
    name: 'Inductor ripple, peak to peak',
    symbol: '\\Delta i_L',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inductorCurrent.ripple,
    exact: true,
    form: (scene) => formsAt(scene).ripple,
  },
  inductorPeak: {
    name: 'Inductor peak',
    symbol: '\\hat{\\imath}_L',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inductorCurrent.peak,
    exact: true,
    form: (scene) =>
      discontinuous(scene)
        ? peakOfPulse(formsAt(scene).ripple)
        : {
            expression: 'inductorAverage + inductorRipple / 2',
            holds: RAMPS,
            source: ERICKSON('ch. 2'),
          },
  },
  inductorValley: {
    name: 'Inductor valley',
    symbol: '\\check{\\imath}_L',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inductorCurrent.valley,
    exact: true,
    form: inCcm({
      expression: 'inductorAverage - inductorRipple / 2',
      holds: RAMPS,
      source: ERICKSON('ch. 2'),
    }),
  },
  inductorRms: {
    name: 'Inductor RMS',
    symbol: 'I_{L,\\mathrm{rms}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inductorCurrent.rms,
    exact: true,
    form: inCcm({
      expression: 'sqrt(inductorAverage^2 + inductorRipple^2 / 12)',
      holds: RAMPS,
      source: ERICKSON('appendix on RMS values'),
    }),
  },
  controlRms: {
    name: 'Control switch RMS',
    symbol: 'I_{Q,\\mathrm{rms}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.controlSwitch.rmsCurrent,
    exact: true,
    form: ofSwitchingLeg({
      expression: 'inductorRms * sqrt(duty)',
      holds: `${RAMPS} Current ${perPhase}.`,
      source: ERICKSON('appendix on RMS values'),
    }),
  },
  controlAverage: {
    name: 'Control switch average',
    symbol: 'I_Q',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.controlSwitch.averageCurrent,
    exact: true,
    form: ofSwitchingLeg({
      expression: 'inductorAverage * duty',
      holds: RAMPS,
      source: ERICKSON('ch. 3'),
    }),
  },
  rectifierRms: {
    name: 'Rectifier RMS',
    symbol: 'I_{R,\\mathrm{rms}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.rectifier.rmsCurrent,
    exact: true,
    form: ofSwitchingLeg({
      expression: 'inductorRms * sqrt(rectifierDuty)',
      holds: `${RAMPS} Current ${perPhase}.`,
      source: ERICKSON('appendix on RMS values'),
    }),
  },
  rectifierAverage: {
    name: 'Rectifier average',
    symbol: 'I_R',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.rectifier.averageCurrent,
    exact: true,
    form: ofSwitchingLeg({
      expression: 'inductorAverage * rectifierDuty',
      holds: RAMPS,
      source: ERICKSON('ch. 3'),
    }),
  },
  controlBlocking: {
    name: 'Control switch, blocking',
    symbol: 'V_Q',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.controlSwitch.blockingVoltage,
    exact: true,
    form: (scene) => formsAt(scene).controlBlocking,
  },
  rectifierBlocking: {
    name: 'Rectifier, blocking',
    symbol: 'V_R',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.rectifier.blockingVoltage,
    exact: true,
    form: (scene) => formsAt(scene).rectifierBlocking,
  },
  inputAverage: {
    name: 'Input current',
    symbol: 'I_\\mathrm{in}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inputCurrent.average,
    form: always({
      expression: '(outputPower + lossTotal) / inputVoltage',
      holds: 'Power balance with exactly the losses listed.',
      source: 'Conservation of energy',
    }),
  },
  inputCapacitorRms: {
    name: 'Input bank RMS',
    symbol: 'I_{C\\mathrm{in}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.inputCapacitor.rmsCurrent,
    exact: true,
    form: ofOnePhase('inputRms'),
  },
  inputCapacitorShare: {
    name: 'Input bank RMS, of the capacitor nearest its rating',
    symbol: 'I_{C\\mathrm{in},1}',
    unit: 'A',
    kind: 'current',
    value: ({ point, result }) =>
      nearestRating(result.decisions.inputCapacitors, point.inputCapacitor.each)?.rmsCurrent,
    exact: true,
  },
  outputCapacitorShare: {
    name: 'Output bank RMS, of the capacitor nearest its rating',
    symbol: 'I_{C\\mathrm{out},1}',
    unit: 'A',
    kind: 'current',
    value: ({ point, result }) =>
      nearestRating(result.decisions.outputCapacitors, point.outputCapacitor.each)?.rmsCurrent,
    exact: true,
  },
  quiescentCurrent: {
    name: 'Quiescent current of the controller',
    symbol: 'I_q',
    unit: 'A',
    kind: 'current',
    value: ({ result }) => result.decisions.control.quiescentCurrent,
    setBy: 'decisions.control.quiescentCurrent',
  },
  referenceAccuracy: {
    name: 'Reference, part by which it may lie off',
    symbol: '\\epsilon_\\mathrm{ref}',
    unit: '%',
    kind: 'ratio',
    value: ({ result }) => result.decisions.control.referenceAccuracy,
    setBy: 'decisions.control.referenceAccuracy',
  },
  inputRipple: {
    name: 'Input ripple, peak to peak',
    symbol: '\\Delta v_\\mathrm{in}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.inputCapacitor.ripple,
    exact: true,
    form: ofOnePhase('inputRipple'),
  },
  outputCapacitorRms: {
    name: 'Output bank RMS',
    symbol: 'I_{C\\mathrm{out}}',
    unit: 'A',
    kind: 'current',
    value: ({ point }) => point.outputCapacitor.rmsCurrent,
    exact: true,
    form: ofOnePhase('outputRms'),
  },
  outputRipple: {
    name: 'Output ripple, peak to peak',
    symbol: '\\Delta v_\\mathrm{out}',
    unit: 'V',
    kind: 'voltage',
    value: ({ point }) => point.outputCapacitor.ripple,
    exact: true,
    form: ofOnePhase('outputRipple'),
  },
  ...lossQuantities,
  ...heatQuantities,
  lossTotal: {
    name: 'Known losses',
    symbol: 'P_\\mathrm{loss}',
    unit: 'W',
    kind: 'power',
    value: ({ point }) => point.losses.total,
    form: ({ point, result }) => {
      const { losses } = point;
      const listed = LOSSES.filter(({ name }) => losses[name] !== undefined);
      return {
        expression: listed.map(({ quantity }) => quantity).join(' + '),
        holds: lossScopeWords(result.lossScope),
        source: 'Sum of what is listed',
      };
    },
  },
  outputPower: {
    name: 'Output power',
    symbol: 'P_\\mathrm{out}',
    unit: 'W',
    kind: 'power',
    value: ({ point }) => point.outputPower,
    exact: true,
    form: ({ point }) => ({
      expression: `outputVoltageAverage * outputCurrent${point.losses.outputLeads === undefined ? '' : ' - lossLeads'}`,
      holds: `Ripple power left out.${point.losses.outputLeads === undefined ? '' : ' What the leads behind the sensed point take does not reach the load.'}`,
      source: 'Definition',
    }),
  },
  efficiency: {
    name: 'Efficiency by known losses',
    symbol: '\\eta',
    unit: '%',
    kind: 'ratio',
    value: ({ point }) => point.efficiency,
    form: ({ result }) => ({
      expression: 'outputPower / (outputPower + lossTotal)',
      holds: lossScopeWords(result.lossScope),
      source: 'Definition',
    }),
  },
  restingResistance: {
    name: 'Resting leg’s switch RDS(on)',
    symbol: 'R_0',
    unit: 'Ω',
    kind: 'part',
    value: restingResistance,
    setBy: 'decisions.controlSwitch.onResistance',
  },
  windingResistance: {
    name: 'Winding resistance',
    symbol: 'R_L',
    unit: 'Ω',
    kind: 'part',
    value: (scene) => hotOf(scene).inductor.resistance,
    setBy: 'decisions.inductor.resistance',
  },
  controlResistance: {
    name: 'Control switch RDS(on)',
    symbol: 'R_Q',
    unit: 'Ω',
    kind: 'part',
    value: (scene) => hotOf(scene).controlSwitch.onResistance,
    setBy: 'decisions.controlSwitch.onResistance',
  },
  rectifierResistance: {
    name: 'Rectifier RDS(on)',
    symbol: 'R_R',
    unit: 'Ω',
    kind: 'part',
    value: (scene) => switchData(hotOf(scene)).rectifierResistance,
    setBy: 'decisions.rectifier',
  },
  rectifierDrop: {
    name: 'Rectifier drop',
    symbol: 'V_F',
    unit: 'V',
    kind: 'voltage',
    value: ({ result }) => switchData(result.decisions).rectifierDrop,
    setBy: 'decisions.rectifier',
  },
  bodyDiodeDrop: {
    name: `Body diode drop (${BODY_DIODE_VOLTAGE} V without data)`,
    symbol: 'V_B',
    unit: 'V',
    kind: 'voltage',
    value: ({ result }) => switchData(result.decisions).bodyDiodeDrop,
    setBy: 'decisions.rectifier',
  },
  outputCapacitance: {
    name: 'Output bank, effective',
    symbol: 'C_\\mathrm{out}',
    unit: 'F',
    kind: 'part',
    value: ({ result }) => lumped(result.decisions.outputCapacitors).capacitance,
    setBy: 'decisions.outputCapacitors',
  },
  outputEsr: {
    name: 'Output bank ESR',
    symbol: 'R_{C\\mathrm{out}}',
    unit: 'Ω',
    kind: 'part',
    value: ({ result }) => lumped(result.decisions.outputCapacitors).resistance,
    setBy: 'decisions.outputCapacitors',
  },
  inputCapacitance: {
    name: 'Input bank, effective',
    symbol: 'C_\\mathrm{in}',
    unit: 'F',
    kind: 'part',
    value: ({ result }) => result.decisions.inputCapacitors.reduce((sum, bank) => sum + branchOf(bank).capacitance, 0),
    setBy: 'decisions.inputCapacitors',
  },
  inputEsr: {
    name: 'Input bank ESR',
    symbol: 'R_{C\\mathrm{in}}',
    unit: 'Ω',
    kind: 'part',
    value: ({ result }) => lumped(result.decisions.inputCapacitors).resistance,
    setBy: 'decisions.inputCapacitors',
  },
} as const satisfies Record<string, Quantity<StageScene>>;
