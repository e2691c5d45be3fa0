import type { Brief } from '../design/schema.ts';
import { formatQuantity } from '../quantity/format.ts';
import type { TopologyModel } from '../topology/index.ts';
import { stableSlope } from '../control/compensator.ts';
import { injectionFor } from '../control/injection.ts';
import type { CompleteDecisions } from '../design/complete.ts';

/** What makes a stage that oscillates below its frequency stop, in numbers of the design. */
export interface Cure {
  /** V/s at the comparator */
  slopeCompensation?: number;
  rippleInjection?: { resistor: number; capacitor: number; coupling: number };
  message: string;
}

/** @returns undefined where the controller's modulator has no such cure */
export function cureOf(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  inputVoltage: number,
  onTime: number,
): Cure | undefined {
  const { control } = decisions;
  if (control.method === 'peak-current-mode') {
    const wanted = stableSlope(model, brief, decisions.inductor.inductance, control.currentSenseGain ?? 0);
    // rounded to three digits where it was decided
    if ((control.slopeCompensation ?? 0) >= 0.99 * wanted) return undefined;
    return {
      slopeCompensation: wanted,
      message: `The current loop oscillates below the switching frequency: at a duty beyond a half each disturbance of the peak grows. A slope compensation of ${formatQuantity(wanted / 1e6, 'V')}/µs, half the falling slope, stops it at every duty.`,
    };
  }
  if (control.method === 'constant-on-time' && !control.rippleInjection) {
    const network = injectionFor(brief, decisions, inputVoltage, onTime);
    const { resistor, capacitor, coupling } = network;
    const needed = onTime / 2;
    return {
      rippleInjection: network,
      message: `Pulses come in bursts: the ripple that the comparator sees lags the inductor’s. Either the bank’s ESR·C is above half the on-time (${formatQuantity(needed, 's')}), or a network adds the inductor’s ripple: ${formatQuantity(resistor, 'Ω')} from the switch node, ${formatQuantity(capacitor, 'F')} to the output and ${formatQuantity(coupling, 'F')} to the divider’s tap give some 20 mV.`,
    };
  }
  return undefined;
}
