import { PRACTICE, type Form, type Quantity } from '../explain/form.ts';
import type { StageScene } from '../stage/scene.ts';
import { transientFactor } from '../estimates/coupling.ts';
import { rampOf } from '../estimates/loadStep.ts';
import type { Slew } from '../estimates/slew.ts';
import { joinedExcursion, slewExcursion } from '../estimates/outputBank.ts';
import { AT_SECTION, OF_ZERO, type Reached } from '../control/crossoverLimit.ts';
import { sectionOf } from '../control/secondSection.ts';
import { excursionParts, predictExcursion, stepAt, type Step } from './excursion.ts';

const SLEW_SOURCE = 'Redl, Erisman and Zansky, 1998 (recalled from memory)';

const COUPLED = 'Coupled windings count with the inductance they have when all move together.';

const slewFigures = ({ duty, drop }: Slew) => ({
  duty: { value: duty, unit: '' as const, symbol: 'D' },
  drop: { value: drop, unit: 'V' as const, symbol: 'v_\\mathrm{drop}' },
});

/** What the inductance counts for while all phases move together, typeset; nothing where they are not coupled. */
function together({ decisions }: StageScene['result']): string {
  const factor = transientFactor(decisions);
  return factor === 1 ? '' : `${factor} * `;
}

/** The load step, and what the stage meets it with. */
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
    name: 'Crossover that can be had',
    symbol: 'f_c',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ design, result, point }) => stepAt(design, result.decisions, point.inputVoltage).crossover,
    form: ({ design, result, point }) => crossoverForm(stepAt(design, result.decisions, point.inputVoltage)),
  },
  slewDown: {
    name: 'Slew delivered, load coming on',
    symbol: 'm_\\uparrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result, point }) => finite(stepAt(design, result.decisions, point.inputVoltage).up.slew),
    form: ({ design, result, point }) =>
      result.decisions.topology === 'buck'
        ? {
            expression: `phases * max(0, duty * inputVoltage - outputVoltage - drop) / (${together(result)}inductance)`,
            figures: slewFigures(stepAt(design, result.decisions, point.inputVoltage).up),
            holds: `Every phase at the largest duty that it can have, less what winding and switches drop halfway through the step. ${COUPLED}`,
            source: SLEW_SOURCE,
          }
        : undefined,
  },
  slewUp: {
    name: 'Slew delivered, load going off',
    symbol: 'm_\\downarrow',
    unit: 'A/s',
    kind: 'current',
    value: ({ design, result, point }) => finite(stepAt(design, result.decisions, point.inputVoltage).down.slew),
    form: ({ design, result, point }) => {
      if (result.decisions.topology !== 'buck') return undefined;
      const { down } = stepAt(design, result.decisions, point.inputVoltage);
      return {
        expression: `phases * max(0, outputVoltage + drop - duty * inputVoltage) / (${together(result)}inductance)`,
        figures: slewFigures(down),
        holds: `${
          down.duty > 0
            ? 'A comparator that sees the current is blind for the shortest pulse, which comes at each clock: the current falls by what is left.'
            : 'Every control switch off, with what winding and rectifiers drop halfway through the step.'
        } ${COUPLED}`,
        source: SLEW_SOURCE,
      };
    },
  },
  undershootBySlew: {
    name: 'Undershoot that the slew leaves',
    symbol: '\\Delta v_\\uparrow',
    unit: 'V',
    kind: 'voltage',
    value: (scene) => slewed('down', scene),
    form: (scene) => slewForm('slewDown', scene),
  },
  overshootBySlew: {
    name: 'Overshoot that the slew leaves',
    symbol: '\\Delta v_\\downarrow',
    unit: 'V',
    kind: 'voltage',
    value: (scene) => slewed('up', scene),
    form: (scene) => slewForm('slewUp', scene),
  },
  excursionByLoop: {
    name: 'Excursion that the loop leaves',
    symbol: '\\Delta v_\\mathrm{loop}',
    unit: 'V',
    kind: 'voltage',
    value: (scene) => partsOf('down', scene)?.byLoop,
    form: (scene) => {
      const { late } = stepOf(scene);
      const { whole, figures } = wholeOf(scene);
      return {
        expression: `${ramped(scene).times}${late > 0 ? '(loadStep + late)' : 'loadStep'} * sqrt(outputEsr^2 + (1 / (2 * pi * crossover * ${whole}))^2)`,
        figures: {
          ...figures,
          ...ramped(scene).figures,
          ...(late > 0 ? { late: { value: late, unit: 'A' as const, symbol: 'I_\\mathrm{late}' } } : {}),
        },
        holds: `The step times the bank’s impedance at the crossover${ramped(scene).times === '' ? '' : ', and the part of it that is still to be made up for as the load has come'}.${
          late > 0
            ? ' Out of where the current stops the control has a way to go first, which counts as so much more of a step.'
            : ''
        }`,
        source: PRACTICE,
      };
    },
  },
  loadStepUndershoot: {
    name: 'Load-step undershoot',
    symbol: '\\Delta v_\\mathrm{under}',
    unit: 'V',
    kind: 'voltage',
    value: (scene) =>
      scene.design.brief.loadStep
        ? predictExcursion('down', scene.design, scene.result.decisions, scene.point)
        : undefined,
    form: (scene) => excursionForm('undershootBySlew', scene),
  },
  loadStepOvershoot: {
    name: 'Load-step overshoot',
    symbol: '\\Delta v_\\mathrm{over}',
    unit: 'V',
    kind: 'voltage',
    value: (scene) =>
      scene.design.brief.loadStep
        ? predictExcursion('up', scene.design, scene.result.decisions, scene.point)
        : undefined,
    form: (scene) => excursionForm('overshootBySlew', scene),
  },
} as const satisfies Record<string, Quantity<StageScene>>;

