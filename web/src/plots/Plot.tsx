import { Chart, LinearScale, LineController, LogarithmicScale, type ChartOptions } from 'chart.js';
import {
  Fragment,
  memo,
  useEffect,
  useId,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type ComponentProps,
  type KeyboardEvent,
  type PointerEvent,
} from 'react';
import Overlay from 'react-bootstrap/Overlay';
import Tooltip from 'react-bootstrap/Tooltip';
import { formatQuantity, type Unit } from '@yundro/core';
import { useTall } from '../app/useTall.ts';
import { useView } from '../stores/viewStore.ts';
import { drawCursors, drawTraces, markNear, readInks, type Inks, type Picture } from './draw.ts';
import { setLink, useLink } from './links.ts';
import {
  decades,
  digitsOf,
  panned,
  readAt,
  roundRange,
  roundTicks,
  steppedTicks,
  extentIn,
  extentOf,
  wholeOf,
  within,
  zoomed,
  type Across,
  type Lane,
  type Range,
  type Trace,
} from './model.ts';
import { Handles } from './Handles.tsx';
import { LaneScale, LogLaneScale } from './scales.ts';
import { PlotTools } from './PlotTools.tsx';
import css from './plot.module.css';

Chart.register(LineController, LinearScale, LogarithmicScale, LaneScale, LogLaneScale);

/** Options of one of the chart's axes. */
type ScaleOf = NonNullable<NonNullable<ChartOptions<'line'>['scales']>[string]>;

export type { Across, Lane, Trace } from './model.ts';

const FIGURES = { family: 'Spline Sans Mono Variable', size: 10 };
/** CSS pixels for the lanes' figures, where several stand over one another. */
const LABEL_WIDTH = 62;
/** The same where a lane's values have names. */
const NAME_WIDTH = 84;
const labelWidth = (lanes: readonly Lane[]): number => (lanes.some(({ names }) => names) ? NAME_WIDTH : LABEL_WIDTH);
/** Parts of a stacked lane's height left above its trace, for its name, and below. */
const ROOM = { above: 0.26, below: 0.08 };
/** Part of a lane's height at either end that is left without a figure. */
const EDGE = 0.04;
/** CSS pixels of a stacked lane from which on it has round figures at its side, and about how many. */
const HIGH_LANE = 90;
const ROUND_FIGURES = 4;
/** CSS pixels a pointer may stray while it presses. */
const STRAY = 4;
/** Length of the stretch shown after one step nearer. */
const NEARER = 0.5;

interface PlotProps {
  title: string;
  /** for those who cannot see it */
  summary: string;
  across: Across;
  lanes: readonly Lane[];
  /** plots of one link share their stretch and cursors */
  link?: string;
  /** CSS pixels, in a window of usual height; a higher one gives it more */
  height?: number;
  /** lanes over one another, even where only one is shown */
  stacked?: boolean;
  /** each trace by its name, also where lanes stand over one another */
  legend?: boolean;
  /** the title stands elsewhere */
  untitled?: boolean;
  onDrawn?: () => void;
  /** places on the axis across that can be moved */
  handles?: Pick<ComponentProps<typeof Handles>, 'handles' | 'onMove' | 'onCancel' | 'step'>;
}

/**
 * Curves over one axis: lanes over one another where there are several. A stretch is drawn out with the pointer to be
 * seen larger, a pair of cursors reads every trace, and what is seen can be copied and saved.
 */
