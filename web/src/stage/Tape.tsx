import { scaleLinear, scaleLog } from 'd3-scale';
import { useEffect, useId, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { formatQuantity, isHeld, setTape, stepTape, type TapeDefinition } from '@yundro/core';
import { beginScrub, edit, endScrub, useDocument, useSolved } from '../stores/designStore.ts';
import { askWhy } from '../stores/viewStore.ts';
import { HoldToggle } from './HoldToggle.tsx';

const WIDTH = 420;
const INSET = 8;
const LINE = 27;

/** A decision as a measuring tape: forbidden stretches hatched and labelled, the marker on the value in force. */
export function Tape({ tape }: { tape: TapeDefinition }) {
  const pattern = useId().replace(/:/gu, '');
  const svg = useRef<SVGSVGElement>(null);
  const decisions = useSolved((state) => state.result?.decisions);
  const found = useSolved((state) => state.tapes[tape.path]);
  const drag = useRef<{ low: number; high: number } | undefined>(undefined);
  // keys pressed faster than the answers come step from where the last one led
  const ahead = useRef<number | undefined>(undefined);
  const settled = decisions && tape.read(decisions);
  useEffect(() => {
    if (ahead.current === settled) ahead.current = undefined;
  }, [settled]);
  // the rung may be left with the marker held: the drag ends where it is
  useEffect(
    () => () => {
      if (drag.current) endScrub();
    },
    [],
  );
  // a value that was clamped or taken back elsewhere must not be stepped from
  const document = useDocument((state) => state.document);
  useEffect(() => {
    const timer = setTimeout(() => (ahead.current = undefined), 400);
    return () => clearTimeout(timer);
  }, [document]);
  if (!decisions) return null;

  const value = tape.read(decisions);
  const own = tape.range(decisions);
  // while the marker is dragged the tape's ends stay where they are
  const range = drag.current ?? (found && value >= found.low && value <= found.high ? found : own);
  const { low, high } = range;
  const log = tape.series !== undefined;
  const scale = (log ? scaleLog() : scaleLinear())
    .domain([low, high])
    .range([INSET, WIDTH - INSET])
    .clamp(true);
  const show = (at: number): string => (tape.kind === 'count' ? String(Math.round(at)) : formatQuantity(at, tape.unit));

  const valueAtPointer = (event: PointerEvent): number => {
    const box = svg.current!.getBoundingClientRect();
    const raw = scale.invert(((event.clientX - box.left) / box.width) * WIDTH);
    if (tape.kind === 'count') return Math.max(1, Math.round(raw));
    return Number(raw.toPrecision(event.altKey ? 3 : 2));
  };
  const move = (event: PointerEvent): void => {
    const next = valueAtPointer(event);
    performance.mark('yundro-moved');
    edit((document) => setTape(document, tape.path, next));
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const direction = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key] as 1 | -1 | undefined;
    if (direction === undefined) return;
    event.preventDefault();
    const from = ahead.current ?? value;
    const next = stepTape(tape.path, from, direction, event.shiftKey ? 'coarse' : event.altKey ? 'fine' : 'normal');
    ahead.current = next;
    edit((document) => setTape(document, tape.path, next));
  };

  const missed = found?.stretches.filter((stretch) => stretch.verdict === 'missed') ?? [];
  const marginal = found?.stretches.filter((stretch) => stretch.verdict === 'marginal') ?? [];
  const x = scale(value);
  const ticks = log ? scale.ticks(6).filter((t) => isRound(t)) : scale.ticks(6).filter((t) => Number.isInteger(t));
  const unit = bankText(tape.path, decisions);
  return (
    <div className={`tape kind-${tape.kind}`} data-decision={tape.path}>
      <div className="tape-head">
        <HoldToggle path={tape.path} name={tape.name} current={() => tape.write(decisions, value)} />
        <span className="tape-name">{tape.name}</span>
        <button type="button" className="tape-value mono" title="Why?" onClick={() => askWhy(tape.quantity)}>
          {unit ?? show(value)}
        </button>
        <Rule path={tape.path} />
      </div>
      <svg
        ref={svg}
        viewBox={`0 0 ${WIDTH} 47`}
        role="slider"
        tabIndex={0}
        aria-label={tape.name}
        aria-valuemin={decimal(low)}
        aria-valuemax={decimal(high)}
        aria-valuenow={decimal(value)}
        aria-valuetext={unit ?? show(value)}
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag.current = { low, high };
          beginScrub();
          move(event);
        }}
        onPointerMove={(event) => {
          if (drag.current) move(event);
        }}
        onPointerUp={() => {
          drag.current = undefined;
          endScrub();
        }}
        onPointerCancel={() => {
          drag.current = undefined;
          endScrub();
        }}
      >
        <defs>
          <pattern id={pattern} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(52)">
            <path d="M0 0V5" className="hatch" />
          </pattern>
        </defs>
        {marginal.map((stretch) => (
          <rect
            key={`m${stretch.label}${stretch.from}`}
            className="marginal"
            x={scale(stretch.from)}
            y={LINE - 3}
            width={Math.max(1, scale(stretch.to) - scale(stretch.from))}
            height="6"
          />
        ))}
        {missed.map((stretch) => (
          <rect
            key={`x${stretch.label}${stretch.from}`}
            x={scale(stretch.from)}
            y={LINE - 6}
            width={Math.max(2, scale(stretch.to) - scale(stretch.from))}
            height="12"
            fill={`url(#${pattern})`}
          />
        ))}
        <StretchLabels stretches={missed.map(({ from, to, label }) => ({ from: scale(from), to: scale(to), label }))} />
        <path className="tape-line" d={`M${INSET} ${LINE}H${WIDTH - INSET}`} />
        {ticks.map((tick) => (
          <g key={tick}>
            <path className="tape-line" d={`M${scale(tick)} ${LINE}v5`} />
            <text
              className="tick"
              x={scale(tick)}
              y={LINE + 15}
              textAnchor={scale(tick) < 24 ? 'start' : scale(tick) > WIDTH - 24 ? 'end' : 'middle'}
            >
              {show(tick)}
            </text>
          </g>
        ))}
        <path className="marker" d={`M${x} ${LINE - 9}V${LINE + 7}M${x - 5} ${LINE - 11}h10l-5 7z`} />
      </svg>
    </div>
  );
}