/** What limits the loop that can be had, at this input. */
function crossoverForm({ limit, part, zero, section, uncut, gain, filter, whole }: Reached): Form {
  const figures = { gain: { value: gain, unit: '' as const } };
  switch (limit) {
    case 'frequency':
      return {
        expression: `${part} * switchingFrequency * gain`,
        figures,
        holds:
          'A tenth of the switching frequency (up to 16 % where several phases act in turn on a voltage-mode loop; less where both legs of a four-switch stage switch, where a sample is a period old, or where an average current’s own loop stands below) at the input whose loop gain is highest, and in proportion where it is lower.',
        source: PRACTICE,
      };
    case 'zero':
      return {
        expression: `min(${part} * switchingFrequency, ${OF_ZERO} * zero) * gain`,
        figures: { ...figures, zero: { value: zero, unit: 'Hz' } },
        holds:
          'A quarter of the right-half-plane zero where over the line that binds most, and in proportion to the loop gain at other inputs.',
        source: PRACTICE,
      };
    case 'duty':
      return {
        expression: 'uncut * gain',
        figures: { ...figures, uncut: { value: uncut, unit: 'Hz' } },
        holds:
          'A digital controller remembers the duty that it gave, not the one that it meant: where an end of the duty cuts its first answer to a step off, it takes long to make up for it. Up to here none does.',
        source: PRACTICE,
      };
    case 'section':
      return {
        expression: `${AT_SECTION} * section * gain`,
        figures: { ...figures, section: { value: section, unit: 'Hz' } },
        holds:
          'The loop senses behind a second filter section, whose resonance over its sharpness it has to stay below: its peak then lies 10 dB under one.',
        source: PRACTICE,
      };
    case 'filter':
      return {
        expression: '1 / (2 * pi * sqrt(filter * whole))',
        figures: { filter: { value: filter, unit: 'H' }, whole: { value: whole, unit: 'F' } },
        holds:
          'No crossover that can be had passes the output filter’s resonance in voltage mode: the step rings at that resonance, against the inductance as the output sees it.',
        source: PRACTICE,
      };
  }
}

export type StepQuantity = keyof typeof stepQuantities;

/** A current that starts from nothing in each period has no slew to speak of. */
const finite = (slew: number): number | undefined => (Number.isFinite(slew) ? slew : undefined);

const stepOf = ({ design, result, point }: StageScene): Step => stepAt(design, result.decisions, point.inputVoltage);

const partsOf = (direction: 'down' | 'up', scene: StageScene) =>
  scene.design.brief.loadStep && excursionParts(direction, scene.design, scene.result.decisions, stepOf(scene));

