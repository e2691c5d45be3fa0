import { hold } from '../design/decision.ts';
import type { Design, Decisions } from '../design/schema.ts';
import { heldVoltage, type OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { topologyModel } from '../topology/index.ts';
import { linePlaces, loadPlaces, pointsAlong } from './curves.ts';

export type LightLoad = NonNullable<Decisions['lightLoad']>;
export const LIGHT_LOADS: readonly LightLoad[] = ['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'];

/** A light-load policy against load at nominal input, everything else as the design stands: exact points. */
export function lightLoadCurve(design: Design, policy: LightLoad, count = 25): OperatingPoint[] {
  const { brief } = design;
  // free banks would follow the policy, and the curves then compare other hardware
  const { outputCapacitors, inputCapacitors } = completeDecisions(design).decisions;
  const banked = hold(hold(design, 'outputCapacitors', outputCapacitors), 'inputCapacitors', inputCapacitors);
  const held = hold(banked, 'lightLoad', policy);
  return pointsAlong(held, 'outputCurrent', loadPlaces(brief, count), brief.inputVoltage.nominal);
}

/** The design as it stands over the line, at full and at the lightest load: exact points. */
export function lineCurves(design: Design, count = 33): { load: number; points: OperatingPoint[] }[] {
  const { min, max } = design.brief.outputCurrent;
  return [...new Set([max, min])].map((load) => ({
    load,
    points: pointsAlong(design, 'inputVoltage', linePlaces(design.brief, count), load),
  }));
}

/** Duties of a sweep, within which a stage can be built. */
const DUTIES = { low: 0.05, high: 0.95 };

/**
 * The design as it stands over the lossless duty, at full and at the lightest load: exact points at the inputs that ask
 * for it. Those that the output cannot be had from, for the stage's losses, are left out.
 */
export function dutyCurves(design: Design, count = 37): { load: number; duties: number[]; points: OperatingPoint[] }[] {
  const { outputVoltage, outputCurrent } = design.brief;
  const model = topologyModel(completeDecisions(design).decisions.topology);
  const duties = Array.from({ length: count }, (_, i) => DUTIES.low + ((DUTIES.high - DUTIES.low) * i) / (count - 1));
  return [...new Set([outputCurrent.max, outputCurrent.min])].map((load) => {
    const found = duties.flatMap((duty) => {
      const points = pointsAlong(design, 'inputVoltage', [outputVoltage / model.idealRatio(duty)], load);
      return points
        .filter((point) => Math.abs(heldVoltage(point) / outputVoltage - 1) < 1e-3)
        .map((point) => ({ duty, point }));
    });
    return { load, duties: found.map(({ duty }) => duty), points: found.map(({ point }) => point) };
  });
}
