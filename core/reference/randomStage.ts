import fc from 'fast-check';
import { RATIOS } from '../src/testing/designs.ts';

export const between = (min: number, max: number): fc.Arbitrary<number> => fc.double({ min, max, noNaN: true });
export const log = (low: number, high: number): fc.Arbitrary<number> =>
  between(Math.log(low), Math.log(high)).map(Math.exp);

/** What a random stage is told by: V, A at full load, Hz; ripple, losses and banks in parts of what is usual. */
export const stageParts = {
  topology: fc.constantFrom('buck', 'boost', 'inverting-buck-boost'),
  vin: log(5, 40),
  duty: between(0.15, 0.7),
  load: log(0.3, 8),
  frequency: log(2e5, 1e6),
  ripple: between(0.1, 0.6),
  loss: between(0.005, 0.015),
  capacitance: log(0.5, 8),
  esr: log(0.3, 2),
  unlike: fc.boolean(),
  diode: fc.boolean(),
} as const;

type Parts = {
  [Key in keyof typeof stageParts]: (typeof stageParts)[Key] extends fc.Arbitrary<infer Value> ? Value : never;
};

/** A stage of one phase that could be built, with its every part. */
export function stageOf(x: Parts) {
  const { topology, vin, duty, load, frequency } = x;
  const vout = vin * RATIOS[topology](duty);
  const winding = topology === 'buck' ? load : load / (1 - duty);
  const swing = x.ripple * winding;
  const resistance = (x.loss * vout) / winding;
  const charge = topology === 'buck' ? swing / 8 : load * duty;
  const capacitance = (x.capacitance * charge) / (frequency * 0.005 * vout);
  const esr = (x.esr * 0.01 * vout) / winding;
  const reference = Math.min(0.8, vout / 2);
  return {
    vout,
    winding,
    swing,
    reference,
    dividerBottom: (dividerTop: number): number => (dividerTop * reference) / (vout - reference),
    decisions: {
      topology,
      switchingFrequency: frequency,
      inductor: {
        inductance: (topology === 'buck' ? vout * (1 - duty) : vin * duty) / (swing * frequency),
        resistance,
        saturationCurrent: 10 * winding,
      },
      controlSwitch: { onResistance: resistance },
      rectifier: x.diode
        ? { kind: 'diode', forwardVoltage: 0.02 * vout, resistance, onResistance: undefined }
        : { kind: 'synchronous', onResistance: resistance / 2, resistance: undefined, forwardVoltage: undefined },
      outputCapacitors: x.unlike
        ? [
            { capacitance: 0.7 * capacitance, esr: 2 * esr, count: 1 },
            { capacitance: 0.15 * capacitance, esr, count: 2 },
          ]
        : [{ capacitance, esr, count: 1 }],
    },
    brief: {
      inputVoltage: { min: 0.9 * vin, nominal: vin, max: 1.1 * vin },
      outputVoltage: vout,
      outputCurrent: { min: 0.1 * load, max: load },
    },
  };
}
