import type { z } from 'zod';
import { formatExact, parseQuantity, type Unit } from '../quantity/index.ts';
import type { Fault } from '../design/read.ts';
import { metaOf, type FieldMeta } from './fields.ts';
import { partShapes, type Part, type PartKind } from './part.ts';
import { readPart } from './shelf.ts';

/** One column of a kind's table: a key of its parts, and what stands in it. */
export interface Column {
  key: string;
  meta: FieldMeta | undefined;
}

/** The columns of a kind, in the order of its data sheet. */
export function columnsOf(kind: PartKind): Column[] {
  return Object.entries(partShapes[kind])
    .filter(([key]) => key !== 'kind')
    .map(([key, schema]) => ({ key, meta: metaOf(schema as z.ZodType) }));
}

/** Points of a curve in one cell, as in "0 4.7u; 4 4.4u". */
const POINTS = '; ';
const exact = (value: number, unit: Unit): string => formatExact(value, unit).replace(/\u00a0/gu, ' ');

function cellOf(value: unknown, meta: FieldMeta | undefined): string {
  if (value === undefined || value === null) return '';
  if (Array.isArray(value))
    return value
      .map((item: unknown) =>
        Array.isArray(item) ? item.map((number: unknown) => String(number)).join(' ') : String(item),
      )
      .join(POINTS);
  if (typeof value === 'number') return meta ? exact(value, meta.unit) : String(value);
  return typeof value === 'string' ? value : JSON.stringify(value);
}

/** A kind's parts as a table of text, its head first: what a spreadsheet opens, and what {@link readTable} reads back. */
export function writeTable(kind: PartKind, parts: readonly Part[]): string[][] {
  const columns = columnsOf(kind);
  return [
    columns.map(({ key }) => key),
    ...parts
      .filter((part) => part.kind === kind)
      .map((part) => columns.map(({ key, meta }) => cellOf((part as Record<string, unknown>)[key], meta))),
  ];
}

/** One row read: a part, or what is wrong with which of its cells. */
export interface ReadRow {
  /** of the table, the head being row 0 */
  row: number;
  part: Part | undefined;
  faults: (Fault & { column: number })[];
}

export interface ReadTable {
  /** the key that each column is read as; undefined where none is */
  keys: (string | undefined)[];
  rows: ReadRow[];
}

export const MOST_ROWS = 50_000;
const LONGEST_CELL = 20_000;

/** Heads match by key or words, whatever their case, spaces and the unit in brackets behind them. */
function keyFor(head: string, columns: readonly Column[]): { key: string; unit: string } | undefined {
  const [, name = '', unit = ''] = /^(.*?)\s*(?:[([]([^)\]]*)[)\]])?\s*$/u.exec(head.slice(0, 200)) ?? [];
  const plain = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/gu, '');
  const found = columns.find(
    ({ key, meta }) => plain(key) === plain(name) || (meta && plain(meta.words) === plain(name)),
  );
  return found && { key: found.key, unit };
}

function valueOf(
  cell: string,
  meta: FieldMeta | undefined,
  unit: string,
): { ok: true; value: unknown } | { ok: false; fault: Omit<Fault, 'path'> } {
  if (!meta) return { ok: true, value: cell };
  const number = (
    text: string,
    of: Unit,
    behind = '',
  ): { ok: true; value: number } | { ok: false; fault: Omit<Fault, 'path'> } => {
    const bare = /^[+-]?[\d.,eE+-]+$/u.test(text.trim());
    // a bare number of a percentage may mean either: the column's head says it, or the cell does
    const parsed =
      bare && of === '%' && behind === '' && Number(text) !== 0
        ? ({
            ok: false,
            message: `"${text}" does not say whether it is a percentage or a part`,
            expected: `"${text} %", or (%) in the column’s head`,
          } as const)
        : parseQuantity(bare && behind ? `${text} ${behind}` : text, of);
    return parsed.ok
      ? { ok: true, value: parsed.value }
      : { ok: false, fault: { message: parsed.message, expected: parsed.expected } };
  };
  if (meta.kind === 'number') return number(cell, meta.unit, unit);
  if (meta.kind === 'whole') return number(cell, '');
  if (meta.kind === 'flag') {
    const word = cell.toLowerCase();
    if (['true', 'yes', '1', 'x'].includes(word)) return { ok: true, value: true };
    if (['false', 'no', '0', ''].includes(word)) return { ok: true, value: false };
    return { ok: false, fault: { message: `found "${cell.slice(0, 40)}"`, expected: 'true or false' } };
  }
  if (meta.kind === 'list')
    return {
      ok: true,
      value: cell
        .split(/[;,]/u)
        .map((item) => item.trim())
        .filter(Boolean),
    };
  if (meta.kind === 'choice') return { ok: true, value: cell };
  const points: [number, number][] = [];
  for (const point of cell.split(';')) {
    const [place = '', value = ''] = point.trim().split(/\s+/u);
    const at = number(place, meta.places ?? '');
    const is = number(value, meta.unit);
    if (!at.ok) return at;
    if (!is.ok) return is;
    points.push([at.value, is.value]);
  }
  return { ok: true, value: points };
}

