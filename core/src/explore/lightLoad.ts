import { hold } from '../design/decision.ts';
import type { Design, Decisions } from '../design/schema.ts';
import type { OperatingPoint } from '../operating/operatingPoint.ts';
import { linePlaces, loadPlaces, pointsAlong } from './curves.ts';

export type LightLoad = NonNullable<Decisions['lightLoad']>;
export const LIGHT_LOADS: readonly LightLoad[] = ['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'];

/** Each light-load policy against load at nominal input, everything else as the design stands: exact points. */
export function lightLoadCurves(design: Design, count = 25): { policy: LightLoad; points: OperatingPoint[] }[] {
  const places = loadPlaces(design.brief, count);
  return LIGHT_LOADS.map((policy) => ({
    policy,
    points: pointsAlong(hold(design, 'lightLoad', policy), 'outputCurrent', places, design.brief.inputVoltage.nominal),
  }));
}

/** The design as it stands over the line, at full and at the lightest load: exact points. */
export function lineCurves(design: Design, count = 33): { load: number; points: OperatingPoint[] }[] {
  const { min, max } = design.brief.outputCurrent;
  return [...new Set([max, min])].map((load) => ({
    load,
    points: pointsAlong(design, 'inputVoltage', linePlaces(design.brief, count), load),
  }));
}
