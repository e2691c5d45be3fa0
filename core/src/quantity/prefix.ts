/** SI prefixes that the trade uses for component values, largest first. Source: BIPM SI Brochure, 9th edition, table 7. */
export const PREFIXES = [
  { symbol: 'T', exponent: 12 },
  { symbol: 'G', exponent: 9 },
  { symbol: 'M', exponent: 6 },
  { symbol: 'k', exponent: 3 },
  { symbol: '', exponent: 0 },
  { symbol: 'm', exponent: -3 },
  { symbol: 'µ', exponent: -6 },
  { symbol: 'n', exponent: -9 },
  { symbol: 'p', exponent: -12 },
] as const;

/** Power of ten for a typed prefix; u, micro sign and Greek mu are one prefix, K is what people type for k. */
export const PREFIX_EXPONENT: ReadonlyMap<string, number> = new Map<string, number>([
  ...PREFIXES.filter((p) => p.symbol !== '').map((p) => [p.symbol as string, p.exponent] as const),
  ['u', -6],
  ['μ', -6],
  ['K', 3],
]);

/** Units that quantities carry; '' is a pure number, '%' a fraction shown as per cent. */
export type Unit =
  | 'C'
  | 'K/W'
  | 'T'
  | 'V'
  | 'A'
  | 'Ω'
  | 'H'
  | 'F'
  | 'Hz'
  | 's'
  | 'h'
  | 'W'
  | 'J'
  | 'm'
  | 'm²'
  | 'm³'
  | 'm/s'
  | 'K⁻¹'
  | '°C'
  | '%'
  | 'A/s'
  | 'V/s'
  | 'V/A'
  | 'A/V'
  | 'V·A'
  | '';

/** Smallest and largest power of ten that a prefix stands for with each unit as people use them; any other is a slip of the case. */
const CUSTOMARY: Readonly<Partial<Record<Unit, readonly [number, number]>>> = {
  V: [-12, 3],
  C: [-15, 0],
  'K/W': [-3, 3],
  T: [-6, 0],
  A: [-12, 3],
  H: [-12, 0],
  F: [-12, 0],
  Hz: [0, 12],
  s: [-12, 0],
  h: [0, 0],
  m: [-12, 3],
};

/** Whether a prefix (by its power of ten) is in use with a unit: "5 MV" and "1 mHz" are not. */
export function isCustomary(exponent: number, unit: Unit): boolean {
  const [least, most] = CUSTOMARY[unit] ?? [-Infinity, Infinity];
  return exponent >= least && exponent <= most;
}

/** Spellings accepted for each unit, lower case (case carries no meaning in a unit's name as people type it). */
export const UNIT_SPELLINGS: Readonly<Record<Unit, readonly string[]>> = {
  C: ['c', 'coulomb', 'coulombs'],
  'K/W': ['k/w', '°c/w', 'c/w'],
  T: ['t', 'tesla'],
  V: ['v', 'volt', 'volts'],
  A: ['a', 'amp', 'amps'],
  Ω: ['ω', 'r', 'ohm', 'ohms'],
  H: ['h', 'henry'],
  F: ['f', 'farad'],
  Hz: ['hz'],
  s: ['s', 'sec'],
  h: ['h', 'hours'],
  W: ['w', 'watt', 'watts'],
  J: ['j'],
  m: ['m'],
  'm²': ['m²', 'm2'],
  'm³': ['m³', 'm3'],
  'm/s': ['m/s'],
  'K⁻¹': ['k⁻¹', '1/k', '/k'],
  '°C': ['°c', 'c', 'degc'],
  '%': ['%'],
  'A/s': ['a/s'],
  'V/s': ['v/s'],
  'V/A': ['v/a', 'ω', 'ohm'],
  'A/V': ['a/v', 's'],
  'V·A': ['v·a', 'va'],
  '': [],
};
