import type { Chart } from 'chart.js';
import type { Across, Lane, Trace } from './model.ts';
import { extremesIn, placeFrom, seen } from './thin.ts';

/** The theme's inks: read once a theme, for reading a style makes the page lay itself out. */
export interface Inks {
  ink: string;
  soft: string;
  hair: string;
  paper: string;
  of: (variable: string) => string;
}

export function readInks(): Inks {
  const style = getComputedStyle(document.documentElement);
  const known = new Map<string, string>();
  const of = (variable: string): string => {
    const found = known.get(variable) ?? style.getPropertyValue(variable).trim();
    known.set(variable, found);
    return found;
  };
  return { ink: of('--ink'), soft: of('--soft'), hair: of('--hair'), paper: of('--paper'), of };
}

/** What is drawn at the next frame. */
export interface Picture {
  across: Across;
  lanes: readonly Lane[];
  /** lanes over one another, with their names written in them */
  stacked: boolean;
  at: number | undefined;
  pinned: number | undefined;
  /** a stretch being drawn out, to be looked at */
  band: { from: number; to: number } | undefined;
  /** the mark that is pointed at, in pixels of the chart */
  pointed?: { x: number; y: number } | undefined;
  inks: Inks;
}

const WORDS = "11px 'Spline Sans Variable', sans-serif";

interface Axis {
  (value: number): number;
}

/** Pixels along an axis of the chart's own, made once for a trace: its scale's function is slow for thousands of points. */
function mapping({
  start,
  end,
  min,
  max,
  log,
}: {
  start: number;
  end: number;
  min: number;
  max: number;
  log: boolean;
}): Axis {
  if (log) {
    const [low, high] = [Math.log(min), Math.log(max)];
    return (value) => start + ((Math.log(value) - low) / (high - low)) * (end - start);
  }
  const slope = (end - start) / (max - min);
  return (value) => start + (value - min) * slope;
}

function axesOf(chart: Chart, { across }: Picture, lane: Lane): { x: Axis; y: Axis; zero: number } | undefined {
  const x = chart.scales['x'];
  const y = chart.scales[lane.id];
  if (!x || !y) return undefined;
  const up = mapping({ start: y.bottom, end: y.top, min: y.min, max: y.max, log: lane.log ?? false });
  return {
    x: mapping({ start: x.left, end: x.right, min: x.min, max: x.max, log: across.log ?? false }),
    y: up,
    zero: lane.log ? y.bottom : Math.min(y.bottom, Math.max(y.top, up(0))),
  };
}

/** CSS pixels that a mark reaches from its place. */
const MARK = 5;
/** Places for a pixel column from which only its extremes are drawn. */
const CROWDED = 4;

/** A line through columns of pixels: where it enters each, its lowest, its highest, and where it leaves. */
function throughColumns(
  ctx: CanvasRenderingContext2D,
  { x: xs, y: ys }: Trace,
  axes: { x: Axis; y: Axis },
  [first, last]: [number, number],
  { left, right, valueOf }: { left: number; right: number; valueOf: (pixel: number) => number },
): void {
  let from = first;
  for (let pixel = Math.floor(left); pixel <= right && from <= last; pixel += 1) {
    const next = pixel + 1 > right ? last + 1 : Math.min(last + 1, placeFrom(xs, from, valueOf(pixel + 1)));
    if (next === from) continue;
    const [enters, leaves] = [ys[from]!, ys[next - 1]!];
    const { min, max } = extremesIn(ys, from, next - 1);
    // what lies between the ends asks for no point of its own
    const below = min < enters && min < leaves;
    const above = max > enters && max > leaves;
    ctx.lineTo(pixel, axes.y(enters));
    if (below) ctx.lineTo(pixel, axes.y(min));
    if (above) ctx.lineTo(pixel, axes.y(max));
    if (below || above || leaves !== enters) ctx.lineTo(pixel, axes.y(leaves));
    from = next;
  }
}

