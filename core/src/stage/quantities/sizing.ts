import type { StageScene } from '../scene.ts';
import { ERICKSON, PRACTICE, type Quantity } from '../../explain/form.ts';
import type { Brief, Design } from '../../design/schema.ts';
import type { OperatingPoint } from '../operating/operatingPoint.ts';
import type { CompleteDecisions } from '../../design/complete.ts';
import { conditionsAt } from '../../topology/ofDesign.ts';
import { topologyModel } from '../../topology/index.ts';
import { frequencyFor, usualFrequencyFor } from '../sizing/pace.ts';
import { dutyEnds, type StageShape } from '../sizing/shape.ts';
import { sizingCorners, worstRipple } from '../../estimates/corners.ts';
import { SMALL_CURRENT } from '../sizing/mode.ts';
import { meansPulses, PULSED_DUTY, pulsedInductance, switchedVoltage } from '../sizing/pulses.ts';
import { transientFactor } from '../../estimates/coupling.ts';
import { estimate } from '../../estimates/estimate.ts';
import { linearAlternative } from '../../estimates/linearRegulator.ts';

/** A complete design's shape, as its frequency was chosen from it. */
function shapeOf({ brief, decisions: given }: Design, decisions: CompleteDecisions): StageShape {
  const { topology, phases, control, rippleSchool, rippleRatio } = decisions;
  return {
    brief,
    model: topologyModel(topology),
    phases,
    control,
    rippleSchool,
    rippleRatio,
    pulsed: meansPulses(brief, given, topology),
    rectifier: decisions.rectifier.kind,
    given,
  };
}

/** Hz, at a corner of the design as it stands; none where the current stops, or where nothing keeps the inductor from the output. */
export function zeroAt(
  brief: Brief,
  decisions: CompleteDecisions,
  point: Pick<OperatingPoint, 'inputVoltage' | 'outputCurrent' | 'conductionMode'>,
): number | undefined {
  if (point.conductionMode !== 'CCM' || point.outputCurrent === 0) return undefined;
  const conditions = conditionsAt(brief, decisions, point);
  // coupled phases move together
  const together = { ...conditions, inductance: conditions.inductance * transientFactor(decisions) };
  return estimate(topologyModel(decisions.topology), together).rightHalfPlaneZero;
}

