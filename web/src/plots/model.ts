import Papa from 'papaparse';
import { scaleLinear, scaleLog } from 'd3-scale';
import type { ReactNode } from 'react';
import { digitsApart, type Unit } from '@yundro/core';
import { extremesIn, seen, type Range, type Values } from './thin.ts';

export type { Range, Values } from './thin.ts';

/** One line, or marks, over the axis it shares with the others. */
export interface Trace {
  name: string;
  x: Values;
  y: Values;
  /** CSS variable that holds its colour */
  ink: string;
  dash?: readonly number[];
  wide?: boolean;
  /** shown faint beneath, as it was before; neither read nor handed over */
  ghost?: boolean;
  /** its areas above and below zero tinted */
  areas?: boolean;
  /** marks at places instead of a line */
  marks?: 'circle' | 'triangle' | 'ring';
  /** what each mark says when it is pointed at */
  tells?: readonly string[];
  /** goes to and fro along the axis: it is drawn whole, and not read by the cursors */
  wanders?: boolean;
  /** written on the line, at a place along the axis */
  label?: { text: string; at: number };
}

/** One axis up, with its traces; several stand over one another on the axis across. */
export interface Lane {
  id: string;
  name: string;
  unit: Unit;
  log?: boolean;
  min?: number;
  max?: number;
  traces: readonly Trace[];
  /** what is read of it while no cursor is on the plot */
  rest?: ReactNode;
  kind?: string;
  lit?: boolean;
  /** stacked: figures at multiples of it, where that is how such a lane is read */
  step?: number;
  /** stacked: its height follows the stretch that is shown */
  fits?: boolean;
  /** stacked: its share of the height, 1 where it is not said */
  weight?: number;
  /** stacked: its values 0, 1, 2 … by name */
  names?: readonly string[];
}

/** The axis across, shared by all lanes. */
export interface Across {
  name: string;
  unit: Unit;
  log?: boolean;
  min?: number;
  max?: number;
  /** a tinted stretch with its name */
  span?: { min: number; max: number; name: string } | undefined;
}

/** Smallest and largest finite value (above nothing, by decades); undefined where there is none. */
export function extentOf(values: Iterable<Values>, log = false): Range | undefined {
  let min = Infinity;
  let max = -Infinity;
  for (const list of values) {
    for (let i = 0; i < list.length; i += 1) {
      const value = list[i]!;
      if (!Number.isFinite(value) || (log && value <= 0)) continue;
      if (value < min) min = value;
      if (value > max) max = value;
    }
  }
  return min <= max ? { min, max } : undefined;
}

/** The same of traces over a stretch of their axis. */
export function extentIn(traces: readonly Trace[], { min, max }: Range): Range | undefined {
  const all = traces.flatMap(({ x, y, wanders }) => {
    if (x.length === 0) return [];
    const [first, last] = wanders ? [0, x.length - 1] : seen(x, min, max);
    return [extremesIn(y, first, last)];
  });
  const found = { min: Math.min(...all.map((one) => one.min)), max: Math.max(...all.map((one) => one.max)) };
  return found.min <= found.max ? found : undefined;
}

/** The whole of the axis across: what it is said to be, else what its traces span. */
export function wholeOf(across: Across, lanes: readonly Lane[]): Range {
  if (across.min !== undefined && across.max !== undefined) return { min: across.min, max: across.max };
  const found = extentOf(
    lanes.flatMap(({ traces }) => traces.filter(({ ghost }) => !ghost).map(({ x }) => x)),
    across.log,
  ) ?? { min: across.log ? 1 : 0, max: across.log ? 10 : 1 };
  return { min: across.min ?? found.min, max: across.max ?? found.max };
}

/** The ends of a lone lane's axis: what is said, else round values about its traces. */
export function roundRange({ min, max, log, traces }: Lane): Range {
  const found = extentOf(
    traces.map(({ y }) => y),
    log,
  ) ?? { min: log ? 1 : 0, max: log ? 10 : 1 };
  const flat = found.max - found.min <= 1e-9 * Math.abs(found.max);
  const spread = flat ? Math.abs(found.max) * 0.05 || 1 : (found.max - found.min) * 0.04;
  const raw: [number, number] = log
    ? [found.min / 1.1, found.max * 1.1]
    : // what touches zero keeps it as its end
      [found.min >= 0 && found.min - spread < 0 ? 0 : found.min - spread, found.max + spread];
  const nice = log ? raw : scaleLinear().domain(raw).nice(6).domain();
  return { min: min ?? nice[0]!, max: max ?? nice[1]! };
}

/** Figures along an axis by decades: 1, 2 and 5 of each where they fit, else the decades alone. */
export function decades({ min, max }: Range, most: number): number[] {
  const leading = (value: number): string => value.toExponential()[0]!;
  const ticks = scaleLog().domain([min, max]).ticks();
  const fine = ticks.filter((value) => '125'.includes(leading(value)));
  if (fine.length <= most) return fine.length > 0 ? fine : [min, max];
  return ticks.filter((value) => leading(value) === '1');
}

