import type { Brief } from '../../design/schema.ts';
import { formatQuantity, preferredNearest } from '../../quantity/index.ts';
import type { CompleteDecisions, InjectionNetwork } from '../operating/stage.ts';
import { lumped } from './outputBank.ts';

/*
 * Ripple for a constant on-time comparator. A bank whose ESR·C is above half the on-time shows it the inductor's ripple;
 * one of ceramics shows it its charge, a quarter of a period late, and pulses come in bursts. Source: the condition by
 * Ridley and by Redl and Sun on ripple-based control; recalled from memory.
 */

/** V of ripple at the comparator that it wants. Common practice, no source. */
const RIPPLE = 0.02;
/** Times that the divider's resistance stands above the capacitor's reactance at the clock, so that the ramp is the capacitor's. Our own. */
const STIFF = 20;
/** Part of the on-time that R·C of the network leaves of L·C of the stage. Our own: the bound is a half. */
const LEAD = 0.75;
/** The coupling capacitor over the other. Common practice, no source. */
const COUPLED = 5;
/** Ω of the divider's top where none is said. */
const TOP = 10e3;

/** Parts, as they are made, that give the comparator its ripple where an on-time drives the node. */
export function injectionFor(
  { outputVoltage }: Pick<Brief, 'outputVoltage'>,
  { switchingFrequency, compensator, control, inductor, outputCapacitors }: CompleteDecisions,
  inputVoltage: number,
  onTime: number,
): InjectionNetwork {
  const top = compensator?.dividerTop ?? TOP;
  const share = Math.min(1, control.referenceVoltage / outputVoltage);
  const seen = compensator?.dividerBottom === undefined ? top * share : 1 / (1 / top + 1 / compensator.dividerBottom);
  const capacitor = preferredNearest(STIFF / (2 * Math.PI * switchingFrequency * seen), 'E12');
  const coupling = preferredNearest(COUPLED * capacitor, 'E12');
  const byRipple = (Math.max(1e-3, inputVoltage - outputVoltage) * onTime) / RIPPLE;
  // as an ESR of L/(R·C) would, it has to lead the ripple of the bank's own charge
  const byLead = (inductor.inductance * lumped(outputCapacitors).capacitance) / (LEAD * onTime);
  const resistor = preferredNearest(Math.min(byRipple, byLead) / capacitor, 'E24');
  return { resistor, capacitor, coupling };
}

/** The network for a bank; undefined where the bank's own ripple is enough at every input and none is wanted. */
export function chooseInjection(
  brief: Brief,
  decisions: CompleteDecisions,
  wanted: boolean,
): { value: InjectionNetwork; rule: string } | undefined {
  const { outputVoltage, inputVoltage } = brief;
  const { control, switchingFrequency, outputCapacitors } = decisions;
  const onTimeAt = (volts: number): number => control.onTime ?? outputVoltage / (volts * switchingFrequency);
  const bank = lumped(outputCapacitors);
  const enough = bank.resistance * bank.capacitance > onTimeAt(inputVoltage.min) / 2;
  if (enough && !wanted) return undefined;
  // the least is where the on-time drives it least
  const least = [inputVoltage.min, inputVoltage.max].reduce((a, b) =>
    (b - outputVoltage) * onTimeAt(b) < (a - outputVoltage) * onTimeAt(a) ? b : a,
  );
  const value = injectionFor(brief, decisions, least, onTimeAt(least));
  const added = ((least - outputVoltage) * onTimeAt(least)) / (value.resistor * value.capacitor);
  return {
    value,
    rule: `${enough ? '' : 'ESR·C of the bank is below half the on-time: '}${formatQuantity(added, 'V', { digits: 2 })} of the inductor’s ripple is added at ${formatQuantity(least, 'V')}, to lead that of the bank’s charge; valley control then holds the output some ${formatQuantity(added / 2 / control.referenceVoltage, '%', { digits: 2 })} high`,
  };
}
