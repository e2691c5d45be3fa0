import type { CapacitorBank, Decisions, Topology } from './schema.ts';

/** The network that adds the inductor’s ripple to a comparator’s feedback: Ω and F. */
export interface InjectionNetwork {
  resistor: number;
  capacitor: number;
  coupling: number;
}

/** Decisions with nothing left open that the power stage needs. */
export interface CompleteDecisions extends Decisions {
  topology: Topology;
  phases: number;
  switchingFrequency: number;
  lightLoad: NonNullable<Decisions['lightLoad']>;
  rippleSchool: NonNullable<Decisions['rippleSchool']>;
  rippleRatio: number;
  inductor: NonNullable<Decisions['inductor']> & {
    inductance: number;
    resistance: number;
    saturationCurrent: number;
  };
  controlSwitch: NonNullable<Decisions['controlSwitch']> & { onResistance: number };
  rectifier: NonNullable<Decisions['rectifier']>;
  outputCapacitors: CapacitorBank[];
  inputCapacitors: CapacitorBank[];
  control: ControlLimits & {
    method: NonNullable<NonNullable<Decisions['control']>['method']>;
  };
}

/**
 * The decisions as they are built: a divider that a rule assumes, where neither the file nor a chosen controller stands for
 * one, is what the loop reckons with, and loses nothing yet.
 */
export function asBuilt({ compensator: given = {} }: Decisions, decisions: CompleteDecisions): CompleteDecisions {
  const { control, compensator } = decisions;
  if (!compensator || control.partId || (given.dividerTop && given.dividerBottom)) return decisions;
  const { dividerTop: _, ...network } = compensator;
  return { ...decisions, compensator: network };
}

/** What a controller can give, whatever its method. */
export type ControlLimits = NonNullable<Decisions['control']> & {
  referenceVoltage: number;
  minimumOnTime: number;
  minimumOffTime: number;
  maximumDuty: number;
  deadTime: number;
  /** absent, or whole */
  rippleInjection?: InjectionNetwork | undefined;
};
