import type { Unit } from '../quantity/index.ts';
import { preferredNearest } from '../quantity/preferred.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';

/** A network's parts with what they are called and counted in. */
export const NETWORK_PARTS: readonly (readonly [key: keyof CompensatorParts, name: string, unit: Unit])[] = [
  ['dividerTop', 'divider, top', 'Ω'],
  ['dividerBottom', 'divider, bottom', 'Ω'],
  ['feedbackResistor', 'feedback resistor', 'Ω'],
  ['feedbackCapacitor', 'feedback capacitor', 'F'],
  ['shuntCapacitor', 'shunt capacitor', 'F'],
  ['inputResistor', 'lead resistor', 'Ω'],
  ['inputCapacitor', 'lead capacitor', 'F'],
  ['transconductance', 'transconductance', 'A/V'],
  ['gainBandwidth', 'gain–bandwidth', 'Hz'],
  ['slewRate', 'slew rate', 'V/s'],
];

/** Zeros and poles of a network that can be moved, by their names. */
export const NETWORK_CORNERS = {
  zero: 'zero of the feedback',
  pole: 'pole of the feedback',
  leadZero: 'zero of the lead',
  leadPole: 'pole of the lead',
} as const;
export type NetworkCorner = keyof typeof NETWORK_CORNERS;

/** Zeros and poles of a network, Hz; of the lead both resistors count in its zero. */
export function networkCorners(parts: CompensatorParts): Partial<Record<NetworkCorner, number>> {
  const {
    type = 1,
    feedbackResistor,
    feedbackCapacitor,
    shuntCapacitor,
    dividerTop,
    inputResistor,
    inputCapacitor,
  } = parts;
  if (type === 1) return {};
  const corner = (ohms: number | undefined, farads: number | undefined): number | undefined =>
    ohms && farads ? 1 / (2 * Math.PI * ohms * farads) : undefined;
  const series =
    feedbackCapacitor && shuntCapacitor ? 1 / (1 / feedbackCapacitor + 1 / shuntCapacitor) : shuntCapacitor;
  const found = {
    zero: corner(feedbackResistor, feedbackCapacitor),
    pole: corner(feedbackResistor, series),
    ...(type === 3
      ? {
          leadZero: corner((dividerTop ?? 0) + (inputResistor ?? 0), inputCapacitor),
          leadPole: corner(inputResistor, inputCapacitor),
        }
      : {}),
  };
  return Object.fromEntries(Object.entries(found).filter(([, value]) => value !== undefined));
}

/**
 * A network with one zero or pole moved, its parts among those that are made: of the feedback the capacitor follows, of
 * the lead's pole its resistor.
 */
export function moveCorner(parts: CompensatorParts, which: NetworkCorner, frequency: number): CompensatorParts {
  const { feedbackResistor = 1, feedbackCapacitor, dividerTop = 1, inputResistor = 0, inputCapacitor = 1 } = parts;
  const farads = (ohms: number): number => 1 / (2 * Math.PI * ohms * frequency);
  switch (which) {
    case 'zero':
      return { ...parts, feedbackCapacitor: preferredNearest(farads(feedbackResistor), 'E12') };
    case 'pole': {
      const series = farads(feedbackResistor);
      const shunt = feedbackCapacitor && feedbackCapacitor > series ? 1 / (1 / series - 1 / feedbackCapacitor) : series;
      return { ...parts, shuntCapacitor: preferredNearest(shunt, 'E12') };
    }
    case 'leadZero':
      return { ...parts, inputCapacitor: preferredNearest(farads(dividerTop + inputResistor), 'E12') };
    case 'leadPole':
      return { ...parts, inputResistor: preferredNearest(farads(inputCapacitor), 'E96') };
  }
}