/** Decisions and first estimates with the rule that makes them. */
export const sizingQuantities = {
  switchingFrequency: {
    name: 'Switching frequency',
    symbol: 'f',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ point }) => point.switchingFrequency,
    setBy: 'decisions.switchingFrequency',
    form: ({ design, result: { decided, decisions } }) => {
      if (!decided.some((d) => d.path === 'switchingFrequency')) return undefined;
      const shape = shapeOf(design, decisions);
      const { low, high } = dutyEnds(shape);
      const usual = usualFrequencyFor(shape);
      return {
        expression: 'chosen(usual, low / (1.25 * minimumOnTime), (1 - high) / (1.25 * minimumOffTime))',
        relation: '\\le',
        figures: {
          usual: { value: usual, unit: 'Hz' },
          low: { value: low.duty, unit: '%' },
          high: { value: high.duty, unit: '%' },
        },
        functions: {
          chosen: {
            call: (_, byOnTime = 0, byOffTime = 0) =>
              frequencyFor({
                ...shape,
                control: {
                  ...shape.control,
                  minimumOnTime: low.duty / (1.25 * byOnTime),
                  minimumOffTime: (1 - high.duty) / (1.25 * byOffTime),
                },
              }).frequency,
            tex: (...limits) => `\\min\\left(${limits.join(',\\ ')},\\ f(P_\\mathrm{max})\\right)`,
          },
        },
        holds: `The usual frequency for the ${switchedVoltage(shape).toPrecision(3)} V that are switched (falling with its power 0.7 above 40 V, half of it in pulses and for a far step up); ideal duty, smallest at ${low.input.toPrecision(4)} V and largest at ${high.input.toPrecision(4)} V, a quarter of each time limit to spare; and the frequency at which switches and windings that can be had are expected to lose no more than their share. Then a value that people set, clear of the brief’s bands. A four-switch stage’s transition takes over at its limits instead.`,
        source: PRACTICE,
      };
    },
  },
  minimumOnTime: {
    name: 'Minimum on-time',
    symbol: 't_\\mathrm{on,min}',
    unit: 's',
    kind: 'time',
    value: ({ result }) => result.decisions.control.minimumOnTime,
    setBy: 'decisions.control.minimumOnTime',
  },
  minimumOffTime: {
    name: 'Minimum off-time',
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
    form: ({ design: { brief, decisions: given }, result: { decided, decisions } }) => {
      if (decisions.conduction === 'critical' || !decided.some((d) => d.path === 'inductor.inductance'))
        return undefined;
      const { switchingFrequency } = decisions;
      if (meansPulses(brief, given, decisions.topology)) {
        const shape = { brief, model: topologyModel(decisions.topology) };
        const volts = pulsedInductance(shape.brief, shape.model, 1);
        return {
          expression: '(pulsed * lowest)^2 / (2 * load * switchingFrequency * fall)',
          figures: {
            pulsed: { value: PULSED_DUTY, unit: '%' },
            lowest: { value: brief.inputVoltage.min, unit: 'V' },
            load: { value: brief.outputCurrent.max, unit: 'A' },
            fall: {
              value: (PULSED_DUTY * brief.inputVoltage.min) ** 2 / (2 * brief.outputCurrent.max * volts),
              unit: 'V',
            },
          },
          holds:
            'Discontinuous conduction, lossless: the duty named at the least input and full load; the last figure is what the inductor discharges against. Then the next lower E6 value.',
          source: ERICKSON('ch. 5'),
        };
      }
      const corners = sizingCorners(brief, decisions, 1);
      const worst = worstRipple(corners);
      const largest = Math.max(SMALL_CURRENT, ...corners.map((at) => at.inductorAverage));
      const volts = worst.inductorRipple * switchingFrequency;
      return {
        expression: 'voltSeconds / (rippleRatio * largest * switchingFrequency)',
        figures: { voltSeconds: { value: volts, unit: 'V' }, largest: { value: largest, unit: 'A' } },
        holds: `Volts across the inductor times their part of the period, largest over the line at ${worst.inputVoltage.toPrecision(4)} V; the current is what one phase’s inductor carries at most at full load. Then the nearest E6 value.`,
        source: ERICKSON('ch. 2'),
      };
    },
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
            expression: 'max(1.35 * inductorAverage, 1.2 * inductorPeak)',
            relation: '\\ge',
            holds: 'At full load; then the next higher E24 value.',
            source: PRACTICE,
          }
        : undefined,
  },
  rightHalfPlaneZero: {
    name: 'Right-half-plane zero',
    symbol: 'f_z',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ design: { brief }, result: { decisions }, point }) => zeroAt(brief, decisions, point),
    exact: true,
    form: ({ result: { decisions }, point }) => {
      if (transientFactor(decisions) !== 1 || point.region === 'buck') return undefined;
      const duty = point.region ? 'boostDuty' : 'duty';
      const inverting = decisions.topology === 'inverting-buck-boost';
      return {
        expression: `phases * (1 - ${duty})^2 * outputVoltage / (2 * pi * ${inverting ? 'duty * ' : ''}inductance * outputCurrent)`,
        holds:
          'Averaged model in continuous conduction: a longer on-time first starves the output. Lowest at the least input and full load; the loop must cross over well below it.',
        source: ERICKSON('ch. 8'),
      };
    },
  },
  linearEfficiency: {
    name: 'Linear regulator, efficiency',
    symbol: '\\eta_\\mathrm{lin}',
    unit: '%',
    kind: 'ratio',
    value: ({ design }) => linearAlternative(design.brief).efficiency,
    form: ({ design: { brief } }) => ({
      expression: 'min(1, outputVoltage / nominal)',
      figures: { nominal: { value: brief.inputVoltage.nominal, unit: 'V' } },
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
      expression: 'max(0, highest - outputVoltage) * load',
      figures: {
        highest: { value: brief.inputVoltage.max, unit: 'V' },
        load: { value: brief.outputCurrent.max, unit: 'A' },
      },
      holds: 'At the highest input and full load.',
      source: PRACTICE,
    }),
  },
} as const satisfies Record<string, Quantity<StageScene>>;
