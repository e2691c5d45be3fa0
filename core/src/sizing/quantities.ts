import { ERICKSON, PRACTICE, type Quantity } from '../explain/form.ts';
import { predictExcursion } from '../verdict/targets.ts';
import { chooseFrequency, USUAL_FREQUENCY } from './frequency.ts';
import { buckInductance, wantedSaturation } from './inductor.ts';
import { linearAlternative } from './linearRegulator.ts';
import { ASSUMED_CROSSOVER, loopExcursion, slewExcursion } from './outputBank.ts';

/** Decisions and first estimates with the rule that makes them. */
export const sizingQuantities = {
  switchingFrequency: {
    name: 'Switching frequency',
    symbol: 'f',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ result }) => result.decisions.switchingFrequency,
    setBy: 'decisions.switchingFrequency',
    form: ({ design: { brief }, result }) =>
      result.decided.some((d) => d.path === 'switchingFrequency')
        ? {
            tex: `f \\le \\min\\left(${USUAL_FREQUENCY / 1000}\\,\\mathrm{kHz},\\ \\frac{${brief.outputVoltage}\\,\\mathrm V / ${brief.inputVoltage.max}\\,\\mathrm V}{1.25\\,\\q{minimumOnTime}},\\ \\frac{1 - ${brief.outputVoltage}\\,\\mathrm V / ${brief.inputVoltage.min}\\,\\mathrm V}{1.25\\,\\q{minimumOffTime}}\\right)`,
            inputs: ['minimumOnTime', 'minimumOffTime'],
            evaluate: (q) =>
              chooseFrequency(
                Math.min(1, brief.outputVoltage / brief.inputVoltage.max),
                Math.min(1, brief.outputVoltage / brief.inputVoltage.min),
                q('minimumOnTime'),
                q('minimumOffTime'),
              ).frequency,
            holds: 'Ideal duty, a quarter of each time limit to spare; then the next lower E24 value.',
            source: PRACTICE,
          }
        : undefined,
  },
  minimumOnTime: {
    name: 'Shortest on-time',
    symbol: 't_\\mathrm{on,min}',
    unit: 's',
    kind: 'time',
    value: ({ result }) => result.decisions.control.minimumOnTime,
    setBy: 'decisions.control.minimumOnTime',
  },
  minimumOffTime: {
    name: 'Shortest off-time',
    symbol: 't_\\mathrm{off,min}',
    unit: 's',
    kind: 'time',
    value: ({ result }) => result.decisions.control.minimumOffTime,
    setBy: 'decisions.control.minimumOffTime',
  },
  rippleRatio: {
    name: 'Ripple ratio',
    symbol: 'r',
    unit: '%',
    kind: 'ratio',
    value: ({ result }) => result.decisions.rippleRatio,
    setBy: 'decisions.rippleRatio',
  },
  inductance: {
    name: 'Inductance',
    symbol: 'L',
    unit: 'H',
    kind: 'part',
    value: ({ result }) => result.decisions.inductor.inductance,
    setBy: 'decisions.inductor.inductance',
    form: ({ design: { brief }, result }) =>
      result.decided.some((d) => d.path === 'inductor.inductance')
        ? {
            tex: `L = \\frac{\\q{outputVoltage}\\left(1 - \\q{outputVoltage} / ${brief.inputVoltage.max}\\,\\mathrm V\\right)}{\\q{rippleRatio}\\,(${brief.outputCurrent.max}\\,\\mathrm A / \\q{phases})\\,\\q{switchingFrequency}}`,
            inputs: ['outputVoltage', 'rippleRatio', 'phases', 'switchingFrequency'],
            evaluate: (q) =>
              buckInductance(
                q('outputVoltage'),
                Math.min(0.98, q('outputVoltage') / brief.inputVoltage.max),
                (q('rippleRatio') * brief.outputCurrent.max) / q('phases'),
                q('switchingFrequency'),
              ),
            holds: 'A buck’s ripple is largest at the highest input; then the nearest E6 value.',
            source: ERICKSON('ch. 2'),
          }
        : undefined,
  },
  saturationCurrent: {
    name: 'Saturation current',
    symbol: 'I_\\mathrm{sat}',
    unit: 'A',
    kind: 'current',
    value: ({ result }) => result.decisions.inductor.saturationCurrent,
    setBy: 'decisions.inductor.saturationCurrent',
    form: ({ result }) =>
      result.decided.some((d) => d.path === 'inductor.saturationCurrent')
        ? {
            tex: 'I_\\mathrm{sat} \\ge \\max\\left(1.35\\,\\q{inductorAverage},\\ 1.2\\,\\q{inductorPeak}\\right)',
            inputs: ['inductorAverage', 'inductorPeak'],
            evaluate: (q) => wantedSaturation(q('inductorAverage'), q('inductorPeak')),
            holds: 'At full load; then the next higher E24 value.',
            source: PRACTICE,
          }
        : undefined,
  },
  crossover: {
    name: 'Crossover assumed',
    symbol: 'f_c',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ result }) => ASSUMED_CROSSOVER * result.decisions.switchingFrequency,
    form: () => ({
      tex: `f_c = ${ASSUMED_CROSSOVER}\\,\\q{switchingFrequency}`,
      inputs: ['switchingFrequency'],
      evaluate: (q) => ASSUMED_CROSSOVER * q('switchingFrequency'),
      holds: 'Until the loop is designed: a tenth of the switching frequency.',
      source: PRACTICE,
    }),
  },
  slewDown: {
    name: 'Inductor slew, load on',
    symbol: 'm_\\uparrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result, point }) =>
      (Math.max(0, point.inputVoltage * result.decisions.control.maximumDuty - design.brief.outputVoltage) *
        result.decisions.phases) /
      result.decisions.inductor.inductance,
    form: () => ({
      tex: 'm_\\uparrow = \\frac{\\q{phases}\\left(\\q{maximumDuty}\\,\\q{inputVoltage} - \\q{outputVoltage}\\right)}{\\q{inductance}}',
      inputs: ['phases', 'maximumDuty', 'inputVoltage', 'outputVoltage', 'inductance'],
      evaluate: (q) =>
        (q('phases') * Math.max(0, q('maximumDuty') * q('inputVoltage') - q('outputVoltage'))) / q('inductance'),
      holds: 'Every phase at its largest duty.',
      source: 'Redl, Erisman and Zansky, 1998 (recalled from memory)',
    }),
  },
  slewUp: {
    name: 'Inductor slew, load off',
    symbol: 'm_\\downarrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result }) =>
      (design.brief.outputVoltage * result.decisions.phases) / result.decisions.inductor.inductance,
    form: () => ({
      tex: 'm_\\downarrow = \\frac{\\q{phases}\\,\\q{outputVoltage}}{\\q{inductance}}',
      inputs: ['phases', 'outputVoltage', 'inductance'],
      evaluate: (q) => (q('phases') * q('outputVoltage')) / q('inductance'),
      holds: 'Every control switch off.',
      source: 'Redl, Erisman and Zansky, 1998 (recalled from memory)',
    }),
  },
  loadStepUndershoot: {
    name: 'Undershoot, load on',
    symbol: '\\Delta v_\\downarrow',
    unit: 'V',
    kind: 'voltage',
    value: (scene) =>
      scene.design.brief.loadStep
        ? predictExcursion('down', scene.design, scene.result.decisions, scene.point.inputVoltage)
        : undefined,
    form: () => excursionForm('slewDown', '\\Delta v_\\downarrow'),
  },
  loadStepOvershoot: {
    name: 'Overshoot, load off',
    symbol: '\\Delta v_\\uparrow',
    unit: 'V',
    kind: 'voltage',
    value: (scene) =>
      scene.design.brief.loadStep
        ? predictExcursion('up', scene.design, scene.result.decisions, scene.point.inputVoltage)
        : undefined,
    form: () => excursionForm('slewUp', '\\Delta v_\\uparrow'),
  },
  linearEfficiency: {
    name: 'Linear regulator, efficiency',
    symbol: '\\eta_\\mathrm{lin}',
    unit: '%',
    kind: 'ratio',
    value: ({ design }) => linearAlternative(design.brief).efficiency,
    form: ({ design: { brief } }) => ({
      tex: `\\eta_\\mathrm{lin} = \\frac{\\q{outputVoltage}}{${brief.inputVoltage.nominal}\\,\\mathrm V}`,
      inputs: ['outputVoltage'],
      evaluate: (q) => Math.min(1, q('outputVoltage') / brief.inputVoltage.nominal),
      holds: 'At nominal input; the regulator’s own current left out.',
      source: PRACTICE,
    }),
  },
  linearHeat: {
    name: 'Linear regulator, heat',
    symbol: 'P_\\mathrm{lin}',
    unit: 'W',
    kind: 'power',
    value: ({ design }) => linearAlternative(design.brief).heat,
    form: ({ design: { brief } }) => ({
      tex: `P_\\mathrm{lin} = \\left(${brief.inputVoltage.max}\\,\\mathrm V - \\q{outputVoltage}\\right) ${brief.outputCurrent.max}\\,\\mathrm A`,
      inputs: ['outputVoltage'],
      evaluate: (q) => Math.max(0, brief.inputVoltage.max - q('outputVoltage')) * brief.outputCurrent.max,
      holds: 'At the highest input and full load.',
      source: PRACTICE,
    }),
  },
} as const satisfies Record<string, Quantity>;

function excursionForm(slew: string, symbol: string) {
  return {
    tex: `${symbol} = \\max\\left(\\frac{\\q{loadStep}^2}{2\\,\\q{${slew}}\\,\\q{outputCapacitance}} + \\frac{\\q{${slew}}\\,\\q{outputEsr}^2\\,\\q{outputCapacitance}}{2},\\ \\q{loadStep}\\sqrt{\\q{outputEsr}^2 + \\left(\\frac{1}{2\\pi\\,\\q{crossover}\\,\\q{outputCapacitance}}\\right)^2}\\right)`,
    inputs: ['loadStep', slew, 'outputCapacitance', 'outputEsr', 'crossover'],
    evaluate: (q: (id: string) => number) =>
      Math.max(
        slewExcursion(q('loadStep'), q(slew), q('outputCapacitance'), q('outputEsr')),
        loopExcursion(q('loadStep'), q('crossover'), q('outputCapacitance'), q('outputEsr')),
      ),
    holds: 'First estimate, the worse of slew and loop: the Loop and Scope rungs will replace it by the real loop.',
    source: `Redl, Erisman and Zansky, 1998 (slew; recalled from memory); ${PRACTICE.toLowerCase()} (loop)`,
  };
}
