import { parseQuantity } from '../quantity/index.ts';
import { metaOf } from './fields.ts';
import { partShapes, type Part, type PartKind } from './part.ts';

/** A search over parts, or what is wrong with its text. */
export type Where = { ok: true; matches(part: Part): boolean } | { ok: false; message: string; expected: string };

const COMPARISON = /^\s*([A-Za-z]+)\s*(<=|>=|==|!=|<|>)\s*(?:"([^"]*)"|'([^']*)'|([^\s&|"']+(?:\s*[^\s&|"']+)?))\s*$/u;
const EXAMPLE = 'comparisons joined by && or ||, as in onResistance < 10m && voltageRating >= 40';
const MOST = 2000;

const compare: Readonly<Record<string, (a: number | string, b: number | string) => boolean>> = {
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
  '==': (a, b) => a === b,
  '!=': (a, b) => a !== b,
};

/**
 * Reads a search: comparisons of a part's values with numbers (SI prefixes and units read) or words, joined by && and
 * by ||, && first. A part without the value does not match. Of no kind in particular, every kind's values are known.
 */
export function parseWhere(text: string, kind?: PartKind): Where {
  const fail = (message: string, expected = EXAMPLE): Where => ({ ok: false, message, expected });
  if (text.length > MOST) return fail('the search is too long', `at most ${MOST} characters`);
  const any: ((part: Part) => boolean)[][] = [];
  for (const group of text.split('||')) {
    const all: ((part: Part) => boolean)[] = [];
    for (const comparison of group.split('&&')) {
      const match = COMPARISON.exec(comparison);
      if (!match) return fail(`"${comparison.trim()}" is no comparison`);
      const [, key = '', operator = '', double, single, bare] = match;
      const shapes = kind ? [partShapes[kind]] : Object.values(partShapes);
      const field = shapes
        .map((shape) => (Object.hasOwn(shape, key) ? shape[key as keyof typeof shape] : undefined))
        .find((at) => at !== undefined);
      if (!field)
        return fail(
          `"${key}" is no value of ${kind ? `a ${kind}` : 'any part'}`,
          `one of ${[...new Set(shapes.flatMap((shape) => Object.keys(shape)))].join(', ')}`,
        );
      const meta = metaOf(field);
      if (meta?.kind === 'curve') return fail(`"${key}" is a curve`, 'a value that is one number or word');
      let wanted: number | string = double ?? single ?? bare ?? '';
      if (meta && (meta.kind === 'number' || meta.kind === 'whole')) {
        const parsed = parseQuantity(wanted, meta.unit);
        if (!parsed.ok) return fail(`${key}: ${parsed.message}`, parsed.expected);
        wanted = parsed.value;
      }
      const holds = compare[operator]!;
      all.push((part) => {
        const value = (part as Record<string, unknown>)[key];
        if (Array.isArray(value)) return operator === '!=' ? !value.includes(wanted) : value.includes(wanted);
        if (typeof value === 'boolean') return holds(String(value), wanted);
        return (typeof value === 'number' || typeof value === 'string') && holds(value, wanted);
      });
    }
    any.push(all);
  }
  return { ok: true, matches: (part) => any.some((all) => all.every((holds) => holds(part))) };
}
