import { isCustomary, PREFIXES, type Unit } from './prefix.ts';

/** Units in which a prefix is not customary. */
const PLAIN_UNITS: ReadonlySet<Unit> = new Set<Unit>(['%', '°C']);
const MINUS = '−';

export interface FormatOptions {
  /** significant digits, 1 to 15; 3 unless given */
  digits?: number;
  /** keep trailing zeros (a column of live figures stays steady); off unless given */
  fixed?: boolean;
}

/**
 * Prints a value with the SI prefix that leaves one to three digits before the decimal mark.
 * @param value in SI base units; a fraction when the unit is '%'
 * @returns for example "4.7 µH", "−120 mV", "15 %", "0 A"
 */
export function formatQuantity(value: number, unit: Unit, options: FormatOptions = {}): string {
  const { number, prefix } = splitQuantity(value, unit, options);
  const tail = `${prefix}${unit}`;
  return tail === '' ? number : `${number}\u00a0${tail}`;
}

/** The same as {@link formatQuantity}, in its two halves, for places that set the unit apart. */
export function splitQuantity(
  value: number,
  unit: Unit,
  { digits = 3, fixed = false }: FormatOptions = {},
): { number: string; prefix: string } {
  if (!Number.isFinite(value)) return { number: '—', prefix: '' };
  if (value === 0) return { number: '0', prefix: '' };
  const rounded = Math.abs(Number((unit === '%' ? value * 100 : value).toPrecision(digits)));
  const sign = value < 0 ? MINUS : '';
  if (PLAIN_UNITS.has(unit)) return { number: sign + trim(rounded.toPrecision(digits), fixed), prefix: '' };
  const prefix = prefixFor(rounded * (1 + 1e-12), unit);
  const mantissa = shift(rounded, -prefix.exponent);
  const number =
    mantissa >= 1000 ? String(Math.round(mantissa)) : trim(mantissa.toPrecision(Math.max(digits, 1)), fixed);
  return { number: sign + number, prefix: prefix.symbol };
}

/**
 * Prints a value so that reading it back gives the very same number: what an edit field opens with.
 * @returns for example "4.7 µH" for 4.7e-6, "333.3333333333333 mV" for a third of a volt
 */
export function formatExact(value: number, unit: Unit): string {
  if (!Number.isFinite(value)) return '';
  if (value === 0) return `0${unit === '' ? '' : `\u00a0${unit}`}`;
  if (unit === '%') return `${shiftText(value, 2)}\u00a0%`;
  if (PLAIN_UNITS.has(unit)) return `${shiftText(value, 0)}\u00a0${unit}`;
  const magnitude = Math.abs(value);
  const prefix = prefixFor(magnitude, unit);
  const text = shiftText(value, -prefix.exponent);
  const tail = `${prefix.symbol}${unit}`;
  return tail === '' ? text : `${text}\u00a0${tail}`;
}

/** The largest prefix in use with the unit that leaves at least one digit before the decimal mark, else the smallest in use. */
function prefixFor(magnitude: number, unit: Unit): (typeof PREFIXES)[number] {
  let smallest: (typeof PREFIXES)[number] = PREFIXES[0];
  for (const prefix of PREFIXES) {
    if (!isCustomary(prefix.exponent, unit)) continue;
    if (magnitude >= Number(`1e${prefix.exponent}`)) return prefix;
    smallest = prefix;
  }
  return smallest;
}

/** value · 10^power by moving the decimal text, so that no rounding creeps in. */
function shift(value: number, power: number): number {
  const [mantissa = '0', exponent = '0'] = value.toExponential().split('e');
  return Number(`${mantissa}e${Number(exponent) + power}`);
}

function shiftText(value: number, power: number): string {
  const [mantissa = '0', exponentText = '0'] = Math.abs(value).toExponential().split('e');
  const digits = mantissa.replace('.', '');
  const point = Number(exponentText) + power + 1;
  const sign = value < 0 ? MINUS : '';
  if (point > 21 || point < -6) return `${sign}${mantissa}e${Number(exponentText) + power}`;
  if (point <= 0) return `${sign}0.${'0'.repeat(-point)}${digits}`;
  if (point >= digits.length) return sign + digits + '0'.repeat(point - digits.length);
  return `${sign}${digits.slice(0, point)}.${digits.slice(point)}`;
}

function trim(text: string, fixed: boolean): string {
  const plain = text.includes('e') ? String(Number(text)) : text;
  return fixed || !plain.includes('.') ? plain : plain.replace(/\.?0+$/u, '');
}