/**
 * Reads a table of text as parts of one kind. Every bad cell is named with its row and column; good rows are kept beside
 * the bad ones, and whoever imports them chooses.
 */
export function readTable(kind: PartKind, table: readonly (readonly string[])[]): ReadTable | { fault: Fault } {
  const [head, ...body] = table;
  if (!head)
    return { fault: { path: '', message: 'the table is empty', expected: 'a row of column names and rows of parts' } };
  if (body.length > MOST_ROWS)
    return { fault: { path: '', message: `has ${body.length} rows`, expected: `at most ${MOST_ROWS}` } };
  const columns = columnsOf(kind);
  const heads = head.map((cell) => keyFor(cell, columns));
  if (!heads.some((at) => at?.key === 'id'))
    return {
      fault: {
        path: 'id',
        message: 'no column is called "id"',
        expected: `columns among ${columns.map(({ key }) => key).join(', ')}`,
      },
    };
  const seen = new Map<string, number>();
  const rows = body.flatMap((cells, at): ReadRow[] => {
    if (cells.every((cell) => cell.trim() === '')) return [];
    const faults: ReadRow['faults'] = [];
    const value: Record<string, unknown> = { kind };
    cells.forEach((raw, column) => {
      const known = heads[column];
      const cell = unguarded(raw).trim();
      if (!known || cell === '') return;
      const { key } = known;
      if (cell.length > LONGEST_CELL) {
        faults.push({
          path: key,
          column,
          message: `has ${cell.length} characters`,
          expected: `at most ${LONGEST_CELL}`,
        });
        return;
      }
      const read = valueOf(cell, columns.find((other) => other.key === key)?.meta, known.unit);
      if (read.ok) value[key] = read.value;
      else faults.push({ path: key, column, ...read.fault });
    });
    const columnOf = (path: string): number => heads.findIndex((at2) => at2?.key === path.split('.')[0]);
    if (faults.length === 0) {
      const read = readPart(value);
      if (read.ok) {
        const before = seen.get(read.part.id);
        seen.set(read.part.id, at + 1);
        if (before === undefined) return [{ row: at + 1, part: read.part, faults }];
        faults.push({
          path: 'id',
          column: columnOf('id'),
          message: `"${read.part.id}" stands in row ${before} too`,
          expected: 'an id of its own',
        });
      } else faults.push(...read.faults.map((fault) => ({ ...fault, column: columnOf(fault.path) })));
    }
    return [{ row: at + 1, part: undefined, faults }];
  });
  return { keys: heads.map((at) => at?.key), rows };
}

/** A spreadsheet takes a cell that begins like this for a formula: it is written behind an apostrophe, and read back without it. */
const LIVE = /^[=+\-@\t\r]/u;
const NUMBER = /^[+-]?(?:\d|\.\d)/u;

/** Cells as a file may safely hold them: text that a spreadsheet would run is written behind an apostrophe. */
export function guarded(cell: string): string {
  return (LIVE.test(cell) && !NUMBER.test(cell)) || /^'[=+\-@']/u.test(cell) ? `'${cell}` : cell;
}

function unguarded(cell: string): string {
  return /^'[=+\-@\t\r']/u.test(cell) ? cell.slice(1) : cell;
}