function strokeTrace(chart: Chart, picture: Picture, lane: Lane, trace: Trace): void {
  const axes = axesOf(chart, picture, lane);
  const scale = chart.scales['x'];
  if (!axes || !scale) return;
  const { ctx } = chart;
  const ink = picture.inks.of(trace.ink);
  if (trace.marks) {
    ctx.fillStyle = ink;
    ctx.strokeStyle = ink;
    ctx.setLineDash([]);
    for (let i = 0; i < trace.x.length; i += 1) markAt(ctx, trace.marks, axes.x(trace.x[i]!), axes.y(trace.y[i]!));
    return;
  }
  const [first, last] = trace.wanders ? [0, trace.x.length - 1] : seen(trace.x, scale.min, scale.max);
  ctx.save();
  // what moves beyond its lane, or comes from beyond the stretch, ends at the edge
  ctx.beginPath();
  const { left, right } = scale;
  const up = chart.scales[lane.id]!;
  ctx.rect(left, up.top - 1, right - left, up.bottom - up.top + 2);
  ctx.clip();
  ctx.beginPath();
  if (!trace.wanders && !picture.across.log && last - first > CROWDED * (right - left)) {
    ctx.moveTo(axes.x(trace.x[first]!), axes.y(trace.y[first]!));
    const valueOf = (pixel: number): number => scale.min + ((pixel - left) / (right - left)) * (scale.max - scale.min);
    throughColumns(ctx, trace, axes, [first, last], { left, right, valueOf });
  } else
    for (let i = first; i <= last; i += 1) {
      const [px, py] = [axes.x(trace.x[i]!), axes.y(trace.y[i]!)];
      if (i === first) ctx.moveTo(px, py);
      else ctx.lineTo(px, py);
    }
  ctx.strokeStyle = trace.ghost ? `${ink}55` : ink;
  ctx.lineWidth = trace.ghost ? 1 : lane.lit ? 2.8 : trace.wide ? 2.4 : 1.6;
  ctx.lineJoin = 'round';
  ctx.setLineDash(trace.ghost ? [3, 3] : [...(trace.dash ?? [])]);
  ctx.stroke();
  ctx.restore();
  if (trace.areas) fillAreas(chart, lane, trace, axes, ink);
}

function fillAreas(
  { ctx, scales }: Chart,
  lane: Lane,
  trace: Trace,
  { x, y, zero }: { x: Axis; y: Axis; zero: number },
  ink: string,
): void {
  const [across, up] = [scales['x']!, scales[lane.id]!];
  const halves: [number, number, string][] = [
    [up.top, zero, '44'],
    [zero, up.bottom, '22'],
  ];
  for (const [top, bottom, faint] of halves) {
    ctx.save();
    ctx.beginPath();
    ctx.rect(across.left, top, across.right - across.left, bottom - top);
    ctx.clip();
    ctx.beginPath();
    ctx.moveTo(x(trace.x[0]!), zero);
    for (let i = 0; i < trace.x.length; i += 1) ctx.lineTo(x(trace.x[i]!), y(trace.y[i]!));
    ctx.lineTo(x(trace.x[trace.x.length - 1]!), zero);
    ctx.fillStyle = `${ink}${faint}`;
    ctx.fill();
    ctx.restore();
  }
}

function markAt(ctx: CanvasRenderingContext2D, marks: NonNullable<Trace['marks']>, x: number, y: number): void {
  ctx.beginPath();
  if (marks === 'ring') {
    ctx.arc(x, y, 3.2, 0, 2 * Math.PI);
    ctx.lineWidth = 1.1;
    ctx.stroke();
    return;
  }
  if (marks === 'circle') ctx.arc(x, y, 4.5, 0, 2 * Math.PI);
  else {
    ctx.moveTo(x, y - 5);
    ctx.lineTo(x + 5, y + 4);
    ctx.lineTo(x - 5, y + 4);
    ctx.closePath();
  }
  ctx.fill();
}

function drawSpan(chart: Chart, { across, inks }: Picture): void {
  const { span } = across;
  const axis = chart.scales['x'];
  if (!span || !axis || span.max < span.min) return;
  const { ctx, chartArea } = chart;
  const left = Math.max(chartArea.left, axis.getPixelForValue(span.min));
  const right = Math.min(chartArea.right, Math.max(left + 2, axis.getPixelForValue(span.max)));
  if (right <= left) return;
  ctx.globalAlpha = 0.6;
  ctx.fillStyle = inks.hair;
  ctx.fillRect(left, chartArea.top, right - left, chartArea.bottom - chartArea.top);
  ctx.globalAlpha = 1;
  ctx.fillStyle = inks.soft;
  ctx.font = WORDS;
  const over = right + 4 + ctx.measureText(span.name).width > chartArea.right;
  ctx.textAlign = over ? 'right' : 'left';
  ctx.fillText(span.name, over ? left - 4 : right + 4, chartArea.top + 24);
}

