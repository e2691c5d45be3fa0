import { figureTable } from '../../app/figures.ts';
import { stepEdge } from './measures.ts';

/** What a bench instrument wrote down: time in s, and channels in V or A. */
export interface Capture {
  name: string;
  time: Float64Array;
  channels: { name: string; unit: 'V' | 'A' | ''; values: Float64Array }[];
  /** what was left out, in words */
  remarks: string[];
  /** s at which the first channel's step begins; its first place where none is seen */
  edge: number;
}

/** A capture, or why there is none. */
export interface CaptureRead {
  capture?: Capture;
  message?: string;
}

const PREFIX: Readonly<Record<string, number>> = { n: 1e-9, u: 1e-6, µ: 1e-6, μ: 1e-6, m: 1e-3, k: 1e3, M: 1e6, '': 1 };
const MOST_ROWS = 2_000_000;
const UNIT_ALONE = /^[([]?[numµμkM]?(s|sec|V|A|Volts?|Amps?|Seconds?)[)\]]?$/u;

/** Unit and factor that a column's head (or the line below it) says. */
function unitOf(head: string): { unit: 's' | 'V' | 'A' | ''; factor: number } {
  const found = /(?:^|[\s([_/])([numµμkM]?)(s|sec|V|A|Volts?|Amps?|Seconds?)[\s)\]]*$/u.exec(head.trim());
  if (!found) return { unit: '', factor: 1 };
  const letter = found[2]![0]!.toLowerCase();
  return { unit: letter === 's' ? 's' : letter === 'v' ? 'V' : 'A', factor: PREFIX[found[1]!]! };
}

/**
 * A capture from a table of text: lines before the columns' heads are passed over, units are read from the heads,
 * decimal commas and semicolons are understood, rows without figures are left out and counted.
 */
export function readCapture(text: string, name: string): CaptureRead {
  const wrong = (message: string): CaptureRead => ({ message: `${name}: ${message}` });
  const table = figureTable(text);
  if (!table) return wrong('no row with two figures or more, expected a column of times and one of volts or amperes');
  const { heads, columns, rows: data, numberOf } = table;
  // names and units in one line, or units alone below the names
  const last = heads[heads.length - 1] ?? [];
  const alone = last.length > 0 && last.every((word) => word === '' || UNIT_ALONE.test(word));
  const names = alone ? (heads[heads.length - 2] ?? []) : last;
  const headOf = (column: number): { name: string; unit: 's' | 'V' | 'A' | ''; factor: number } => ({
    name: names[column] || `column ${column + 1}`,
    ...unitOf((alone ? last : names)[column] ?? ''),
  });
  const described = Array.from({ length: columns }, (_, k) => headOf(k));
  const timeAt = described.findIndex(({ name: head, unit }) => unit === 's' || /time|zeit|temps/iu.test(head));
  if (timeAt < 0 && heads.length > 0)
    return wrong(
      `no column of times among ${described.map(({ name: head }) => `"${head}"`).join(', ')}, expected one named "time" or in seconds`,
    );
  const clock = Math.max(0, timeAt);
  const rows: number[][] = [];
  let skipped = 0;
  let backwards = 0;
  let before = -Infinity;
  let begun = false;
  for (const fields of data) {
    const row = described.map(({ factor }, k) => numberOf(fields[k]) * factor);
    if (!row.every(Number.isFinite)) {
      if (begun) skipped += 1;
      continue;
    }
    begun = true;
    if (row[clock]! <= before) {
      backwards += 1;
      continue;
    }
    before = row[clock]!;
    if (rows.length < MOST_ROWS) rows.push(row);
  }
  if (rows.length < 2) return wrong('fewer than two rows of figures whose times rise');
  const remarks: string[] = [];
  if (skipped > 0) remarks.push(`Rows without figures in every column were left out: ${skipped}.`);
  if (backwards > 0) remarks.push(`Rows whose time does not rise were left out: ${backwards}.`);
  if (rows.length === MOST_ROWS) remarks.push(`Only the first ${MOST_ROWS} rows were taken.`);
  if (described[clock]!.unit !== 's') remarks.push('The times’ unit is not said: seconds are taken.');
  const time = Float64Array.from(rows, (row) => row[clock]!);
  const gaps = longest(time);
  if (gaps) remarks.push(`There is a gap of ${gaps.times} times the usual distance at ${gaps.at.toPrecision(3)} s.`);
  const channels = described.flatMap(({ name: head, unit }, k) =>
    k === clock
      ? []
      : [{ name: head, unit: unit === 's' ? ('' as const) : unit, values: Float64Array.from(rows, (row) => row[k]!) }],
  );
  const edge = stepEdge(time, channels[0]!.values) ?? time[0]!;
  return { capture: { name, time, channels, remarks, edge } };
}

/** Distance of two places, over the usual, from which it counts as a gap. */
const GAP = 20;

function longest(time: Float64Array): { times: number; at: number } | undefined {
  const usual = (time[time.length - 1]! - time[0]!) / (time.length - 1);
  let worst = 0;
  for (let k = 1; k < time.length; k += 1) if (time[k]! - time[k - 1]! > time[worst + 1]! - time[worst]!) worst = k - 1;
  const times = Math.round((time[worst + 1]! - time[worst]!) / usual);
  return times >= GAP ? { times, at: time[worst]! } : undefined;
}