export const Plot = memo(function Plot(props: PlotProps) {
  const { title, summary, across, lanes, untitled = false, onDrawn } = props;
  const tall = useTall();
  const height = Math.round((props.height ?? 216) * tall);
  const own = useId();
  const link = props.link ?? own;
  const { range, at, pinned } = useLink(link);
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart | undefined>(undefined);
  const picture = useRef<Picture | undefined>(undefined);
  const press = useRef<{ x: number; value: number; pans: boolean; far: boolean; from: typeof range } | undefined>(
    undefined,
  );
  const [area, setArea] = useState({ left: 0, right: 0 });
  const [band, setBand] = useState<{ from: number; to: number }>();
  const [pointed, setPointed] = useState<ReturnType<typeof markNear>>();
  const theme = useView((state) => state.theme);
  const inks = useMemo(readInks, [theme]); // the theme changes what the colour variables say
  const stacked = props.stacked ?? lanes.length > 1;
  const high = stacked && height / lanes.length >= HIGH_LANE;
  const whole = useMemo(() => wholeOf(across, lanes), [across, lanes]);
  const shown = range === undefined ? whole : (within(range, whole, across.log) ?? whole);

  // what makes a chart another one: its axes; everything else moves in it
  const shape = `${across.log ? 'log' : ''} ${high ? 'high' : ''} ${lanes.map(({ id, log, unit, step, weight, names }) => `${id}:${log ? 'log' : ''}:${unit}:${step ?? ''}:${weight ?? ''}:${names?.join('/') ?? ''}`).join()}`;
  const tells = lanes.some(({ traces }) => traces.some((trace) => trace.tells !== undefined));
  useLayoutEffect(() => {
    const made = new Chart(canvas.current!, {
      type: 'line',
      data: { datasets: [] },
      plugins: [
        {
          id: 'traces',
          afterLayout: ({ chartArea: { left, right } }) =>
            setArea((before) => (before.left === left && before.right === right ? before : { left, right })),
          beforeDatasetsDraw: (drawn) => {
            if (picture.current) drawTraces(drawn, picture.current);
          },
          afterDatasetsDraw: (drawn) => {
            if (picture.current) drawCursors(drawn, picture.current);
          },
        },
      ],
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        ...(tells ? { layout: { padding: { right: 6 } } } : {}),
        events: [],
        scales: {
          x: acrossScale(across),
          ...Object.fromEntries(
            [...lanes]
              .reverse()
              .map((lane) => [lane.id, stacked ? stackedScale(lane, high, labelWidth(lanes)) : loneScale(lane)]),
          ),
        },
      },
    });
    chart.current = made;
    return () => made.destroy();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `shape` says when the axes are others
  }, [shape]);

  // axis styles are settled when the theme is, so that a moving value changes nothing but traces and ranges
  useLayoutEffect(() => {
    if (chart.current) paint(chart.current, inks);
  }, [inks, shape]);

  // layout effects throughout: the chart is drawn in the same frame as the figures beside it
  useLayoutEffect(() => {
    const drawn = chart.current;
    const scales = drawn?.options.scales;
    if (!drawn || !scales) return;
    // a hair past the end, so that rounding does not drop the last tick
    Object.assign(scales['x']!, {
      min: shown.min,
      max: across.log ? shown.max : shown.max + (shown.max - shown.min) * 1e-6,
    });
    for (const lane of lanes) Object.assign(scales[lane.id]!, stacked ? roomyRange(lane, shown) : roundRange(lane));
    if (!stacked && lanes[0]) Object.assign(scales[lanes[0].id]!, { title: titleOf(lanes[0].name, inks) });
    Object.assign(scales['x']!, { title: stacked ? { display: false } : titleOf(across.name, inks) });
    picture.current = { across, lanes, stacked, at: undefined, pinned: undefined, band: undefined, inks };
    drawn.update('none');
    onDrawn?.();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `shown` is its two ends
  }, [across, lanes, shown.min, shown.max, inks, shape, stacked, onDrawn]);

  useEffect(() => {
    if (!picture.current) return;
    Object.assign(picture.current, { at, pinned, band, pointed });
    chart.current?.draw();
  }, [at, pinned, band, pointed, across, lanes, shown.min, shown.max, inks, shape]);
  useEffect(() => setPointed(undefined), [lanes, shown.min, shown.max]);

  const valueAt = (event: PointerEvent | WheelEvent): number | undefined => {
    const axis = chart.current?.scales['x'];
    if (!axis || !canvas.current) return undefined;
    const value = axis.getValueForPixel(event.clientX - canvas.current.getBoundingClientRect().left);
    return value === undefined ? undefined : Math.min(shown.max, Math.max(shown.min, value));
  };
  const put = (value: number | undefined): void =>
    setLink(link, { at: value === undefined ? undefined : Math.min(shown.max, Math.max(shown.min, value)) });
  const look = (next: typeof range): void => setLink(link, { range: next });
  const pin = (value: number | undefined): void => setLink(link, { pinned: pinned === undefined ? value : undefined });

  const onPointerDown = (event: PointerEvent): void => {
    const value = valueAt(event);
    if (value === undefined || event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    press.current = { x: event.clientX, value, pans: event.shiftKey, far: false, from: range };
  };
  const onPointerMove = (event: PointerEvent): void => {
    const value = valueAt(event);
    const pressed = press.current;
    if (value === undefined) return;
    if (tells) {
      const { left, top } = canvas.current!.getBoundingClientRect();
      const near = markNear(chart.current!, picture.current!, event.clientX - left, event.clientY - top);
      if (near?.words !== pointed?.words) setPointed(near);
    }
    if (pressed && Math.abs(event.clientX - pressed.x) > STRAY) pressed.far = true;
    if (pressed?.far && pressed.pans && pressed.from) {
      const { width } = canvas.current!.getBoundingClientRect();
      look(panned(pressed.from, whole, (pressed.x - event.clientX) / width, across.log));
    } else if (pressed?.far) setBand({ from: pressed.value, to: value });
    put(value);
  };
  const onPointerUp = (event: PointerEvent): void => {
    const pressed = press.current;
    const value = valueAt(event);
    press.current = undefined;
    setBand(undefined);
    if (!pressed || value === undefined) return;
    if (!pressed.far) pin(value);
    else if (!pressed.pans) look(within({ min: pressed.value, max: value }, whole, across.log));
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.ctrlKey || event.metaKey) return;
    const about = at ?? (across.log ? Math.sqrt(shown.min * shown.max) : (shown.min + shown.max) / 2);
    const step = event.shiftKey ? 1 / 20 : 1 / 200;
    const stepped = (sign: 1 | -1): number =>
      across.log ? about * (shown.max / shown.min) ** (sign * step) : about + sign * (shown.max - shown.min) * step;
    const acts: Readonly<Record<string, () => void>> = {
      ArrowRight: () => put(stepped(1)),
      ArrowLeft: () => put(stepped(-1)),
      Home: () => put(shown.min),
      End: () => put(shown.max),
      Enter: () => pin(about),
      ' ': () => pin(about),
      '+': () => look(zoomed(shown, whole, about, NEARER, across.log)),
      '-': () => look(zoomed(shown, whole, about, 1 / NEARER, across.log)),
      '0': () => look(undefined),
      Escape: () => setLink(link, { at: undefined, pinned: undefined }),
    };
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  };

  // a wheel that is to zoom must be able to keep the page where it is, which React's own listener cannot
  useEffect(() => {
    const place = canvas.current?.parentElement;
    const onWheel = (event: WheelEvent): void => {
      if (!event.ctrlKey && !event.metaKey) return;
      event.preventDefault();
      const about = valueAt(event);
      if (about !== undefined) look(zoomed(shown, whole, about, event.deltaY < 0 ? NEARER : 1 / NEARER, across.log));
    };
    place?.addEventListener('wheel', onWheel, { passive: false });
    return () => place?.removeEventListener('wheel', onWheel);
  });

  return (
    <figure className={css['plot']} data-testid="plot">
      <figcaption className={untitled ? css['bare'] : css['head']}>
        {untitled ? null : <h3>{title}</h3>}
        {stacked && !props.legend ? null : (
          <Legend traces={lanes.flatMap((lane, i) => (i === 0 || lane.names ? lane.traces : []))} />
        )}
        <PlotTools
          chart={chart}
          title={title}
          across={across}
          lanes={lanes}
          shown={shown}
          onWhole={range ? () => look(undefined) : undefined}
        />
      </figcaption>
      <div
        className={css['plot-canvas']}
        style={{ height }}
        role="slider"
        tabIndex={0}
        aria-label={`Cursor over ${title}. ${summary}`}
        aria-valuemin={decimal(shown.min)}
        aria-valuemax={decimal(shown.max)}
        aria-valuenow={decimal(at ?? shown.min)}
        aria-valuetext={at === undefined ? 'no cursor' : formatQuantity(at, across.unit)}
        title="Draw out a stretch to see it larger; press to pin the second cursor; Shift-drag moves along"
        onDragStart={(event) => event.preventDefault()}
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        onPointerCancel={() => {
          press.current = undefined;
          setBand(undefined);
        }}
        onPointerLeave={() => {
          put(undefined);
          setPointed(undefined);
        }}
        onDoubleClick={() => setLink(link, { range: undefined, pinned: undefined })}
        onKeyDown={onKeyDown}
      >
        <canvas ref={canvas} aria-hidden="true" />
        {pointed ? <Told key={pointed.words} {...pointed} /> : null}
      </div>
      {props.handles && area.right > area.left ? (
        <Handles
          {...props.handles}
          height={height}
          shown={shown}
          log={across.log === true}
          unit={across.unit}
          area={area}
        />
      ) : null}
      {tells ? null : stacked ? (
        <Readout across={across} lanes={lanes} at={at} pinned={pinned} />
      ) : (
        <Places across={across} lane={lanes[0]} at={at} pinned={pinned} />
      )}
    </figure>
  );
});

