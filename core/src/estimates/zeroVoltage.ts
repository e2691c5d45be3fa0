import type { Topology } from '../design/schema.ts';

/**
 * The negative current that carries the switch node all the way to the next switch's zero voltage, A. When the
 * rectifier lets go at −I, the node's capacitance C and the inductor ring about the voltage at the inductor's other
 * end with the impedance Z = √(L/C); the swing √(start² + Z²I²) must reach the far side:
 *
 *   buck      Z²I² ≥ (Vin − Vout)² − Vout²        boost     Z²I² ≥ Vin² − (Vout − Vin)²
 *   inverting Z²I² ≥ Vin² − Vout²                 (0 where the ringing reaches it by itself)
 *
 * Energy balance of a lossless resonance; the losses of the ringing are left out. A four-switch stage's switching leg
 * is a buck's below its output region and a boost's above; both needs are returned as the larger.
 *
 * @param inductance H, of the winding
 * @param capacitance F, of the switch node
 */
export function zeroVoltageValley(
  topology: Topology,
  inputVoltage: number,
  outputVoltage: number,
  inductance: number,
  capacitance: number,
): number {
  const buck = (inputVoltage - outputVoltage) ** 2 - outputVoltage ** 2;
  const boost = inputVoltage ** 2 - (outputVoltage - inputVoltage) ** 2;
  const squares: Record<Topology, number> = {
    buck,
    boost,
    'inverting-buck-boost': inputVoltage ** 2 - outputVoltage ** 2,
    'four-switch-buck-boost': inputVoltage > outputVoltage ? buck : boost,
  };
  return Math.sqrt((Math.max(0, squares[topology]) * capacitance) / inductance);
}