/** About so many round figures within a range. */
export function roundTicks({ min, max }: Range, about: number): number[] {
  return scaleLinear().domain([min, max]).ticks(about);
}

/** Significant digits that tell an axis's figures, evenly apart, from one another. */
export function digitsOf(ticks: readonly number[]): number {
  const [first, second] = ticks;
  return first === undefined || second === undefined
    ? 3
    : digitsApart(Math.max(...ticks.map(Math.abs)), second - first);
}

/** Multiples of a step within a range, every other one left out until there are few. */
export function steppedTicks({ min, max }: Range, step: number): number[] {
  let by = step;
  while ((max - min) / by > 6) by *= 2;
  const first = Math.ceil(min / by);
  return Array.from({ length: Math.max(0, Math.floor(max / by) - first + 1) }, (_, k) => (first + k) * by);
}

/** Value of a trace at a place along its axis, between its two neighbours; undefined beyond its ends. */
export function readAt(x: Values, y: Values, at: number): number | undefined {
  const last = x.length - 1;
  if (last < 0 || at < x[0]! || at > x[last]!) return undefined;
  let low = 0;
  let high = last;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (x[middle]! <= at) low = middle;
    else high = middle;
  }
  const span = x[high]! - x[low]!;
  return span > 0 ? y[low]! + ((y[high]! - y[low]!) * (at - x[low]!)) / span : y[high];
}

/** A range made narrower or wider about a place, kept within the whole; undefined where it becomes the whole. */
export function zoomed(range: Range, whole: Range, about: number, factor: number, log = false): Range | undefined {
  const to = log ? Math.log : (value: number): number => value;
  const from = log ? Math.exp : (value: number): number => value;
  const [low, high, place] = [to(range.min), to(range.max), to(about)];
  return within({ min: from(place - (place - low) * factor), max: from(place + (high - place) * factor) }, whole, log);
}

/** A range moved by a part of its own length, kept within the whole. */
export function panned(range: Range, whole: Range, part: number, log = false): Range | undefined {
  const to = log ? Math.log : (value: number): number => value;
  const from = log ? Math.exp : (value: number): number => value;
  const length = to(range.max) - to(range.min);
  const shift = Math.min(to(whole.max) - to(range.max), Math.max(to(whole.min) - to(range.min), part * length));
  return within({ min: from(to(range.min) + shift), max: from(to(range.max) + shift) }, whole, log);
}

/** Parts of the whole below which nothing is told apart any more. */
const FINEST = 1e-6;

/** A range kept inside the whole, neither empty nor finer than can be told apart; undefined where it is the whole. */
export function within({ min, max }: Range, whole: Range, log = false): Range | undefined {
  const kept = { min: Math.max(whole.min, Math.min(min, max)), max: Math.min(whole.max, Math.max(min, max)) };
  const length = log ? Math.log(kept.max / kept.min) / Math.log(whole.max / whole.min) : kept.max - kept.min;
  const all = log ? 1 : whole.max - whole.min;
  if (!(length > FINEST * all)) return { min: whole.min, max: whole.max };
  return length >= all * (1 - 1e-9) ? undefined : kept;
}

/**
 * What is seen, as a table: one column across where every trace stands over the same places, else a pair of columns
 * for each trace. Full precision; only what lies in the range.
 */
export function csvOf(across: Across, lanes: readonly Lane[], range: Range): string {
  const traces = lanes.flatMap((lane) =>
    lane.traces
      .filter(({ ghost }) => !ghost)
      .map((trace) => ({
        trace,
        head: headOf(lane.traces.length > 1 ? trace.name || lane.name : lane.name, lane.unit),
      })),
  );
  const first = traces[0]?.trace.x;
  if (!first) return '';
  const shared = traces.every(({ trace: { x } }) => x === first || sameValues(x, first));
  const name = headOf(across.name, across.unit);
  const inside = (x: Values): number[] =>
    Array.from({ length: x.length }, (_, i) => i).filter((i) => x[i]! >= range.min && x[i]! <= range.max);
  if (shared) {
    const rows = inside(first).map((i) => [first[i]!, ...traces.map(({ trace }) => trace.y[i]!)]);
    return Papa.unparse({ fields: [name, ...traces.map(({ head }) => head)], data: rows });
  }
  const places = traces.map(({ trace }) => inside(trace.x));
  const rows = Array.from({ length: Math.max(...places.map((list) => list.length)) }, (_, row) =>
    traces.flatMap(({ trace }, k): (string | number)[] => {
      const i = places[k]![row];
      return i === undefined ? ['', ''] : [trace.x[i]!, trace.y[i]!];
    }),
  );
  return Papa.unparse({ fields: traces.flatMap(({ head }) => [name, head]), data: rows });
}

function headOf(name: string, unit: Unit): string {
  return unit === '' ? name : `${name} (${unit === '%' ? '1' : unit})`;
}

function sameValues(a: Values, b: Values): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i += 1) if (a[i] !== b[i]) return false;
  return true;
}