/** The part of a step that is left to the loop where the load takes its time, as a factor; nothing where it does not. */
function ramped(scene: StageScene) {
  const { left = 1 } = partsOf('down', scene) ?? {};
  return left === 1
    ? { times: '', figures: {} }
    : { times: 'left * ', figures: { left: { value: left, unit: '' as const, symbol: 'k_\\mathrm{ramp}' } } };
}

/** What the slew alone leaves, where the current has one. */
function slewed(direction: 'down' | 'up', scene: StageScene): number | undefined {
  const { up, down } = stepOf(scene);
  return Number.isFinite((direction === 'down' ? up : down).slew) ? partsOf(direction, scene)?.bySlew : undefined;
}

/** A second section adds its capacitors to the bank's. */
function wholeOf({ result: { decisions } }: StageScene) {
  const { capacitance } = sectionOf(decisions.outputFilter);
  return decisions.outputFilter
    ? { whole: '(outputCapacitance + behind)', figures: { behind: { value: capacitance, unit: 'F' as const } } }
    : { whole: 'outputCapacitance', figures: {} };
}

function slewForm(id: 'slewDown' | 'slewUp', scene: StageScene): Form | undefined {
  const { up, down } = stepOf(scene);
  // no slew at all moves the output away
  if (!((id === 'slewDown' ? up : down).slew > 0)) return undefined;
  const { whole, figures } = wholeOf(scene);
  return {
    expression: `bySlew(loadStep, ${id}, ${whole}, outputEsr, ramp)`,
    figures: {
      ...figures,
      ramp: {
        value: scene.design.brief.loadStep ? rampOf(scene.design.brief.loadStep) : 0,
        unit: 's' as const,
        symbol: 't_\\mathrm{ramp}',
      },
    },
    functions: {
      bySlew: {
        call: (step = 0, slope = 0, farads = 0, ohms = 0, ramp = 0) => slewExcursion(step, slope, farads, ohms, ramp),
        tex: (step, slope, farads, ohms, ramp) =>
          `\\frac{\\left(${step} - ${slope}\\cdot ${ramp}\\right)\\cdot ${ramp}}{2\\cdot ${farads}} + \\frac{\\left(${step} - ${slope}\\cdot ${ramp}\\right)^2}{2\\cdot ${slope}\\cdot ${farads}} + \\frac{${slope}\\cdot \\left(${ohms}\\right)^2\\cdot ${farads}}{2}`,
      },
    },
    holds:
      'While the inductor’s current moves to its new value bank and ESR carry the difference, less what it has followed while the load came; a step that it follows within the bank’s own time constant meets the ESR alone.',
    source: SLEW_SOURCE,
  };
}

function excursionForm(id: 'undershootBySlew' | 'overshootBySlew', scene: StageScene): Form {
  const { outputFilter } = scene.result.decisions;
  const { impedance } = sectionOf(outputFilter);
  // what the load meets behind a second section until its inductance follows
  const { times: left, figures: ramp } = ramped(scene);
  const beyond = outputFilter ? `${left}loadStep * section + ` : '';
  const figures = { ...ramp, ...(outputFilter ? { section: { value: impedance, unit: 'Ω' as const } } : {}) };
  const { up, down } = stepOf(scene);
  if (!Number.isFinite((id === 'undershootBySlew' ? up : down).slew))
    return {
      expression: `excursionByLoop + ${beyond}outputRipple / 2`,
      figures,
      holds:
        'An estimate by the loop alone, and half the ripple that stands on it: the current starts from nothing in each period. The Scope rung simulates the real one.',
      source: PRACTICE,
    };
  return {
    expression: `joined(${id}, excursionByLoop, ${left}loadStep * outputEsr) + ${beyond}outputRipple / 2`,
    figures,
    functions: {
      joined: {
        call: (one = 0, other = 0, esr = 0) => joinedExcursion(one, other, esr),
        tex: (one, other, esr) =>
          `${esr} + \\sqrt[4]{\\left(${one} - ${esr}\\right)^4 + \\left(${other} - ${esr}\\right)^4}`,
      },
    },
    holds:
      'An estimate: what the slew and what the loop alone would leave, beyond what the ESR makes of the step in both, joined as simulation shows that they join, and half the ripple that stands on it. The Scope rung simulates the real one.',
    source: 'Our own, held against the simulator',
  };
}