/** Without an exponent, which assistive technology does not read; typed as the attribute wants it. */
export function decimal(value: number): number {
  return value.toFixed(15).replace(/\.?0+$/u, '') as unknown as number;
}

function figure(value: number, unit: Unit, digits = 3): string {
  return unit === '' ? String(Number(value.toPrecision(digits))) : formatQuantity(value, unit, { digits });
}

function acrossScale({ log, unit }: Across): ScaleOf {
  return {
    type: log ? 'logarithmic' : 'linear',
    border: { display: false },
    ticks: {
      maxTicksLimit: 7,
      autoSkip: false,
      includeBounds: false,
      maxRotation: 0,
      callback: (value: string | number) => figure(Number(value), unit),
    },
    ...(log ? { afterBuildTicks: byDecades } : {}),
  } as unknown as ScaleOf;
}

function byDecades(axis: { min: number; max: number; ticks: { value: number }[] }): void {
  axis.ticks = decades(axis, 8).map((value) => ({ value }));
}

function loneScale({ log, unit }: Lane): ScaleOf {
  return {
    type: log ? 'logarithmic' : 'linear',
    border: { display: false },
    ticks: { maxTicksLimit: 7, callback: (value: string | number) => figure(Number(value), unit) },
    ...(log ? { afterBuildTicks: byDecades } : {}),
  } as unknown as ScaleOf;
}

