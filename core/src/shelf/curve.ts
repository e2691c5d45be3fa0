import { parseQuantity, type Unit } from '../quantity/index.ts';
import type { FieldMeta } from './fields.ts';

/** A curve read from two columns of text, or where and why it cannot be. */
export type CurveResult =
  | { ok: true; points: [number, number][] }
  | { ok: false; row: number; column: number; message: string; expected: string };

export const MOST_POINTS = 400;
const MOST_ROWS = 100_000;

/**
 * Reads a curve from a table of two columns: where, and what. A head may stand above them, its units in brackets ("f
 * (kHz)"); without one the values are in the curve's own units. Decimal commas, prefixes and units in the cells are read.
 * A long measurement is thinned evenly to {@link MOST_POINTS} points, its ends kept.
 * @param table of text, empty rows left out
 * @returns points rising in their place
 */
export function readCurve(meta: FieldMeta, table: readonly (readonly string[])[]): CurveResult {
  const rows = table
    .map((cells, row) => ({ cells, row }))
    .filter(({ cells }) => cells.some((cell) => cell.trim() !== ''));
  const fail = (row: number, column: number, message: string, expected: string): CurveResult => ({
    ok: false,
    row,
    column,
    message,
    expected,
  });
  if (rows.length > MOST_ROWS) return fail(0, 0, `has ${rows.length} rows`, `at most ${MOST_ROWS}`);
  const units: [Unit, Unit] = [meta.places ?? '', meta.unit];
  const headed = rows[0]?.cells.every((cell) => !/^\s*[+-]?[.,]?\d/u.test(cell));
  const behind = [0, 1].map((column) =>
    headed ? (/[([]([^()[\]]+)[)\]]\s*$/u.exec(rows[0]!.cells[column] ?? '')?.[1] ?? '') : '',
  );
  const points: [number, number][] = [];
  for (const { cells, row } of headed ? rows.slice(1) : rows) {
    if (cells.length < 2) return fail(row, 0, `has ${cells.length} column`, 'two: where, and what');
    const point: number[] = [];
    for (const column of [0, 1] as const) {
      const text = cells[column]!.trim().slice(0, 60);
      const number = Number(text.replace(',', '.'));
      if (text !== '' && Number.isFinite(number) && behind[column] === '') {
        point.push(number);
        continue;
      }
      const read = parseQuantity(
        Number.isFinite(number) ? `${text.replace(',', '.')} ${behind[column]!}` : text,
        units[column],
      );
      if (!read.ok) return fail(row, column, read.message, read.expected);
      point.push(read.value);
    }
    points.push([point[0]!, point[1]!]);
  }
  if (points.length < 2) return fail(0, 0, `holds ${points.length} points`, 'two or more');
  points.sort(([a], [b]) => a - b);
  const twice = points.findIndex(([at], k) => k > 0 && at === points[k - 1]![0]);
  if (twice >= 0) return fail(twice, 0, `names ${points[twice]![0]} twice`, 'each place once');
  return { ok: true, points: thinned(points) };
}

/** At most {@link MOST_POINTS} of them, evenly, the ends kept. */
export function thinned<T>(points: readonly T[]): T[] {
  if (points.length <= MOST_POINTS) return points.slice();
  const last = points.length - 1;
  return Array.from({ length: MOST_POINTS }, (_, k) => points[Math.round((k * last) / (MOST_POINTS - 1))]!);
}

/** The same two columns, their units in the head, numbers as exact as they are held. */
export function writeCurve(meta: FieldMeta, points: readonly (readonly [number, number])[]): string[][] {
  const unitOf = (unit: Unit | undefined): string => (unit ? ` (${unit})` : '');
  return [
    [`at${unitOf(meta.places)}`, `${meta.words.replace(/,/gu, ';')}${unitOf(meta.unit)}`],
    ...points.map((point) => point.map(String)),
  ];
}
