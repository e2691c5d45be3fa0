import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  formatExact,
  digitsApart,
  formatQuantity,
  parseQuantity,
  preferredDown,
  preferredNearest,
  preferredNext,
  preferredPrevious,
  preferredUp,
  seriesMantissas,
  type Series,
  type Unit,
} from './index.ts';

describe('what engineers type', () => {
  test.each<[string, Unit, number]>([
    ['4u7', 'H', 4.7e-6],
    ['4.7uH', 'H', 4.7e-6],
    ['4,7 µ', 'H', 4.7e-6],
    ['4.7 μH', 'H', 4.7e-6],
    ['0R05', 'Ω', 0.05],
    ['2.2 mΩ', 'Ω', 2.2e-3],
    ['4m7', 'Ω', 4.7e-3],
    ['300k', 'Hz', 300e3],
    ['1e-6', 'F', 1e-6],
    ['15 %', '%', 0.15],
    ['15', '%', 0.15],
    ['22p', 'F', 22e-12],
    ['3V3', 'V', 3.3],
    ['1 A/µs', 'A/s', 1e6],
    ['−15', 'V', -15],
    ['10 k', 'Ω', 1e4],
    ['0,005', 'V', 0.005],
  ])('%s in %s', (text, unit, value) => {
    expect(parseQuantity(text, unit)).toEqual({ ok: true, value });
  });

  test.each<[string, Unit, RegExp]>([
    ['4x7', 'H', /"x" is neither a prefix .* nor the unit H/u],
    ['', 'V', /Nothing/u],
    ['abc', 'V', /does not start with a number/u],
    ['5 V', 'A', /"V" is V, and this is in A/u],
    ['1,000', 'V', /could mean 1000 or 1.000/u],
    ['1.2.3', 'V', /more than one decimal mark/u],
    ['1e999', 'V', /too large/u],
    ['12 kk', 'Hz', /neither/u],
    ['Infinity', 'V', /does not start/u],
  ])('%s in %s is refused, saying what would be right', (text, unit, message) => {
    const parsed = parseQuantity(text, unit);
    expect(parsed.ok).toBe(false);
    if (!parsed.ok) {
      expect(parsed.message).toMatch(message);
      expect(parsed.expected).toMatch(/^for example/u);
    }
  });

  test.each<[string, Unit, { of?: number; either?: boolean }, number | undefined]>([
    ['33mVpp', 'V', {}, 33e-3],
    ['3.3Vdc', 'V', {}, 3.3],
    ['2 A p-p', 'A', {}, 2],
    ['±10mV', 'V', { either: true }, 10e-3],
    ['+/- 3 %', 'V', { either: true, of: 5 }, 0.15],
    ['1 %', 'V', { of: 3.3 }, 33e-3],
    // where neither is meant they stay what they are
    ['±10mV', 'V', {}, undefined],
    ['1 %', 'V', {}, undefined],
    ['33mVrms', 'V', {}, undefined],
  ])('%s in %s, where the field says %j', (text, unit, reads, value) => {
    const parsed = parseQuantity(text, unit, reads);
    if (value === undefined) expect(parsed.ok).toBe(false);
    else expect(parsed.ok && parsed.value).toBeCloseTo(value, 12);
  });

  test('whatever is printed exactly reads back as the very same number', () => {
    const units = fc.constantFrom<Unit>('V', 'A', 'Ω', 'H', 'F', 'Hz', 's', 'W', '');
    fc.assert(
      fc.property(fc.double({ min: 1e-15, max: 1e15, noNaN: true }), fc.boolean(), units, (size, minus, unit) => {
        const value = minus ? -size : size;
        expect(parseQuantity(formatExact(value, unit), unit)).toEqual({ ok: true, value });
      }),
      { numRuns: 2000 },
    );
  });

  test('what is printed for reading stays within half of its last digit', () => {
    fc.assert(
      fc.property(fc.double({ min: 1e-12, max: 1e13, noNaN: true }), (value) => {
        const parsed = parseQuantity(formatQuantity(value, 'A'), 'A');
        expect(parsed.ok && Math.abs(parsed.value / value - 1)).toBeLessThan(0.00502);
      }),
      { numRuns: 1000 },
    );
  });

  test.each<[number, Unit, string]>([
    [4.7e-6, 'H', '4.7 µH'],
    [999.96e-9, 's', '1 µs'],
    [-0.12, 'V', '−120 mV'],
    [0, 'A', '0 A'],
    [0.1418, '%', '14.2 %'],
    [4e5, 'Hz', '400 kHz'],
  ])('%d %s prints as %s', (value, unit, text) => {
    expect(formatQuantity(value, unit).replace('\u00a0', ' ')).toBe(text);
  });

  test('as many digits as tell a step apart', () => {
    const tell = (value: number, step: number) =>
      formatQuantity(value, 'V', { digits: digitsApart(value, step) }).replace('\u00a0', ' ');
    expect([tell(180.137, 0.4), tell(3.2362, 0.07), tell(3.2362, 0.0007), tell(-3.2362, 9)]).toEqual([
      '180.1 V',
      '3.24 V',
      '3.2362 V',
      '−3.24 V',
    ]);
    expect([digitsApart(0, 1), digitsApart(1, 0), digitsApart(0, 0), digitsApart(5, 1e-14)]).toEqual([3, 3, 3, 7]);
  });
});

describe('preferred numbers', () => {
  // Source: IEC 60063 (recalled from memory): the members that its own rounding rule would get wrong, and counts.
  test('series have their members', () => {
    expect(seriesMantissas('E12')).toEqual([1, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2]);
    expect(seriesMantissas('E3')).toEqual([1, 2.2, 4.7]);
    expect(seriesMantissas('E96')).toHaveLength(96);
    expect(seriesMantissas('E192')).toContain(9.2);
    expect(seriesMantissas('E192')).not.toContain(9.19);
    for (const member of seriesMantissas('E48')) expect(seriesMantissas('E192')).toContain(member);
  });

  test('down ≤ value ≤ up, next and previous are inverse, nearest is by ratio', () => {
    const series = fc.constantFrom<Series>('E3', 'E6', 'E12', 'E24', 'E48', 'E96', 'E192');
    fc.assert(
      fc.property(fc.double({ min: 1e-13, max: 1e12, noNaN: true }), series, (value, of) => {
        const down = preferredDown(value, of);
        const up = preferredUp(value, of);
        expect(down).toBeLessThanOrEqual(value * (1 + 2e-9));
        expect(up).toBeGreaterThanOrEqual(value * (1 - 2e-9));
        expect(preferredNext(down, of)).toBeGreaterThan(down);
        expect(preferredPrevious(preferredNext(down, of), of)).toBe(down);
        const nearest = preferredNearest(value, of);
        for (const other of [down, up]) {
          expect(Math.abs(Math.log(nearest / value))).toBeLessThanOrEqual(Math.abs(Math.log(other / value)) + 1e-12);
        }
      }),
      { numRuns: 1000 },
    );
  });

  test('nonsense is refused', () => {
    expect(() => preferredUp(0, 'E12')).toThrow(/positive/u);
    expect(() => preferredUp(Number.NaN, 'E12')).toThrow(/positive/u);
  });
});
