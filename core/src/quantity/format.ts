import { isCustomary, PREFIXES, type Unit } from './prefix.ts';

/** Units in which a prefix is not customary. */
const PLAIN_UNITS: ReadonlySet<Unit> = new Set<Unit>(['%', '°C', 'm²', 'm³', 'm/s', 'K⁻¹']);
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

/** Significant digits, three to seven (beyond them is what rounding left), in which values of a size tell a step between them. */
export function digitsApart(size: number, step: number): number {
  const digits = Math.ceil(Math.log10(Math.abs(size / step)) + 1e-9) + 1;
  return Number.isFinite(digits) ? Math.min(7, Math.max(3, digits)) : 3;
}

/** The same as {@link formatQuantity}, in its two halves, for places that set the unit apart. */
export function splitQuantity(
  value: number,
  unit: Unit,
  { digits = 3, fixed = false }: FormatOptions = {},
): { number: string; prefix: string } {
  if (!Number.isFinite(value)) return { number: '—', prefix: '' };
  if (value === 0) return { number: '0', prefix: '' };
  const rounded = Math.abs(unit === '%' ? value * 100 : value).toExponential(digits - 1);
  const { figures, exponent } = partsOf(rounded);
  const prefix = PLAIN_UNITS.has(unit) ? PLAIN : prefixFor(exponent, unit);
  const sign = value < 0 ? MINUS : '';
  return { number: sign + trim(placed(figures, exponent - prefix.exponent), fixed), prefix: prefix.symbol };
}

/**
 * Prints a value so that reading it back gives the very same number: what an edit field opens with.
 * @returns for example "4.7 µH" for 4.7e-6, "333.3333333333333 mV" for a third of a volt
 */
export function formatExact(value: number, unit: Unit): string {
  if (!Number.isFinite(value)) return '';
  if (value === 0) return `0${unit === '' ? '' : `\u00a0${unit}`}`;
  const { figures, exponent } = partsOf(Math.abs(value).toExponential());
  const prefix = PLAIN_UNITS.has(unit) ? PLAIN : prefixFor(exponent, unit);
  const number = placed(figures, exponent - prefix.exponent + (unit === '%' ? 2 : 0));
  const tail = `${prefix.symbol}${unit}`;
  return `${value < 0 ? MINUS : ''}${number}${tail === '' ? '' : `\u00a0${tail}`}`;
}

interface Prefix {
  symbol: string;
  exponent: number;
}

const PLAIN: Prefix = { symbol: '', exponent: 0 };

/** The largest prefix in use with the unit that leaves at least one digit before the decimal mark, else the smallest in use. */
function prefixFor(exponent: number, unit: Unit): Prefix {
  let smallest: Prefix = PREFIXES[0];
  for (const prefix of PREFIXES) {
    if (!isCustomary(prefix.exponent, unit) || (unit === '' && prefix.exponent < 0)) continue; // a ratio is 0.5, not 500 m
    if (exponent >= prefix.exponent) return prefix;
    smallest = prefix;
  }
  return smallest;
}

/** The figures of a number in exponential notation, and the power of ten of the first. */
function partsOf(exponential: string): { figures: string; exponent: number } {
  const at = exponential.indexOf('e');
  const figures = exponential[0]! + exponential.slice(2, at);
  return { figures, exponent: Number(exponential.slice(at + 1)) };
}

/** Figures with the decimal mark where the first one's power of ten puts it: text, so that no rounding creeps in. */
function placed(figures: string, exponent: number): string {
  const point = exponent + 1;
  if (point > 21 || point < -6) return `${figures[0]!}${figures.length > 1 ? '.' : ''}${figures.slice(1)}e${exponent}`;
  if (point <= 0) return `0.${'0'.repeat(-point)}${figures}`;
  if (point >= figures.length) return figures + '0'.repeat(point - figures.length);
  return `${figures.slice(0, point)}.${figures.slice(point)}`;
}

function trim(text: string, fixed: boolean): string {
  if (fixed || !text.includes('.') || text.includes('e')) return text;
  let end = text.length;
  while (text.charCodeAt(end - 1) === ZERO) end -= 1;
  if (text[end - 1] === '.') end -= 1;
  return text.slice(0, end);
}

const ZERO = 48;
