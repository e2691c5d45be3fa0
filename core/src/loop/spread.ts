import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';

/** How far parts lie from what the design says, as factors. */
export interface Variation {
  name: string;
  capacitance: number;
  esr: number;
  inductance: number;
}

/**
 * What parts do over tolerance, temperature, bias and age, beyond the effective values that the design holds. Common
 * practice, no source: ceramics lose a fifth more and electrolytics double their ESR in the cold; inductors are within 20 %.
 */
export const VARIATIONS: readonly Variation[] = [
  { name: 'as designed', capacitance: 1, esr: 1, inductance: 1 },
  { name: 'little capacitance, low ESR', capacitance: 0.8, esr: 0.6, inductance: 0.8 },
  { name: 'aged: little capacitance, high ESR', capacitance: 0.8, esr: 2, inductance: 1 },
  { name: 'full capacitance, large inductance', capacitance: 1.2, esr: 1, inductance: 1.2 },
];

/** The design's decisions with their parts varied. */
export function varied(decisions: CompleteDecisions, { capacitance, esr, inductance }: Variation): CompleteDecisions {
  if (capacitance === 1 && esr === 1 && inductance === 1) return decisions;
  const banks = (list: CompleteDecisions['outputCapacitors']): CompleteDecisions['outputCapacitors'] =>
    list.map((bank) => ({ ...bank, capacitance: bank.capacitance * capacitance, esr: bank.esr * esr }));
  const { inductor, outputFilter } = decisions;
  return {
    ...decisions,
    outputCapacitors: banks(decisions.outputCapacitors),
    ...(outputFilter ? { outputFilter: { ...outputFilter, capacitors: banks(outputFilter.capacitors) } } : {}),
    inductor: {
      ...inductor,
      inductance: inductor.inductance * inductance,
      ...(inductor.inductanceCurve
        ? { inductanceCurve: inductor.inductanceCurve.map(([at, value]): [number, number] => [at, value * inductance]) }
        : {}),
    },
  };
}

/** Both ends of line and load, each with every variation of the parts. */
export function spreadCorners({ brief }: Design): { corner: Corner; variation: Variation }[] {
  const { inputVoltage, outputCurrent } = brief;
  const inputs = [...new Set([inputVoltage.min, inputVoltage.nominal, inputVoltage.max])];
  const loads = [...new Set([outputCurrent.min, outputCurrent.max])];
  return VARIATIONS.flatMap((variation) =>
    inputs.flatMap((volts) =>
      // between the ends of the line only parts as designed
      variation === VARIATIONS[0] || volts !== inputVoltage.nominal
        ? loads.map((amperes) => ({ corner: { inputVoltage: volts, outputCurrent: amperes }, variation }))
        : [],
    ),
  );
}
