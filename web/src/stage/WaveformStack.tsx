import { Chart, LinearScale, LineController, type Plugin } from 'chart.js';
import { useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { balanceOf, formatQuantity, type QuantityId, type Unit, type Waveforms } from '@yundro/core';
import { askWhy, toggleAreas, toggleLane, useView } from '../stores/viewStore.ts';
import { decimal } from './Tape.tsx';
import { mark } from '../app/mark.ts';

Chart.register(LineController, LinearScale);

interface Lane {
  id: string;
  name: string;
  unit: Unit;
  kind: 'voltage' | 'current';
  part: string;
  traces: (waveforms: Waveforms) => number[][];
  /** the quantity that its span at rest is, where there is one */
  quantity?: QuantityId;
}

const given = (values: number[] | undefined): number[][] => (values ? [values] : []);

/** Every node and branch that can be shown; a lane without traces at a stage is not offered there. */
const ALL_LANES: readonly Lane[] = [
  { id: 'gate', name: 'gate', unit: '', kind: 'voltage', part: 'control', traces: (w) => [w.gate] },
  {
    id: 'gate2',
    name: 'boost gate',
    unit: '',
    kind: 'voltage',
    part: 'boostControl',
    traces: (w) => given(w.boostGate),
  },
  { id: 'sw', name: 'switch node', unit: 'V', kind: 'voltage', part: 'control', traces: (w) => [w.switchNode] },
  {
    id: 'sw2',
    name: 'second switch node',
    unit: 'V',
    kind: 'voltage',
    part: 'boostControl',
    traces: (w) => given(w.boostNode),
  },
  {
    id: 'vl',
    name: 'inductor voltage',
    unit: 'V',
    kind: 'voltage',
    part: 'inductor',
    traces: (w) => [w.inductorVoltage],
  },
  {
    id: 'il',
    quantity: 'inductorRipple',
    name: 'inductor',
    unit: 'A',
    kind: 'current',
    part: 'inductor',
    traces: (w) => w.inductorCurrent,
  },
  {
    id: 'sum',
    name: 'sum of phases',
    unit: 'A',
    kind: 'current',
    part: 'inductor',
    traces: (w) => (w.inductorCurrent.length > 1 ? [w.inductorSum] : []),
  },
  { id: 'iq', name: 'control switch', unit: 'A', kind: 'current', part: 'control', traces: (w) => [w.controlCurrent] },
  { id: 'ir', name: 'rectifier', unit: 'A', kind: 'current', part: 'rectifier', traces: (w) => [w.rectifierCurrent] },
  {
    id: 'iq2',
    name: 'boost control',
    unit: 'A',
    kind: 'current',
    part: 'boostControl',
    traces: (w) => given(w.boostControlCurrent),
  },
  {
    id: 'ir2',
    name: 'boost rectifier',
    unit: 'A',
    kind: 'current',
    part: 'boostRectifier',
    traces: (w) => given(w.boostRectifierCurrent),
  },
  {
    id: 'co',
    name: 'output bank',
    unit: 'A',
    kind: 'current',
    part: 'output',
    traces: (w) => [w.outputCapacitorCurrent],
  },
  {
    id: 'vo',
    quantity: 'outputRipple',
    name: 'output ripple',
    unit: 'V',
    kind: 'voltage',
    part: 'output',
    traces: (w) => [w.outputRipple],
  },
  { id: 'ci', name: 'input bank', unit: 'A', kind: 'current', part: 'input', traces: (w) => [w.inputCapacitorCurrent] },
  {
    id: 'vi',
    quantity: 'inputRipple',
    name: 'input ripple',
    unit: 'V',
    kind: 'voltage',
    part: 'input',
    traces: (w) => [w.inputRipple],
  },
];

/** Lanes on whose zero line the balance areas are shaded. */
const BALANCED = ['vl', 'co'];

/** Parts of a lane's height left below its trace, and above it for the lane's name. */
const ROOM = { above: 0.26, below: 0.08 };

/** CSS pixels for the lanes' figures. */
const LABEL_WIDTH = 62;

/** Value of a trace at a time, between its two neighbours. */
function readAt(time: readonly number[], values: readonly number[], at: number): number {
  let high = time.findIndex((t) => t >= at);
  if (high < 0) high = time.length - 1;
  const low = Math.max(0, high - 1);
  const span = time[high]! - time[low]!;
  const part = span > 0 ? (at - time[low]!) / span : 0;
  return values[low]! + (values[high]! - values[low]!) * part;
}

/** The theme's inks that the chart draws with: read once a theme, for reading a style makes the page lay itself out. */
interface Inks {
  voltage: string;
  current: string;
  ink: string;
  soft: string;
  hair: string;
  paper: string;
}

function readInks(): Inks {
  const style = getComputedStyle(document.documentElement);
  const ink = (name: string): string => style.getPropertyValue(name).trim();
  return {
    voltage: ink('--volt'),
    current: ink('--amp'),
    ink: ink('--ink'),
    soft: ink('--soft'),
    hair: ink('--hair'),
    paper: ink('--paper'),
  };
}

/** What the plugin draws at the next frame. */
interface Picture {
  waveforms: Waveforms;
  ghost: Waveforms | undefined;
  /** the part pointed at, whose lanes are drawn wider */
  part: string | undefined;
  areas: boolean;
  inks: Inks;
}

interface Stroke {
  ink: string;
  width: number;
  dash: number[];
}

/** Maps a trace into the chart area and strokes it; with `fill`, its areas above and below zero too. */
function strokeTrace(
  { ctx, scales }: Chart,
  lane: string,
  time: readonly number[],
  values: readonly number[],
  { ink, width, dash }: Stroke,
  fill: boolean,
): void {
  const [x, y] = [scales['x'], scales[lane]];
  if (!x || !y) return;
  const across = (x.right - x.left) / (x.max - x.min);
  const up = (y.bottom - y.top) / (y.max - y.min);
  const place = (i: number): [number, number] => [
    x.left + (time[i]! - x.min) * across,
    y.bottom - (values[i]! - y.min) * up,
  ];
  ctx.beginPath();
  for (let i = 0; i < time.length; i += 1) {
    const [px, py] = place(i);
    if (i === 0) ctx.moveTo(px, py);
    else ctx.lineTo(px, py);
  }
  ctx.strokeStyle = ink;
  ctx.lineWidth = width;
  ctx.lineJoin = 'round';
  ctx.setLineDash(dash);
  ctx.stroke();
  if (!fill) return;
  const zero = Math.min(y.bottom, Math.max(y.top, y.bottom + y.min * up));
  const halves: [number, number, string][] = [
    [y.top, zero, '44'],
    [zero, y.bottom, '22'],
  ];
  const path = time.map((_, i) => place(i));
  for (const [top, bottom, faint] of halves) {
    ctx.save();
    ctx.beginPath();
    ctx.rect(x.left, top, x.right - x.left, bottom - top);
    ctx.clip();
    ctx.beginPath();
    ctx.moveTo(path[0]![0], zero);
    for (const [px, py] of path) ctx.lineTo(px, py);
    ctx.lineTo(path.at(-1)![0], zero);
    ctx.fillStyle = `${ink}${faint}`;
    ctx.fill();
    ctx.restore();
  }
}

/** Every trace of the lanes shown, those before a scrub faint beneath. */
function drawTraces(chart: Chart, lanes: readonly Lane[], { waveforms, ghost, part, areas, inks }: Picture): void {
  const { ctx, chartArea } = chart;
  ctx.save();
  ctx.beginPath();
  ctx.rect(chartArea.left, chartArea.top - 2, chartArea.right - chartArea.left, chartArea.bottom - chartArea.top + 4);
  ctx.clip();
  for (const lane of lanes) {
    const ink = inks[lane.kind];
    for (const values of ghost ? lane.traces(ghost) : [])
      strokeTrace(chart, lane.id, ghost!.time, values, { ink: `${ink}55`, width: 1, dash: [3, 3] }, false);
    lane.traces(waveforms).forEach((values, i) => {
      const dash = i === 0 ? [] : [6 - Math.min(4, i), 2 + (i % 3)];
      const width = part === lane.part ? 2.8 : 1.6;
      const fill = areas && i === 0 && BALANCED.includes(lane.id);
      strokeTrace(chart, lane.id, waveforms.time, values, { ink, width, dash }, fill);
    });
  }
  ctx.restore();
}

interface CursorHolder {
  time: number | undefined;
  pinned: number | undefined;
}

/** Two periods of the exact steady state, stacked on one time axis, with a cursor that reads every lane. */
export function WaveformStack({ waveforms, ghost }: { waveforms: Waveforms; ghost: Waveforms | undefined }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line'> | undefined>(undefined);
  const picture = useRef<Picture | undefined>(undefined);
  const cursor = useRef<CursorHolder>({ time: undefined, pinned: undefined });
  const [at, setAt] = useState<number>();
  const theme = useView((state) => state.theme);
  const part = useView((state) => state.part);
  const end = waveforms.time.at(-1)!;
  const shown = useView((state) => state.lanes);
  const [pinned, setPinned] = useState<number>();
  const areas = useView((state) => state.areas);
  const offered = ALL_LANES.filter((lane) => lane.traces(waveforms).length > 0);
  const wanted = new Set(areas ? [...shown, ...BALANCED] : shown);
  const key = offered
    .filter((lane) => wanted.has(lane.id))
    .map((lane) => lane.id)
    .join();
  const LANES = useMemo(() => key.split(',').flatMap((id) => ALL_LANES.find((lane) => lane.id === id) ?? []), [key]);

  // the theme changes what the colour variables say
  const inks = useMemo(readInks, [theme]);

  useLayoutEffect(() => {
    const line: Plugin<'line'> = {
      id: 'cursor',
      // names under the traces: a name may be crossed, a trace never hidden
      beforeDatasetsDraw(drawn) {
        const shownNow = picture.current;
        if (!shownNow) return;
        drawn.ctx.save();
        drawn.ctx.font = "11px 'Spline Sans Variable', sans-serif";
        drawn.ctx.textAlign = 'right';
        for (const lane of LANES) {
          const scale = drawn.scales[lane.id];
          if (!scale) continue;
          const right = drawn.chartArea.right - 3;
          const width = drawn.ctx.measureText(lane.name).width;
          drawn.ctx.fillStyle = shownNow.inks.paper;
          drawn.ctx.fillRect(right - width - 3, scale.top, width + 6, 13);
          drawn.ctx.fillStyle = shownNow.inks.soft;
          drawn.ctx.fillText(lane.name, right, scale.top + 10);
        }
        drawn.ctx.restore();
        drawTraces(drawn, LANES, shownNow);
      },
      afterDatasetsDraw(drawn) {
        const axis = drawn.scales['x'];
        if (!axis) return;
        const { ctx, chartArea } = drawn;
        const { time, pinned: fixed } = cursor.current;
        for (const [place, dash] of [
          [time, [2, 3]],
          [fixed, []],
        ] as const) {
          if (place === undefined) continue;
          const x = axis.getPixelForValue(place);
          ctx.save();
          ctx.strokeStyle = picture.current?.inks.ink ?? '#000';
          ctx.setLineDash([...dash]);
          ctx.beginPath();
          ctx.moveTo(x, chartArea.top);
          ctx.lineTo(x, chartArea.bottom);
          ctx.stroke();
          ctx.restore();
        }
      },
    };
    const lanes = Object.fromEntries(
      [...LANES].reverse().map((lane) => [
        lane.id,
        {
          type: 'linear' as const,
          axis: 'y' as const,
          stack: 'lanes',
          stackWeight: 1,
          border: { display: false },
          afterFit: (axis: { width: number }) => {
            axis.width = LABEL_WIDTH;
          },
          // a lane shows its own lowest and highest value, and nothing between
          afterBuildTicks: (axis: { min: number; max: number; ticks: { value: number }[] }) => {
            const height = axis.max - axis.min;
            axis.ticks = [{ value: axis.min + height * ROOM.below }, { value: axis.max - height * ROOM.above }];
          },
          ticks: {
            autoSkip: false,
            callback(this: { min: number; max: number }, value: string | number) {
              // a current that comes back to zero is not some picoamperes
              const rounded = Math.abs(Number(value)) < 1e-6 * (this.max - this.min) ? 0 : Number(value);
              return formatQuantity(rounded, lane.unit);
            },
          },
        },
      ]),
    );
    const made = new Chart<'line'>(canvas.current!, {
      type: 'line',
      data: { datasets: [] },
      plugins: [line],
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        events: [],
        font: { family: 'Spline Sans Mono Variable', size: 10 },
        scales: {
          x: {
            type: 'linear',
            ticks: {
              maxTicksLimit: 6,
              autoSkip: false,
              includeBounds: false,
              maxRotation: 0,
              callback: (value) => formatQuantity(Number(value), 's'),
            },
          },
          ...lanes,
        },
      },
    });
    chart.current = made;
    return () => made.destroy();
  }, [LANES]);

  // layout effects throughout: the chart is drawn in the same frame as the figures beside it
  // axis styles are settled when the theme is, so that a moving value changes nothing but data and ranges
  useLayoutEffect(() => {
    const drawn = chart.current;
    if (!drawn) return;
    for (const axis of Object.values(drawn.options.scales ?? {})) {
      if (!axis) continue;
      axis.grid = { color: inks.hair, drawTicks: false };
      axis.ticks = {
        ...axis.ticks,
        color: inks.soft,
        font: { family: 'Spline Sans Mono Variable', size: 10 },
      };
    }
  }, [inks, LANES]);

  useLayoutEffect(() => {
    const drawn = chart.current;
    if (!drawn) return;
    const { scales } = drawn.options;
    // a hair past the end, so that rounding does not drop the last tick
    Object.assign(scales!['x']!, { min: 0, max: end * (1 + 1e-6) });
    for (const lane of LANES) {
      const values = lane.traces(waveforms).flat();
      const low = Math.min(...values);
      const high = Math.max(...values);
      const height = (high - low || Math.abs(high) || 1) / (1 - ROOM.above - ROOM.below);
      Object.assign(scales![lane.id]!, { min: low - height * ROOM.below, max: high + height * ROOM.above });
    }
    picture.current = { waveforms, ghost, part, areas, inks };
    drawn.update('none');
    mark('yundro-drawn');
  }, [waveforms, ghost, part, areas, inks, end, LANES]);

  const put = (time: number | undefined): void => {
    const clamped = time === undefined ? undefined : Math.min(end, Math.max(0, time));
    cursor.current.time = clamped;
    setAt(clamped);
    chart.current?.draw();
  };
  const follow = (event: PointerEvent): void => {
    const axis = chart.current?.scales['x'];
    if (!axis) return;
    const box = canvas.current!.getBoundingClientRect();
    put(axis.getValueForPixel(event.clientX - box.left));
  };
  const pin = (): void => {
    const next = pinned === undefined ? at : undefined;
    cursor.current.pinned = next;
    setPinned(next);
    chart.current?.draw();
  };
  const step = (event: KeyboardEvent): void => {
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault();
      pin();
      return;
    }
    const direction = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (direction === 0) return;
    event.preventDefault();
    put((at ?? end / 4) + (direction * end) / (event.shiftKey ? 20 : 200));
  };

  return (
    <div className="waveforms">
      <div className="lane-picks" role="group" aria-label="Waveforms shown">
        {offered.map((lane) => (
          <button
            key={lane.id}
            type="button"
            className={`lane-pick kind-${lane.kind}`}
            aria-pressed={wanted.has(lane.id)}
            onClick={() => toggleLane(lane.id)}
          >
            {lane.name}
          </button>
        ))}
        <button type="button" className="lane-pick" aria-pressed={areas} onClick={toggleAreas}>
          balance areas
        </button>
      </div>
      <div
        className="waveform-canvas"
        style={{ height: Math.max(300, 26 + LANES.length * (LANES.length > 7 ? 46 : 58)) }}
        role="slider"
        tabIndex={0}
        aria-label="Time cursor over the waveforms"
        aria-valuemin={0}
        aria-valuemax={decimal(end)}
        aria-valuenow={decimal(at ?? 0)}
        aria-valuetext={at === undefined ? 'no cursor' : formatQuantity(at, 's')}
        onPointerMove={follow}
        onPointerLeave={() => put(undefined)}
        onClick={pin}
        onKeyDown={step}
      >
        <canvas ref={canvas} aria-hidden="true" />
      </div>
      <dl className="readout mono" aria-live="off">
        <div>
          <dt>cursor</dt>
          <dd>
            {at === undefined ? '—' : formatQuantity(at, 's')}
            {at !== undefined && pinned !== undefined ? ` (Δ ${formatQuantity(at - pinned, 's')})` : ''}
          </dd>
        </div>
        {LANES.map((lane) => (
          <div key={lane.id} className={`kind-${lane.kind}${part === lane.part ? ' lit' : ''}`}>
            <dt>{lane.name}</dt>
            <dd>
              {at === undefined ? (
                <Span lane={lane} waveforms={waveforms} />
              ) : (
                <>
                  {formatQuantity(readAt(waveforms.time, lane.traces(waveforms)[0]!, at), lane.unit)}
                  {pinned === undefined
                    ? null
                    : ` (Δ ${formatQuantity(
                        readAt(waveforms.time, lane.traces(waveforms)[0]!, at) -
                          readAt(waveforms.time, lane.traces(waveforms)[0]!, pinned),
                        lane.unit,
                      )})`}
                </>
              )}
            </dd>
          </div>
        ))}
      </dl>
      {areas ? <BalanceWords waveforms={waveforms} /> : null}
    </div>
  );
}