/** Lane names under the traces: a name may be crossed, a trace never hidden. */
function drawNames(chart: Chart, { lanes, inks }: Picture): void {
  const { ctx, chartArea, scales } = chart;
  ctx.font = WORDS;
  ctx.textAlign = 'right';
  for (const lane of lanes) {
    const scale = scales[lane.id];
    if (!scale || lane.name === '') continue;
    const right = chartArea.right - 3;
    const { width } = ctx.measureText(lane.name);
    ctx.fillStyle = inks.paper;
    ctx.fillRect(right - width - 3, scale.top, width + 6, 13);
    ctx.fillStyle = inks.soft;
    ctx.fillText(lane.name, right, scale.top + 10);
  }
}

function drawLabels(chart: Chart, picture: Picture): void {
  const { ctx, chartArea } = chart;
  ctx.font = WORDS;
  for (const lane of picture.lanes) {
    const axes = axesOf(chart, picture, lane);
    for (const { label, x, y, ink } of lane.traces) {
      if (!label || !axes) continue;
      let i = 0;
      while (i + 1 < x.length && x[i]! < label.at) i += 1;
      const place = axes.x(label.at);
      if (place < chartArea.left || place > chartArea.right) continue;
      ctx.fillStyle = picture.inks.of(ink);
      ctx.textAlign = 'center';
      // whole within the picture, above its line where there is room
      const half = ctx.measureText(label.text).width / 2;
      const px = Math.min(chartArea.right - half, Math.max(chartArea.left + half, place));
      const line = axes.y(y[i]!);
      ctx.fillText(label.text, px, line - 12 > chartArea.top ? line - 3 : line + 11);
    }
  }
}

/** Everything under the axes' own lines: the span, the names, the traces (ghosts first). */
export function drawTraces(chart: Chart, picture: Picture): void {
  const { ctx, chartArea } = chart;
  ctx.save();
  drawSpan(chart, picture);
  if (picture.stacked) drawNames(chart, picture);
  ctx.beginPath();
  // a mark on the border is seen whole; a line is cut at its own lane
  const { left, right, top, bottom } = chartArea;
  ctx.rect(left - MARK, top - MARK, right - left + 2 * MARK, bottom - top + 2 * MARK);
  ctx.clip();
  for (const lane of picture.lanes) {
    for (const trace of lane.traces) if (trace.ghost) strokeTrace(chart, picture, lane, trace);
    for (const trace of lane.traces) if (!trace.ghost) strokeTrace(chart, picture, lane, trace);
  }
  ctx.restore();
  ctx.save();
  drawLabels(chart, picture);
  ctx.restore();
}

/** CSS pixels about a mark within which it is pointed at. */
const REACH = 9;

/** What the mark nearest to a place on the chart says, and where it stands; undefined where none is near that says anything. */
export function markNear(
  chart: Chart,
  picture: Picture,
  x: number,
  y: number,
): { words: string; x: number; y: number } | undefined {
  let [found, least]: [{ words: string; x: number; y: number } | undefined, number] = [undefined, REACH];
  for (const lane of picture.lanes) {
    const axes = axesOf(chart, picture, lane);
    for (const trace of lane.traces)
      trace.tells?.forEach((words, i) => {
        const place = axes && { x: axes.x(trace.x[i]!), y: axes.y(trace.y[i]!) };
        const far = place ? Math.hypot(place.x - x, place.y - y) : Infinity;
        if (place && far < least) [found, least] = [{ words, ...place }, far];
      });
  }
  return found;
}

/** The pair of cursors, and the stretch being drawn out. */
export function drawCursors(chart: Chart, { at, pinned, band, pointed, inks }: Picture): void {
  const axis = chart.scales['x'];
  if (!axis) return;
  const { ctx, chartArea } = chart;
  const height = chartArea.bottom - chartArea.top;
  ctx.save();
  if (band) {
    const [from, to] = [axis.getPixelForValue(band.from), axis.getPixelForValue(band.to)];
    ctx.fillStyle = `${inks.soft}33`;
    ctx.fillRect(Math.min(from, to), chartArea.top, Math.abs(to - from), height);
  }
  ctx.strokeStyle = inks.ink;
  ctx.lineWidth = 1;
  if (pointed) {
    ctx.beginPath();
    ctx.arc(pointed.x, pointed.y, 7, 0, 2 * Math.PI);
    ctx.stroke();
  }
  for (const [place, dash] of [
    [at, [2, 3]],
    [pinned, []],
  ] as const) {
    if (place === undefined) continue;
    const x = axis.getPixelForValue(place);
    if (x < chartArea.left - 1 || x > chartArea.right + 1) continue;
    ctx.setLineDash([...dash]);
    ctx.beginPath();
    ctx.moveTo(x, chartArea.top);
    ctx.lineTo(x, chartArea.bottom);
    ctx.stroke();
  }
  ctx.restore();
}