/** One of several over one another: round figures where it is high, else its own lowest and highest value. */
function stackedScale({ unit, log, step, weight = 1, names }: Lane, high: boolean, labels: number): ScaleOf {
  return {
    type: log ? LogLaneScale.id : LaneScale.id,
    axis: 'y',
    stack: 'lanes',
    stackWeight: weight,
    border: { display: false },
    afterFit: (axis: { width: number }) => {
      axis.width = labels;
    },
    afterBuildTicks: (axis: { min: number; max: number; ticks: { value: number }[] }) => {
      const { min, max } = axis;
      if (names) {
        axis.ticks = names.map((_, value) => ({ value }));
        return;
      }
      const at = (part: number): number => (log ? min * (max / min) ** part : min + (max - min) * part);
      if (step !== undefined) {
        // a figure on the edge would lie over the next lane's
        axis.ticks = steppedTicks({ min: at(EDGE), max: at(1 - EDGE) }, step).map((value) => ({ value }));
        return;
      }
      const round = !high
        ? []
        : log
          ? decades(axis, ROUND_FIGURES)
          : roundTicks({ min, max: at(1 - ROOM.above / 2) }, ROUND_FIGURES);
      axis.ticks = (round.length > 1 ? round : [at(ROOM.below), at(1 - ROOM.above)]).map((value) => ({ value }));
    },
    ticks: {
      autoSkip: false,
      callback(this: { min: number; max: number }, value: string | number, _: number, ticks: { value: number }[]) {
        if (names) return names[Number(value)] ?? '';
        // a current that comes back to zero is not some picoamperes
        const rounded = Math.abs(Number(value)) < 1e-6 * (this.max - this.min) ? 0 : Number(value);
        return figure(rounded, unit, high && !log ? digitsOf(ticks.map((tick) => tick.value)) : 3);
      },
    },
  } as unknown as ScaleOf;
}

function roomyRange({ traces, log = false, fits = false, names }: Lane, shown: Range): { min: number; max: number } {
  if (names) return { min: -0.6, max: names.length };
  const own = traces.filter(({ ghost }) => !ghost);
  const found = fits
    ? extentIn(own, shown)
    : extentOf(
        own.map(({ y }) => y),
        log,
      );
  const { min, max } = found ?? { min: log ? 1 : 0, max: log ? 10 : 1 };
  if (log) {
    const decades = (Math.log(max / min) || 1) / (1 - ROOM.above - ROOM.below);
    return { min: min * Math.exp(-decades * ROOM.below), max: max * Math.exp(decades * ROOM.above) };
  }
  const height = (max - min || Math.abs(max) || 1) / (1 - ROOM.above - ROOM.below);
  return { min: min - height * ROOM.below, max: max + height * ROOM.above };
}

function titleOf(text: string, { soft }: Inks): object {
  return { display: true, text, color: soft, font: { family: 'Spline Sans Variable', size: 11 } };
}

