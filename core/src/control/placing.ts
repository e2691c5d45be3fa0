import type { Brief, CapacitorBank } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { Estimate } from '../estimates/estimate.ts';
import { reachesOf, type CrossoverLimit } from './crossoverLimit.ts';

/*
 * What networks are placed by: the stage at full load over the line, as a loop sees it.
 */

/** What the rule looks at: full load at the inputs, and the loop that can be had. */
export interface Placing {
  brief: Brief;
  decisions: CompleteDecisions;
  corners: readonly Estimate[];
  crossoverLimit: CrossoverLimit;
  /** H, of all phases together */
  inductance: number;
}

/** All capacitors at the output, a second section's with them: below its resonance they are one bank. */
export const banksOf = ({ outputCapacitors, outputFilter }: CompleteDecisions): CapacitorBank[] => [
  ...outputCapacitors,
  ...(outputFilter?.capacitors ?? []),
];

/** V/V from the duty to the output, well below resonance. */
export function dutyGain({ outputVoltage }: Brief, corner: Estimate): number {
  return corner.output.chopped
    ? outputVoltage / reachesOf(corner) / Math.max(0.02, corner.duty) ** (corner.input.chopped ? 1 : 0)
    : corner.inputVoltage;
}

/** V of the ramp that ends a pulse, at an input. */
export const rampAt = (
  control: Pick<CompleteDecisions['control'], 'method' | 'rampAmplitude' | 'rampGain'>,
  inputVoltage: number,
): number =>
  // an equation tells the duty itself
  control.method === 'digital'
    ? 1
    : control.method === 'voltage-mode'
      ? (control.rampAmplitude ?? 1)
      : (control.rampGain ?? 1) * inputVoltage;

/** Ω in series with the inductance, as the output sees it. */
export function seriesOf({ inductor, controlSwitch, rectifier, phases }: CompleteDecisions, corner: Estimate): number {
  const released = (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance) ?? 0;
  return (inductor.resistance + Math.min(controlSwitch.onResistance, released)) / phases / reachesOf(corner) ** 2;
}

/** F of all capacitors at the output. */
export const wholeOf = (decisions: CompleteDecisions): number =>
  banksOf(decisions).reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);
