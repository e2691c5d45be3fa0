import { PRACTICE, type Quantity } from '../explain/form.ts';
import type { StageScene } from '../stage/scene.ts';
import { transientFactor } from '../stage/sizing/coupling.ts';
import {
  ASSUMED_CROSSOVER,
  assumedCrossover,
  CROSSOVER_BELOW_ZERO,
  loopExcursion,
  slewExcursion,
} from '../stage/sizing/outputBank.ts';
import { predictExcursion, stepAt } from './excursion.ts';

const SLEW_SOURCE = 'Redl, Erisman and Zansky, 1998 (recalled from memory)';

/** What the inductance counts for while all phases move together, typeset; nothing where they are not coupled. */
function together({ decisions }: StageScene['result']): string {
  const factor = transientFactor(decisions);
  return factor === 1 ? '' : `${factor.toPrecision(3)}\\,`;
}

/** The load step and what the stage meets it with. */
export const stepQuantities = {
  loadStep: {
    name: 'Load step',
    symbol: '\\Delta I_\\mathrm{out}',
    unit: 'A',
    kind: 'current',
    value: ({ design: { brief } }) => (brief.loadStep ? Math.abs(brief.loadStep.to - brief.loadStep.from) : undefined),
    setBy: 'brief.loadStep',
  },
  crossover: {
    name: 'Crossover assumed',
    symbol: 'f_c',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ design, result, point }) => stepAt(design, result.decisions, point.inputVoltage).crossover,
    form: ({ design, result, point }) => {
      const zero = stepAt(design, result.decisions, point.inputVoltage).rightHalfPlaneZero;
      return {
        tex:
          zero === undefined
            ? `f_c = ${ASSUMED_CROSSOVER}\\,\\q{switchingFrequency}`
            : `f_c = \\min\\left(${ASSUMED_CROSSOVER}\\,\\q{switchingFrequency},\\ ${CROSSOVER_BELOW_ZERO}\\cdot ${zero.toPrecision(4)}\\,\\mathrm{Hz}\\right)`,
        inputs: ['switchingFrequency'],
        evaluate: () => assumedCrossover(result.decisions.switchingFrequency, zero),
        holds:
          'Until the loop is designed: a tenth of the switching frequency, and a quarter of the right-half-plane zero where there is one.',
        source: PRACTICE,
      };
    },
  },
  slewDown: {
    name: 'Slew delivered, load on',
    symbol: 'm_\\uparrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result, point }) => stepAt(design, result.decisions, point.inputVoltage).up,
    form: ({ result }) =>
      result.decisions.topology === 'buck'
        ? {
            tex: `m_\\uparrow = \\frac{\\q{phases}\\left(\\q{maximumDuty}\\,\\q{inputVoltage} - \\q{outputVoltage}\\right)}{${together(result)}\\q{inductance}}`,
            inputs: ['phases', 'maximumDuty', 'inputVoltage', 'outputVoltage', 'inductance'],
            evaluate: (q) =>
              (q('phases') * Math.max(0, q('maximumDuty') * q('inputVoltage') - q('outputVoltage'))) /
              (transientFactor(result.decisions) * q('inductance')),
            holds:
              'Every phase at its largest duty; coupled windings count with the inductance they have when all move together.',
            source: SLEW_SOURCE,
          }
        : undefined,
  },
  slewUp: {
    name: 'Slew delivered, load off',
    symbol: 'm_\\downarrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result, point }) => stepAt(design, result.decisions, point.inputVoltage).down,
    form: ({ result }) =>
      result.decisions.topology === 'buck'
        ? {
            tex: `m_\\downarrow = \\frac{\\q{phases}\\,\\q{outputVoltage}}{${together(result)}\\q{inductance}}`,
            inputs: ['phases', 'outputVoltage', 'inductance'],
            evaluate: (q) => (q('phases') * q('outputVoltage')) / (transientFactor(result.decisions) * q('inductance')),
            holds:
              'Every control switch off; coupled windings count with the inductance they have when all move together.',
            source: SLEW_SOURCE,
          }
        : undefined,
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
} as const satisfies Record<string, Quantity<StageScene>>;

export type StepQuantity = keyof typeof stepQuantities;

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