function paint(chart: Chart, { hair, soft }: Inks): void {
  for (const axis of Object.values(chart.options.scales ?? {})) {
    if (!axis) continue;
    axis.grid = { color: hair, drawTicks: false };
    axis.ticks = { ...axis.ticks, color: soft, font: FIGURES };
  }
}

interface Reading {
  at: number | undefined;
  pinned: number | undefined;
}

function readings({ x, y, wanders }: Trace, unit: Unit, { at, pinned }: Reading): string | undefined {
  const here = at === undefined || wanders ? undefined : readAt(x, y, at);
  const there = pinned === undefined || wanders ? undefined : readAt(x, y, pinned);
  if (here === undefined) return there === undefined ? undefined : figure(there, unit);
  return there === undefined ? figure(here, unit) : `${figure(here, unit)} (Δ ${figure(here - there, unit)})`;
}

/** What the mark says that is pointed at. */
function Told({ words, x, y }: { words: string; x: number; y: number }) {
  const [spot, setSpot] = useState<HTMLElement | null>(null);
  return (
    <>
      <span ref={setSpot} className={css['spot']} style={{ left: x, top: y }} />
      <Overlay target={spot} show={spot !== null} placement="top">
        <Tooltip data-testid="pointed">{words}</Tooltip>
      </Overlay>
    </>
  );
}

/** Each trace by its name and dash. */
function Legend({ traces }: { traces: readonly Trace[] }) {
  return (
    <ul className={css['legend']}>
      {traces
        .filter(({ name, ghost }) => name !== '' && !ghost)
        .map((trace) => (
          <li key={trace.name}>
            <svg width="22" height="9" aria-hidden="true">
              {trace.marks === 'triangle' ? (
                <path d="M11 0l4 8H7z" fill={`var(${trace.ink})`} />
              ) : trace.marks === 'ring' ? (
                <circle cx="11" cy="4.5" r="3.2" fill="none" stroke={`var(${trace.ink})`} />
              ) : trace.marks ? (
                <circle cx="11" cy="4.5" r="3.5" fill={`var(${trace.ink})`} />
              ) : (
                <path
                  d="M1 4.5h20"
                  stroke={`var(${trace.ink})`}
                  strokeWidth={trace.wide ? 2.4 : 1.5}
                  strokeDasharray={trace.dash?.join(' ')}
                />
              )}
            </svg>
            {trace.name}
          </li>
        ))}
    </ul>
  );
}

/** What the cursors read of the one lane's traces: over what is below, so that nothing moves for it. */
function Places({ across, lane, at, pinned }: { across: Across; lane: Lane | undefined } & Reading) {
  const place = at ?? pinned;
  const read = (lane?.traces ?? []).flatMap((trace) => {
    const value = trace.ghost || trace.marks || !lane ? undefined : readings(trace, lane.unit, { at, pinned });
    return value === undefined ? [] : [{ name: trace.name || (trace.label?.text ?? ''), value }];
  });
  return (
    <p className={css['place']}>
      {place === undefined ? null : (
        <span>
          {across.name} <b className="font-monospace">{figure(place, across.unit)}</b>
          {at !== undefined && pinned !== undefined ? ` (Δ ${figure(at - pinned, across.unit)})` : ''}
          {read.map(({ name, value }) => (
            <Fragment key={name}>
              {'; '}
              {name} <b className="font-monospace">{value}</b>
            </Fragment>
          ))}
        </span>
      )}
    </p>
  );
}

/** What the cursors read of every lane; without one, what the lane says of itself. */
function Readout({ across, lanes, at, pinned }: { across: Across; lanes: readonly Lane[] } & Reading) {
  return (
    <dl className={`${css['readout']} font-monospace`} aria-live="off" data-testid="readout">
      <div>
        <dt>cursor</dt>
        <dd>
          {at === undefined ? (pinned === undefined ? '—' : figure(pinned, across.unit)) : figure(at, across.unit)}
          {at !== undefined && pinned !== undefined ? ` (Δ ${figure(at - pinned, across.unit)})` : ''}
        </dd>
      </div>
      {lanes.map((lane) => {
        const trace = lane.traces.find(({ ghost, marks }) => !ghost && !marks);
        return (
          <div key={lane.id} data-kind={lane.kind} data-lit={lane.lit || undefined}>
            <dt>{lane.name}</dt>
            <dd>{(trace && readings(trace, lane.unit, { at, pinned })) ?? lane.rest ?? '—'}</dd>
          </div>
        );
      })}
    </dl>
  );
}
