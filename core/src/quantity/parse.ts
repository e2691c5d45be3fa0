import { isCustomary, PREFIX_EXPONENT, UNIT_SPELLINGS, type Unit } from './prefix.ts';

/** A value as typed by an engineer, or why it is not one. `value` is in SI base units. */
export type Parsed = { ok: true; value: number } | { ok: false; message: string; expected: string };

const EXAMPLES: Readonly<Record<Unit, string>> = {
  C: '12n or 0.5 µC',
  'K/W': '40',
  T: '0.3 or 80m',
  V: '3.3 or 120m',
  A: '6 or 350m',
  Ω: '4m7, 0R05 or 10k',
  H: '4u7 or 4.7 µH',
  F: '22u or 100 nF',
  Hz: '400k or 1.2 MHz',
  s: '80n or 1.5 µs',
  h: '5000',
  W: '2.5 or 300m',
  J: '2.5m',
  m: '5m or 2.5 mm',
  'm²': '4e-4',
  'm³': '2e-6',
  'm/s': '1.5',
  'K⁻¹': '0.0039',
  '°C': '50',
  '%': '15 %',
  'A/s': '1M or 1 A/µs',
  'V/s': '200k or 0.2 V/µs',
  'V/A': '50m',
  'A/V': '2m',
  'V·A': '48',
  '': '0.5 or 4.7k',
};

const NUMBER = /^([+-]?)(\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE]([+-]?\d{1,3}))?(.*)$/su;
const RKM = /^([+-]?)(\d+)([a-zA-ZµμΩΩ])(\d+)(.*)$/su;

/** What stands behind the unit of a voltage or a current and says what the field says already. */
const KIND = /([va])\s?(?:pp|p-p|dc)$/iu;

/**
 * Reads a value the way it is written at the bench: `4u7`, `4.7uH`, `4,7 µ`, `0R05`, `300k`, `1e-6`, `15 %`, `1 A/µs`.
 * The decimal text is handed to `Number` with its exponent, so "22p" is exactly the double nearest 22e-12.
 *
 * @param text what was typed; what a voltage or current is (`33mVpp`, `3.3 Vdc`) may stand behind it
 * @param unit the unit the field expects; a bare number is taken to be in it, another unit is refused
 * @param reads what a per cent is of, where the field may be told by one; and whether it goes either way, so that ± is no news
 * @returns the value in SI base units (15 % is 0.15), or a message and an example of what would be right
 * Source of the letter-for-decimal-mark notation: IEC 60062.
 */
export function parseQuantity(text: string, unit: Unit, reads: { of?: number; either?: boolean } = {}): Parsed {
  const fail = (message: string, expected = `for example ${EXAMPLES[unit]}`): Parsed => ({
    ok: false,
    message,
    expected,
  });
  const typed = text.trim().replace(/−/gu, '-').replace(/\s+/gu, ' ');
  const bare = reads.either ? typed.replace(/^(?:±|\+\/-|\+-)\s*/u, '') : typed;
  if (reads.of !== undefined && unit !== '%' && bare.endsWith('%')) {
    const share = parseQuantity(bare, '%');
    return share.ok ? { ok: true, value: share.value * reads.of } : share;
  }
  const trimmed = unit === 'V' || unit === 'A' ? bare.replace(KIND, '$1') : bare;
  if (trimmed === '') return fail('Nothing was typed');
  if (trimmed.length > 40) return fail('That is too long for one value');

  if (/^(?:±|\+\/-|\+-)/u.test(trimmed)) return fail(`"${trimmed}" goes either way, and one size is wanted here`);
  const rkm = RKM.exec(trimmed);
  if (rkm) {
    const [, sign = '', whole = '', mark = '', decimals = '', rest = ''] = rkm;
    const isUnitMark = /[RrΩΩ]/u.test(mark) ? unit === 'Ω' || unit === 'V/A' : mark.toUpperCase() === unit;
    const exponent = isUnitMark ? 0 : PREFIX_EXPONENT.get(mark);
    if (exponent !== undefined) {
      if (rest.trim() !== '' && !isUnit(rest.trim(), unit)) return fail(wrongTail(rest.trim(), unit));
      if (!isCustomary(exponent, unit)) return fail(unusual(trimmed, mark, unit));
      return finish(`${sign}${whole}.${decimals}`, exponent, fail);
    }
    if (!/[eE]/u.test(mark)) return fail(wrongTail(mark, unit));
  }

  const match = NUMBER.exec(trimmed);
  if (!match) return fail(`"${trimmed}" does not start with a number`);
  const [, sign = '', mantissa = '', power = '0', tail = ''] = match;
  if (/^[1-9]\d{0,2},\d{3}$/u.test(mantissa) && power === '0') {
    const whole = mantissa.replace(',', '');
    return fail(
      `"${mantissa}" could mean ${whole} or ${mantissa.replace(',', '.')}: write one of them without the comma`,
    );
  }
  const rest = tail.trim();
  if (/^[.,\d]/u.test(rest)) return fail(`"${trimmed}" has more than one decimal mark`);
  const exponent = tailExponent(rest, unit);
  if (exponent === undefined) return fail(wrongTail(rest, unit));
  if (rest !== '' && !isUnit(rest, unit) && !isCustomary(exponent, unit))
    return fail(unusual(trimmed, rest.charAt(0), unit));
  if (unit === '%' && rest === '') {
    const bare = Number(`${mantissa.replace(',', '.')}e${power}`);
    if (bare > 0 && bare <= 1)
      return fail(
        `"${trimmed}" could mean ${trimmed} % or ${Number((bare * 100).toPrecision(12))} %`,
        'it with its % sign',
      );
  }
  return finish(`${sign}${mantissa.replace(',', '.')}`, Number(power) + exponent, fail);
}

