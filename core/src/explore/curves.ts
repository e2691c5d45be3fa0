import type { Brief, Design } from '../design/schema.ts';
import { within } from '../numbers/linear.ts';
import { solveCorner, type OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { asBuilt, type CompleteDecisions } from '../design/complete.ts';
import { conditionsAt } from '../topology/ofDesign.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { topologyModel } from '../topology/index.ts';

/** Pairs to draw. */
export interface Curve {
  x: number[];
  y: number[];
}

export type Axis = 'inputVoltage' | 'outputCurrent';

/**
 * Exact operating points along the line or the load, everything else as the design stands.
 * @param values V or A; those without a periodic state are left out
 */
export function pointsAlong(design: Design, axis: Axis, values: readonly number[], other: number): OperatingPoint[] {
  const decisions = asBuilt(design.decisions, completeDecisions(design).decisions);
  const model = topologyModel(decisions.topology);
  const points: OperatingPoint[] = [];
  within(MOST_WORK, () => {
    for (const value of values) {
      const corner =
        axis === 'inputVoltage'
          ? { inputVoltage: value, outputCurrent: other }
          : { inputVoltage: other, outputCurrent: value };
      const { point } = solveCorner(model, design.brief, decisions, corner);
      if (point) points.push(point);
    }
  });
  return points;
}

/** Multiplications that one curve may take: a few seconds; what is found until then is drawn. */
const MOST_WORK = 2e9;

/** Places along the load, from a thousandth of full load (or its minimum, when that is lower) to full load, by equal ratios. */
export function loadPlaces({ outputCurrent }: Brief, count: number): number[] {
  const low = Math.min(outputCurrent.min || Infinity, outputCurrent.max / 1000);
  return Array.from({ length: count }, (_, i) => low * (outputCurrent.max / low) ** (i / (count - 1)));
}

export function linePlaces({ inputVoltage }: Brief, count: number): number[] {
  const { min, max } = inputVoltage;
  return max > min ? Array.from({ length: count }, (_, i) => min + ((max - min) * i) / (count - 1)) : [min];
}

/** Conversion ratio against duty at full load and nominal input, ideal and with the stage's resistances and drops. */
export function ratioAgainstDuty(
  { brief }: Design,
  decisions: CompleteDecisions,
  count = 161,
): { region: string | undefined; ideal: Curve; withLosses: Curve }[] {
  const model = topologyModel(decisions.topology);
  const corner = { inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.max };
  const resistance = (brief.outputVoltage / brief.outputCurrent.max) * decisions.phases;
  const conditions = conditionsAt(brief, decisions, corner);
  const operations = model.operations(conditions).filter(({ transition }) => !transition);
  return operations.map((operation) => {
    const duties = Array.from({ length: count }, (_, i) => (i / (count - 1)) * 0.999);
    const ideal = (duty: number): number => {
      const { control, rectifier } = operation.cells;
      const from = duty * control!.fromInput + (1 - duty) * rectifier!.fromInput;
      return from / (duty * control!.toOutput + (1 - duty) * rectifier!.toOutput);
    };
    return {
      region: operation.region,
      ideal: { x: duties, y: duties.map(ideal) },
      withLosses: {
        x: duties,
        y: duties.map((duty) => operation.forms.ratioWithLosses(operation.conditions, duty, resistance)),
      },
    };
  });
}

/** Where a corner stands on the map of conduction modes: K = 2L·f/R of one phase against its critical value. */
export interface ModePlace {
  inputVoltage: number;
  outputCurrent: number;
  duty: number;
  k: number;
  critical: number;
  mode: string;
}

/**
 * The boundary K = Kcrit(D), one for each leg that may switch alone, and the design's corners on it. A four-switch
 * stage's transition has no boundary of its own and is left out.
 */
export function modeMap(
  { brief }: Design,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
  count = 101,
): { boundaries: { region: string | undefined; curve: Curve }[]; places: ModePlace[] } {
  const model = topologyModel(decisions.topology);
  const nominal = { inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.max };
  const duties = Array.from({ length: count }, (_, i) => i / (count - 1));
  return {
    boundaries: model
      .operations(conditionsAt(brief, decisions, nominal))
      .filter(({ transition }) => !transition)
      .map(({ region, forms }) => ({ region, curve: { x: duties, y: duties.map((duty) => forms.criticalK(duty)) } })),
    places: points
      .filter((point) => point.outputCurrent > 0 && point.region !== 'buck-boost')
      .flatMap((point) => {
        const operation = model
          .operations(conditionsAt(brief, decisions, point))
          .find(({ region }) => region === point.region);
        if (!operation) return [];
        const resistance = (brief.outputVoltage / point.outputCurrent) * decisions.phases;
        // the duty of continuous conduction: on the map a discontinuous stage is one that falls short of its boundary
        const duty = Math.min(1, Math.max(0, operation.forms.ccmDuty(operation.conditions)));
        return {
          inputVoltage: point.inputVoltage,
          outputCurrent: point.outputCurrent,
          duty,
          k: (2 * decisions.inductor.inductance * point.switchingFrequency) / resistance,
          critical: operation.forms.criticalK(duty),
          mode: point.conductionMode,
        };
      })
      .filter(({ duty }) => Number.isFinite(duty)),
  };
}

/** The duties over the line at full load, lossless: what span of an interleaving picture this design uses. */
export function dutySpan(points: readonly OperatingPoint[]): { min: number; max: number } {
  const duties = points.filter((point) => point.onTime > 0).map((point) => point.onTime * point.switchingFrequency);
  return { min: Math.min(1, ...duties), max: Math.max(0, ...duties) };
}
