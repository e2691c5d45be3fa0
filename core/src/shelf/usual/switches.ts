/*
 * What switches can be had: for each voltage class the products that a process fixes. A larger die has a lower
 * resistance and proportionally more charge, so their product stays. Typical of recent parts; common practice, no source.
 */

/** One voltage class. Charges are those of a die of 1 Ω: a die of R ohms has 1/R of them. */
export interface SwitchClass {
  /** V */
  rating: number;
  technology: 'silicon' | 'wide-bandgap';
  /** V at the gate */
  gateVoltage: number;
  /** Ω·C */
  gateCharge: number;
  outputCharge: number;
  /** Ω·m² of die */
  specificResistance: number;
  /** Ω; the lowest that one package holds */
  least: number;
}

const silicon = (rating: number, gate: number, output: number, specific: number, least: number): SwitchClass => ({
  rating,
  technology: 'silicon',
  gateVoltage: rating <= 40 ? 5 : 10,
  gateCharge: gate * 1e-12,
  outputCharge: output * 1e-12,
  specificResistance: specific * 1e-9,
  least: least * 1e-3,
});
const wide = (rating: number, gate: number, output: number, specific: number, least: number): SwitchClass => ({
  ...silicon(rating, gate, output, specific, least),
  technology: 'wide-bandgap',
  gateVoltage: 15,
});

/** V, mΩ·nC, mΩ·nC, mΩ·mm², mΩ. */
export const SWITCH_CLASSES: readonly SwitchClass[] = [
  silicon(25, 20, 15, 4, 0.5),
  silicon(30, 28, 22, 5, 0.6),
  silicon(40, 42, 40, 8, 0.6),
  silicon(60, 75, 85, 15, 0.9),
  silicon(80, 110, 150, 25, 1.2),
  silicon(100, 150, 240, 38, 1.5),
  silicon(150, 350, 600, 90, 3.5),
  silicon(200, 700, 1200, 180, 6),
  silicon(250, 1200, 2000, 280, 10),
  wide(650, 1600, 4000, 300, 12),
  wide(1200, 3000, 8000, 380, 12),
  wide(1700, 8000, 20_000, 900, 30),
];

/** Times the voltage that a switch blocks, for what rings on top of it. Common practice, no source. */
const RINGING = 1.25;

/** The smallest class that stands a blocking voltage (V) with its ringing; beyond the last class, one that grows on from it. */
export function switchClassFor(blocked: number): SwitchClass {
  const needed = blocked * RINGING;
  const found = SWITCH_CLASSES.find(({ rating }) => rating >= needed);
  if (found) return found;
  // several in series would be built: charge and resistance both add up
  const last = SWITCH_CLASSES[SWITCH_CLASSES.length - 1]!;
  const times = Math.ceil(needed / last.rating);
  return {
    ...last,
    rating: times * last.rating,
    gateCharge: last.gateCharge * times ** 2,
    outputCharge: last.outputCharge * times,
    specificResistance: last.specificResistance * times ** 2,
    least: last.least * times,
  };
}

/** A diode that stands a blocking voltage (V): its class and forward voltage. Common practice, no source. */
export interface DiodeClass {
  rating: number;
  forwardVoltage: number;
  /** Ω·A: slope resistance times the current the die is made for */
  slope: number;
  kind: string;
}

const DIODES: readonly DiodeClass[] = [
  { rating: 40, forwardVoltage: 0.4, slope: 0.05, kind: 'Schottky' },
  { rating: 60, forwardVoltage: 0.45, slope: 0.1, kind: 'Schottky' },
  { rating: 100, forwardVoltage: 0.6, slope: 0.15, kind: 'Schottky' },
  { rating: 200, forwardVoltage: 0.8, slope: 0.15, kind: 'Schottky or fast silicon' },
  { rating: 650, forwardVoltage: 1, slope: 0.5, kind: 'silicon-carbide Schottky' },
  { rating: 1200, forwardVoltage: 1, slope: 0.6, kind: 'silicon-carbide Schottky' },
];

export function diodeClassFor(blocked: number): DiodeClass {
  const needed = blocked * RINGING;
  const found = DIODES.find(({ rating }) => rating >= needed);
  if (found) return found;
  const last = DIODES[DIODES.length - 1]!;
  const times = Math.ceil(needed / last.rating);
  return {
    ...last,
    rating: times * last.rating,
    forwardVoltage: times * last.forwardVoltage,
    slope: times * last.slope,
  };
}
