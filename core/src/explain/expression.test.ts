import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { expressionOf } from './expression.ts';
import { explainBy } from './index.ts';
import type { Quantity, Scene } from './form.ts';

const symbols = (name: string): string => `{${name.toUpperCase()}_0}`;
const same = (set: string): string => set;

describe('an expression', () => {
  test('is evaluated and typeset from the one text', () => {
    const read = expressionOf('a * (b - c)^2 / sqrt(d) + min(a, 2)');
    expect(read.names).toEqual(['a', 'b', 'c', 'd']);
    expect(read.evaluate((name) => ({ a: 3, b: 5, c: 1, d: 4 })[name]!)).toBe(26);
    expect(read.typeset(symbols, same)).toBe(
      '\\frac{{A_0}\\cdot{\\left({B_0}-{C_0}\\right)}^{2}}{\\sqrt{{D_0}}}+\\min\\left({A_0},2\\right)',
    );
  });

  test('arithmetic is what the language itself gives, over random numbers', () => {
    const number = fc.double({ min: 0.01, max: 1e6, noNaN: true });
    fc.assert(
      fc.property(number, number, number, (a, b, c) => {
        const of = (text: string): number => expressionOf(text).evaluate((name) => ({ a, b, c })[name]!);
        expect(of('a / (b * c) - b^2 * c')).toBeCloseTo(a / (b * c) - b ** 2 * c, 6);
        expect(of('-a + b / c / a')).toBeCloseTo(-a + b / c / a, 6);
        expect(of('max(a, b, c) - min(a, b, c)')).toBeCloseTo(Math.max(a, b, c) - Math.min(a, b, c), 6);
        expect(of('sqrt(a^2 + b^2 / 12)')).toBeCloseTo(Math.hypot(a, b / Math.sqrt(12)), 6);
        expect(of('abs(a - b) + 2 * pi * c')).toBeCloseTo(Math.abs(a - b) + 2 * Math.PI * c, 6);
      }),
    );
  });

  test('a figure below an exponent is set apart, for its unit would take the exponent', () => {
    const square = expressionOf('a^2');
    expect(
      square.typeset(
        () => '3\\,A',
        (set) => `(${set})`,
      ),
    ).toBe('(3\\,A)^{2}');
    expect(square.typeset(() => 'I', same)).toBe('I^{2}');
  });

  test('a function of its own carries its value and its typeset form', () => {
    const parallel = {
      call: (x = 0, y = 0) => (x * y) / (x + y),
      tex: (x = '', y = '') => `${x} \\parallel ${y}`,
    };
    const read = expressionOf('2 * across(a, b)');
    expect(read.names).toEqual(['a', 'b']);
    expect(read.evaluate((name) => (name === 'a' ? 3 : 6), { across: parallel })).toBe(4);
    expect(read.typeset(symbols, same, { across: parallel })).toBe('2\\cdot{A_0} \\parallel {B_0}');
  });

  test('what is none says so', () => {
    expect(() => expressionOf('a * (b')).toThrow(SyntaxError);
  });
});

describe('an explanation', () => {
  const scene = { design: { decisions: {} }, result: { decided: [] } } as unknown as Scene;
  const given = (value: number): Quantity => ({
    name: 'x',
    symbol: 'x',
    unit: 'A',
    kind: 'current',
    value: () => value,
  });
  const formed = (expression: string): Quantity => ({
    ...given(12),
    symbol: 'y',
    exact: true,
    form: () => ({
      expression,
      where: { k: { symbol: 'k', expression: 'u / 2' } },
      figures: { limit: { value: 4, unit: 'A' } },
      holds: 'here',
      source: 'this test',
    }),
  });

  test('names its inputs and users, its parts and figures, and how far the form is off', () => {
    const catalogue: Record<string, Quantity> = { u: given(5), v: given(1), y: formed('u + k + limit + v') };
    const found = explainBy<Scene, string>(catalogue, scene, 'y')!;
    expect(found.formula!.value).toBe(12.5);
    expect(found.difference).toBeCloseTo(12.5 / 12 - 1, 12);
    expect(found.inputs.map(({ id }) => id)).toEqual(['u', 'v']);
    expect(found.formula!.symbols).toBe('y = {x}+{k}+4\\,\\mathrm{A}+{x},\\quad k = \\frac{{x}}{2}');
    expect(found.formula!.numbers).toContain('k = \\frac{{5\\,\\mathrm{A}}}{2}');
    expect(explainBy<Scene, string>(catalogue, scene, 'u')!.usedBy.map(({ id }) => id)).toEqual(['y']);
  });

  test('a name that is no quantity is an error, not a zero', () => {
    const catalogue: Record<string, Quantity> = { u: given(5), y: formed('u + k + limit + nobody') };
    expect(() => explainBy<Scene, string>(catalogue, scene, 'y')).toThrow(/"y" names "nobody"/u);
  });
});
