import {
  Chart,
  Filler,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  type ChartDataset,
  type Plugin,
} from 'chart.js';
import { useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { balanceOf, formatQuantity, type QuantityId, type Unit, type Waveforms } from '@yundro/core';
import { askWhy, toggleAreas, toggleLane, useView } from '../stores/viewStore.ts';
import { decimal } from './Tape.tsx';

Chart.register(Filler, LineController, LineElement, PointElement, LinearScale);

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

type Point = { x: number; y: number };

function points(time: readonly number[], values: readonly number[]): Point[] {
  return time.map((x, i) => ({ x, y: values[i]! }));
}

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

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

interface CursorHolder {
  time: number | undefined;
  pinned: number | undefined;
}

/** Two periods of the exact steady state, stacked on one time axis, with a cursor that reads every lane. */
export function WaveformStack({ waveforms, ghost }: { waveforms: Waveforms; ghost: Waveforms | undefined }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', Point[]> | undefined>(undefined);
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

  const datasets = useMemo((): ChartDataset<'line', Point[]>[] => {
    const style = {
      pointRadius: 0,
      normalized: true,
      borderJoinStyle: 'round' as const,
      parsing: false as const,
      tension: 0,
    };
    return LANES.flatMap((lane) => {
      const ink = colour(lane.kind === 'voltage' ? '--volt' : '--amp');
      const width = part === lane.part ? 2.8 : 1.6;
      const live = lane.traces(waveforms).map((values, i) => ({
        ...style,
        data: points(waveforms.time, values),
        yAxisID: lane.id,
        borderColor: ink,
        borderWidth: width,
        borderDash: i === 0 ? [] : [6 - Math.min(4, i), 2 + (i % 3)],
        ...(areas && i === 0 && BALANCED.includes(lane.id)
          ? { fill: { target: { value: 0 }, above: `${ink}44`, below: `${ink}22` } }
          : {}),
      }));
      const before = ghost
        ? lane.traces(ghost).map((values) => ({
            ...style,
            data: points(ghost.time, values),
            yAxisID: lane.id,
            borderColor: `${ink}55`,
            borderWidth: 1,
            borderDash: [3, 3],
          }))
        : [];
      return [...before, ...live];
    });
    // the theme changes what the colour variables say
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [waveforms, ghost, part, theme, LANES, areas]);

  useLayoutEffect(() => {
    const line: Plugin<'line'> = {
      id: 'cursor',
      // under the traces: a name may be crossed, a trace never hidden
      beforeDatasetsDraw(drawn) {
        drawn.ctx.save();
        drawn.ctx.font = "11px 'Spline Sans Variable', sans-serif";
        drawn.ctx.textAlign = 'right';
        for (const lane of LANES) {
          const scale = drawn.scales[lane.id];
          if (!scale) continue;
          const right = drawn.chartArea.right - 3;
          const width = drawn.ctx.measureText(lane.name).width;
          drawn.ctx.fillStyle = colour('--paper');
          drawn.ctx.fillRect(right - width - 3, scale.top, width + 6, 13);
          drawn.ctx.fillStyle = colour('--soft');
          drawn.ctx.fillText(lane.name, right, scale.top + 10);
        }
        drawn.ctx.restore();
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
          ctx.strokeStyle = colour('--ink');
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
    const made = new Chart<'line', Point[]>(canvas.current!, {
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
    const ink = colour('--soft');
    const hair = colour('--hair');
    for (const axis of Object.values(drawn.options.scales ?? {})) {
      if (!axis) continue;
      axis.grid = { color: hair, drawTicks: false };
      axis.ticks = {
        ...axis.ticks,
        color: ink,
        font: { family: 'Spline Sans Mono Variable', size: 10 },
      };
    }
  }, [theme, LANES]);

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
    drawn.data.datasets = datasets;
    drawn.update('none');
    performance.mark('yundro-drawn');
  }, [datasets, end, waveforms, LANES]);

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