function finish(mantissa: string, exponent: number, fail: (message: string) => Parsed): Parsed {
  const value = Number(`${mantissa}e${exponent}`);
  return Number.isFinite(value) ? { ok: true, value } : fail('That number is too large');
}

function isUnit(text: string, unit: Unit): boolean {
  return UNIT_SPELLINGS[unit].includes(text.toLowerCase());
}

/** Power of ten that a prefix-and-unit tail stands for, or undefined when it is neither. */
function tailExponent(tail: string, unit: Unit): number | undefined {
  if (unit === '%') return tail === '%' || tail === '' ? -2 : undefined;
  if (tail === '' || isUnit(tail, unit)) return 0;
  const rate = /^([VA])\/(ms|us|µs|μs|ns)$/u.exec(tail);
  if (rate && unit === `${rate[1] ?? ''}/s`) return tail.includes('m') ? 3 : tail.includes('n') ? 9 : 6;
  const after = tail.slice(1).trim();
  // "0.5 mhz": the case of a prefix is easily slipped, and nobody's converter runs at millihertz
  if (unit === 'Hz' && tail.startsWith('m') && after !== '' && isUnit(after, unit)) return 6;
  const exponent = PREFIX_EXPONENT.get(tail.charAt(0));
  if (exponent === undefined) return undefined;
  return after === '' || isUnit(after, unit) ? exponent : undefined;
}

/** Says what a prefix that nobody uses with this unit would mean, and how to write what is. */
function unusual(text: string, prefix: string, unit: Unit): string {
  const other = prefix === 'M' ? 'm' : prefix === 'm' ? 'M' : undefined;
  const turned = other === undefined ? '' : `; "${other}${unit}" is written with the other case`;
  return `"${text}" would be in ${prefix}${unit}, which is no size for ${unit} here${turned}`;
}

function wrongTail(tail: string, unit: Unit): string {
  const allowed = 'p, n, µ (or u), m, k, M, G';
  if (unit === '%') return `"${tail}" does not belong here: this is a percentage`;
  const known = Object.entries(UNIT_SPELLINGS).find(([name, words]) => {
    const bare = PREFIX_EXPONENT.has(tail.charAt(0)) ? tail.slice(1).toLowerCase() : '';
    return name !== unit && (words.includes(tail.toLowerCase()) || (bare !== '' && words.includes(bare)));
  });
  if (known && unit !== '') return `"${tail}" is ${known[0]}, and this is in ${unit}`;
  return `"${tail}" is neither a prefix (${allowed})${unit === '' ? '' : ` nor the unit ${unit}`}`;
}
