import type { Brief, Topology } from '../../design/schema.ts';
import { switchClassFor } from '../../shelf/usual/switches.ts';
import { topologyModel } from '../../topology/index.ts';
import type { Estimate } from '../../estimates/estimate.ts';
import { dieArea, sizeSwitch, type SizedSwitch, type SwitchNeed } from '../../estimates/switchLoss.ts';

/** The needs of both switches of a phase over its telling corners; of a rectifier that is a switch. */
export interface StageNeeds {
  control: SwitchNeed;
  rectifier: SwitchNeed;
  /** switches of each kind in a phase: two where a four-switch stage's legs share them */
  legs: 1 | 2;
}

export function needsOf(brief: Brief, topology: Topology, at: readonly Estimate[]): StageNeeds {
  const legs = topology === 'four-switch-buck-boost' ? 2 : 1;
  const most = (of: (corner: Estimate) => number): number => Math.max(...at.map(of));
  const stress = topologyModel(topology).switchStress(brief.inputVoltage.max, brief.outputVoltage);
  // one switch for both legs stands the higher side, and the resting leg's carries the whole current
  const blocked = legs === 2 ? Math.max(stress.control, stress.rectifier) : undefined;
  const whole = most((corner) => Math.hypot(corner.inductorAverage, corner.inductorRipple / Math.sqrt(12)));
  return {
    control: {
      blocked: blocked ?? stress.control,
      rms: legs === 2 ? whole : most((corner) => corner.controlRms),
      on: most((corner) => (corner.pulsed ? 0 : corner.inductorAverage - corner.inductorRipple / 2)),
      off: most((corner) => corner.peak),
    },
    rectifier: {
      blocked: blocked ?? stress.rectifier,
      rms: legs === 2 ? whole : most((corner) => corner.rectifierRms),
      on: 0,
      off: 0,
    },
    legs,
  };
}

/** Both switches, by the rule of least loss, or from an area of silicon that all of the stage's switches share (m²). */
export function sizeSwitches(
  needs: StageNeeds,
  frequency: number,
  phases: number,
  synchronous: boolean,
  silicon?: number,
): { control: SizedSwitch; rectifier: SizedSwitch } {
  const control = sizeSwitch(needs.control, frequency);
  const rectifier = sizeSwitch(needs.rectifier, frequency);
  if (silicon === undefined) return { control, rectifier };
  // shared so that the sum of I²·R is least: each by its current and the root of its specific resistance
  const weigh = (need: SwitchNeed): number => need.rms * Math.sqrt(switchClassFor(need.blocked).specificResistance);
  const weights = { control: weigh(needs.control), rectifier: synchronous ? weigh(needs.rectifier) : 0 };
  const each = silicon / phases / needs.legs / (weights.control + weights.rectifier);
  const resistance = (need: SwitchNeed, weight: number): number =>
    weight > 0 ? switchClassFor(need.blocked).specificResistance / (each * weight) : 0;
  return {
    control: { ...control, resistance: resistance(needs.control, weights.control) },
    rectifier: { ...rectifier, resistance: resistance(needs.rectifier, weights.rectifier) },
  };
}

/** m² of die in all the switches of a stage. */
export function siliconOf(
  needs: StageNeeds,
  phases: number,
  resistances: { control: number; rectifier: number | undefined },
): number {
  const { control, rectifier, legs } = needs;
  const second = resistances.rectifier === undefined ? 0 : dieArea(rectifier.blocked, resistances.rectifier);
  return phases * legs * (dieArea(control.blocked, resistances.control) + second);
}
