import { scaleLinear, scaleLog } from 'd3-scale';
import { memo, useEffect, useId, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { useShallow } from 'zustand/react/shallow';
import {
  formatQuantity,
  isHeld,
  setTape,
  stepTape,
  valueAt,
  withValue,
  type CompleteDecisions,
  type TapeDefinition,
} from '@yundro/core';
import pencil from 'bootstrap-icons/icons/pencil.svg?raw';
import { beginScrub, edit, endScrub, useDocument, useSolved } from '../stores/designStore.ts';
import { Icon } from '../app/Icon.tsx';
import { mark } from '../app/mark.ts';
import { useWidth } from '../app/useWidth.ts';
import { QuantityField } from '../fields/QuantityField.tsx';
import { decimal } from '../plots/Plot.tsx';
import { askWhy } from '../stores/viewStore.ts';
import { HoldToggle } from './HoldToggle.tsx';
import css from './decisions.module.css';
import { Quiet } from '../app/Quiet.tsx';

const WIDTH = 420;
const INSET = 8;
const LINE = 27;

/** What a tape shows of the last answer, as plain values: a tape that none of them moves is not drawn again. */
function useReading(tape: TapeDefinition) {
  return useSolved(
    useShallow((state) => {
      const { decisions } = state;
      if (!decisions) return undefined;
      const { low, high } = tape.range(decisions);
      return { value: tape.read(decisions), low, high, text: bankText(tape.path, decisions) };
    }),
  );
}

/** Holds a tape's decision at a value: what is written is made from the decisions in force, with nothing solved here. */
function put(tape: TapeDefinition, value: number): void {
  const { decisions } = useSolved.getState();
  if (decisions) edit((document) => setTape(document, tape.path, value, decisions));
}

/** What the document holds for a tape, which keys pressed faster than the answers come step from; undefined where it is free. */
function writtenValue(tape: TapeDefinition): number | undefined {
  const { decisions } = useSolved.getState();
  const written = valueAt(useDocument.getState().document?.decisions, tape.path);
  return decisions && written !== undefined ? tape.read(withValue(decisions, tape.path, written)) : undefined;
}

/** A decision as a measuring tape: forbidden stretches hatched and labelled, the marker on the value in force. */
export function Tape({ tape }: { tape: TapeDefinition }) {
  const reading = useReading(tape);
  return reading ? <DrawnTape tape={tape} {...reading} /> : null;
}

const DrawnTape = memo(function DrawnTape({
  tape,
  value,
  low: ownLow,
  high: ownHigh,
  text,
}: {
  tape: TapeDefinition;
  value: number;
  low: number;
  high: number;
  text: string | undefined;
}) {
  const pattern = useId().replace(/:/gu, '');
  const description = useId();
  const svg = useRef<SVGSVGElement>(null);
  const width = useWidth(svg, WIDTH);
  const found = useSolved((state) => state.tapes[tape.path]);
  const drag = useRef<{ low: number; high: number } | undefined>(undefined);
  /** what was typed on the tape so far; undefined while nothing is */
  const [typing, setTyping] = useState<string>();
  // the rung may be left with the marker held: the drag ends where it is
  useEffect(
    () => () => {
      if (drag.current) endScrub();
    },
    [],
  );

  // while the marker is dragged the tape's ends stay where they are
  const range =
    drag.current ?? (found && value >= found.low && value <= found.high ? found : { low: ownLow, high: ownHigh });
  const { low, high } = range;
  const log = tape.series !== undefined;
  const scale = (log ? scaleLog() : scaleLinear())
    .domain([low, high])
    .range([INSET, width - INSET])
    .clamp(true);
  const show = (at: number): string => (tape.kind === 'count' ? String(Math.round(at)) : formatQuantity(at, tape.unit));

  const move = (event: PointerEvent): void => {
    const raw = scale.invert(event.clientX - svg.current!.getBoundingClientRect().left);
    mark('yundro-moved');
    put(tape, tape.kind === 'count' ? Math.max(1, Math.round(raw)) : Number(raw.toPrecision(event.altKey ? 3 : 2)));
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const next = keyed(event, tape, writtenValue(tape) ?? value, range);
    if (next === 'typed') setTyping(event.key === 'Enter' ? '' : event.key);
    if (next === undefined) return;
    event.preventDefault();
    if (next === 'typed') return;
    put(tape, next);
  };

  const stretches = found?.stretches ?? [];
  const missed = stretches.filter((stretch) => stretch.verdict === 'missed');
  const marginal = stretches.filter((stretch) => stretch.verdict === 'marginal');
  const x = scale(value);
  const wanted = Math.max(3, Math.round(width / 70));
  const ticks = apart(
    log ? scale.ticks(wanted).filter(isRound) : scale.ticks(wanted).filter((t) => Number.isInteger(t)),
    scale,
    log ? TICK_ROOM : TICK_ROOM / 2,
  );
  return (
    <div className={css['tape']} data-kind={tape.kind} data-decision={tape.path}>
      <div className={css['tape-head']}>
        <HoldToggle
          path={tape.path}
          name={tape.name}
          current={() => tape.write(useSolved.getState().decisions!, value)}
        />
        <span className={css['tape-name']}>{tape.name}</span>
        {typing !== undefined ? (
          <TypedValue
            tape={tape}
            value={value}
            begun={typing}
            onDone={() => {
              setTyping(undefined);
              svg.current?.focus();
            }}
          />
        ) : (
          <>
            <Quiet className={`${css['tape-value']} font-monospace`} title="Why?" onClick={() => askWhy(tape.quantity)}>
              {text ?? show(value)}
            </Quiet>
            <Quiet
              className={css['tape-type']}
              aria-label={`Type a value for ${tape.name.toLowerCase()}`}
              title="Type a value (Enter on the tape)"
              onClick={() => setTyping('')}
            >
              <Icon svg={pencil} />
            </Quiet>
          </>
        )}
      </div>
      <Rule path={tape.path} />
      <svg
        ref={svg}
        height="47"
        viewBox={`0 0 ${width} 47`}
        role="slider"
        tabIndex={0}
        aria-label={tape.name}
        aria-describedby={stretches.length > 0 ? description : undefined}
        aria-valuemin={decimal(low)}
        aria-valuemax={decimal(high)}
        aria-valuenow={decimal(value)}
        aria-valuetext={text ?? show(value)}
        onKeyDown={onKeyDown}
        // with text selected round it, a press would drag that
        onDragStart={(event) => event.preventDefault()}
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
            <path d="M0 0V5" className={css['hatch']} />
          </pattern>
        </defs>
        {marginal.map((stretch) => (
          <rect
            key={`m${stretch.label}${stretch.from}`}
            className={css['marginal']}
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
        <StretchLabels
          width={width}
          stretches={missed.map(({ from, to, label }) => ({ from: scale(from), to: scale(to), label }))}
        />
        <path className={css['tape-line']} d={`M${INSET} ${LINE}H${width - INSET}`} />
        {ticks.map((tick) => (
          <g key={tick}>
            <path className={css['tape-line']} d={`M${scale(tick)} ${LINE}v5`} />
            <text
              className={css['tick']}
              x={scale(tick)}
              y={LINE + 15}
              textAnchor={scale(tick) < 24 ? 'start' : scale(tick) > width - 24 ? 'end' : 'middle'}
            >
              {show(tick)}
            </text>
          </g>
        ))}
        <path
          className={css['marker']}
          data-testid="marker"
          d={`M${x} ${LINE - 9}V${LINE + 7}M${x - 5} ${LINE - 11}h10l-5 7z`}
        />
      </svg>
      {stretches.length > 0 ? (
        <span id={description} className="visually-hidden">
          {stretches
            .map(({ verdict, from, to, label }) => `${verdict} from ${show(from)} to ${show(to)}: ${label}`)
            .join('; ')}
        </span>
      ) : null}
    </div>
  );
});

/** CSS pixels that a tick's figure takes with what parts it from the next. */
const TICK_ROOM = 50;

/** Those of the ticks whose figures do not run into one another, the first kept. */
function apart(ticks: readonly number[], scale: (value: number) => number, room: number): number[] {
  const kept: number[] = [];
  for (const tick of ticks) {
    const last = kept.at(-1);
    if (last === undefined || scale(tick) - scale(last) >= room) kept.push(tick);
  }
  return kept;
}

/** Where a key takes a tape: by a step, by a large one, to an end, or into typing; undefined where it is none of the tape's. */
function keyed(
  event: KeyboardEvent,
  tape: TapeDefinition,
  from: number,
  { low, high }: { low: number; high: number },
): number | 'typed' | undefined {
  if (event.ctrlKey || event.metaKey) return undefined;
  const { key } = event;
  if (key === 'Enter' || /^[0-9.]$/u.test(key)) return 'typed';
  if (key === 'Home') return low;
  if (key === 'End') return high;
  const direction = STEPS[key];
  if (direction === undefined) return undefined;
  const large = event.shiftKey || key.startsWith('Page');
  return stepTape(tape.path, from, direction, large ? 'coarse' : event.altKey ? 'fine' : 'normal');
}

const STEPS: Readonly<Record<string, 1 | -1>> = {
  ArrowRight: 1,
  ArrowUp: 1,
  PageUp: 1,
  ArrowLeft: -1,
  ArrowDown: -1,
  PageDown: -1,
};

/** The value typed as engineers write it, in the place of the figure. */
function TypedValue({
  tape,
  value,
  begun,
  onDone,
}: {
  tape: TapeDefinition;
  value: number;
  begun: string;
  onDone: () => void;
}) {
  const holder = useRef<HTMLSpanElement>(null);
  // a wrong entry stays, with what would be right, until it is mended or given up by Escape
  const wrong = (): boolean => (holder.current?.querySelector('[aria-invalid="true"]') ?? null) !== null;
  useEffect(() => {
    const input = holder.current?.querySelector('input');
    input?.focus();
    if (begun === '') input?.select();
  }, [begun]);
  return (
    <span
      ref={holder}
      className={css['tape-typed']}
      onKeyDown={(event) => {
        if (event.key === 'Escape' || (event.key === 'Enter' && !wrong())) onDone();
      }}
      onBlur={() => {
        if (!wrong()) onDone();
      }}
    >
      <QuantityField
        label={tape.name}
        hideLabel
        small
        unit={tape.unit}
        value={value}
        {...(begun === '' ? {} : { begun })}
        check={(typed) =>
          tape.kind === 'count' && !(Number.isInteger(typed) && typed >= 1)
            ? 'A whole number of at least 1.'
            : typed > 0
              ? undefined
              : 'A value above 0.'
        }
        {...(tape.series ? { series: tape.series } : {})}
        onChange={(typed) => {
          if (typed !== undefined) put(tape, typed);
        }}
      />
    </span>
  );
}

function isRound(value: number): boolean {
  const mantissa = Number((value / 10 ** Math.floor(Math.log10(value) + 1e-9)).toPrecision(3));
  return mantissa === 1 || mantissa === 2 || mantissa === 5;
}

/** px of a letter of a stretch's label, which all are as wide. */
const LETTER = 6.1;

/** Labels of the forbidden stretches: the outermost at each end, of two that would lie over each other the wider stretch's. */
function StretchLabels({
  width,
  stretches,
}: {
  width: number;
  stretches: { from: number; to: number; label: string }[];
}) {
  const left = stretches.filter((s) => (s.from + s.to) / 2 < width / 2).sort((a, b) => b.to - a.to)[0];
  const right = stretches.filter((s) => (s.from + s.to) / 2 >= width / 2).sort((a, b) => a.from - b.from)[0];
  const begins = left ? Math.max(INSET, Math.min(left.from, width / 2)) : 0;
  const ends = right ? Math.min(width - INSET, right.to) : width;
  const meet = left && right && begins + LETTER * (left.label.length + 1 + right.label.length) > ends;
  const leftWins = meet && left.to - left.from >= right.to - right.from;
  return (
    <>
      {left && (!meet || leftWins) ? (
        <text className={css['forbids']} data-testid="forbids" x={begins} y="10">
          {left.label}
        </text>
      ) : null}
      {right && !leftWins ? (
        <text className={css['forbids']} data-testid="forbids" x={ends} y="10" textAnchor="end">
          {right.label}
        </text>
      ) : null}
    </>
  );
}

/** By which rule a free decision came out, or that it is held. */
export function Rule({ path, wrapped = false }: { path: string; wrapped?: boolean }) {
  const rule = useSolved((state) => state.decided.find((d) => d.path === path || d.path.startsWith(`${path}.`))?.rule);
  const held = useDocument((state) => state.document !== undefined && isHeld(state.document, path));
  const text = rule !== undefined ? `free: ${rule}` : held ? 'held' : 'none';
  return (
    <span
      className={wrapped ? css['rule-wrapped'] : css['rule']}
      title={text}
      data-decided={rule !== undefined}
      data-testid="rule"
    >
      {text}
    </span>
  );
}

function bankText(path: string, decisions: CompleteDecisions): string | undefined {
  if (path !== 'outputCapacitors' && path !== 'inputCapacitors') return undefined;
  const banks = decisions[path].map(({ count, capacitance }) => `${count} × ${formatQuantity(capacitance, 'F')}`);
  return banks.length <= 2 ? banks.join(' + ') : `${banks[0]!} + ${banks.length - 1} more`;
}