/** Without an exponent, which assistive technology does not read; typed as the attribute wants it. */
export function decimal(value: number): number {
  return value.toFixed(15).replace(/\.?0+$/u, '') as unknown as number;
}

function isRound(value: number): boolean {
  const mantissa = Number((value / 10 ** Math.floor(Math.log10(value) + 1e-9)).toPrecision(3));
  return mantissa === 1 || mantissa === 2 || mantissa === 5;
}

/** Labels of the forbidden stretches: the outermost at each end, so that none lies over another. */
function StretchLabels({ stretches }: { stretches: { from: number; to: number; label: string }[] }) {
  const left = stretches.filter((s) => (s.from + s.to) / 2 < WIDTH / 2).sort((a, b) => b.to - a.to)[0];
  const right = stretches.filter((s) => (s.from + s.to) / 2 >= WIDTH / 2).sort((a, b) => a.from - b.from)[0];
  return (
    <>
      {left ? (
        <text className="forbids" x={Math.max(INSET, Math.min(left.from, WIDTH / 2))} y="10">
          {left.label}
        </text>
      ) : null}
      {right ? (
        <text className="forbids" x={Math.min(WIDTH - INSET, right.to)} y="10" textAnchor="end">
          {right.label}
        </text>
      ) : null}
    </>
  );
}

/** By which rule a free decision came out, or that it is held. */
export function Rule({ path }: { path: string }) {
  const rule = useSolved(
    (state) => state.result?.decided.find((d) => d.path === path || d.path.startsWith(`${path}.`))?.rule,
  );
  const held = useDocument((state) => state.document !== undefined && isHeld(state.document, path));
  const text = rule !== undefined ? `free: ${rule}` : held ? 'held' : 'none';
  return (
    <span className="rule" title={text}>
      {text}
    </span>
  );
}

function bankText(
  path: string,
  decisions: NonNullable<ReturnType<typeof useSolved.getState>['result']>['decisions'],
): string | undefined {
  if (path !== 'outputCapacitors' && path !== 'inputCapacitors') return undefined;
  const [first, ...more] = decisions[path];
  return `${first!.count} × ${formatQuantity(first!.capacitance, 'F')}${more.length > 0 ? ` + ${more.length} more` : ''}`;
}