/** The two areas that balance in each period, in this design's own figures. */
function BalanceWords({ waveforms }: { waveforms: Waveforms }) {
  const { voltSeconds, charge } = balanceOf(waveforms);
  const pair = (balance: { positive: number; negative: number }, unit: Unit, of: string): string =>
    `+${formatQuantity(balance.positive, unit)}${of} and −${formatQuantity(-balance.negative, unit)}${of}`;
  return (
    <p className="balance">
      In one period the inductor is given <span className="mono">{pair(voltSeconds, 'V', '·s')}</span>: equal, or its
      current would not come back. The output bank takes <span className="mono">{pair(charge, 'A', '·s')}</span>: equal,
      or its voltage would drift.
    </p>
  );
}

/** Peak to peak over the periods shown: with its Why? where that is a quantity of its own. */
function Span({ lane, waveforms }: { lane: Lane; waveforms: Waveforms }) {
  const values = lane.traces(waveforms)[0]!;
  const text = `${formatQuantity(Math.max(...values) - Math.min(...values), lane.unit)} p-p`;
  const { quantity } = lane;
  return quantity === undefined ? (
    text
  ) : (
    <button type="button" className="why-number mono" title="Why?" onClick={() => askWhy(quantity)}>
      {text}
    </button>
  );
}
