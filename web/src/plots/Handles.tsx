import { useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { formatQuantity, type Unit } from '@yundro/core';
import { mark } from '../app/mark.ts';
import type { Range } from './model.ts';
import css from './plot.module.css';

/** A place on the axis across that can be taken hold of. */
export interface Handle {
  id: string;
  name: string;
  /** written on it: one sign */
  sign: string;
  /** the row that it stands in, from the axis up */
  row: number;
  at: number;
}

interface HandlesProps {
  handles: readonly Handle[];
  /** CSS pixels of the plot that they stand over */
  height: number;
  shown: Range;
  log: boolean;
  unit: Unit;
  /** CSS pixels of the plot's area */
  area: { left: number; right: number };
  /** told while it moves, and at last when it is let go */
  onMove: (id: string, at: number, done: boolean) => void;
  /** the pointer was taken away while it moved: nothing of it counts */
  onCancel: () => void;
  /** the next place that an arrow key moves it to */
  step: (id: string, at: number, sign: 1 | -1) => number;
}

/** CSS pixels a pointer may stray while it presses. */
const STRAY = 3;

/** Handles on a plot's axis: dragged with the pointer, or moved by the arrow keys. */
export function Handles({ handles, height, shown, log, unit, area, onMove, onCancel, step }: HandlesProps) {
  const layer = useRef<HTMLDivElement>(null);
  /** CSS pixels at which a handle was pressed, until it has been moved */
  const pressed = useRef<number | undefined>(undefined);
  const width = area.right - area.left;
  const partOf = (value: number): number =>
    log ? Math.log(value / shown.min) / Math.log(shown.max / shown.min) : (value - shown.min) / (shown.max - shown.min);
  const valueOf = (event: PointerEvent): number => {
    const { left } = layer.current!.getBoundingClientRect();
    const part = Math.min(1, Math.max(0, (event.clientX - left - area.left) / width));
    return log ? shown.min * (shown.max / shown.min) ** part : shown.min + part * (shown.max - shown.min);
  };
  const onKeyDown = (handle: Handle, event: KeyboardEvent): void => {
    const sign = event.key === 'ArrowRight' || event.key === 'ArrowUp' ? 1 : -1;
    if (!event.key.startsWith('Arrow')) return;
    event.preventDefault();
    event.stopPropagation();
    onMove(handle.id, step(handle.id, handle.at, sign), true);
  };
  return (
    <div ref={layer} className={css['handles']} style={{ height, marginTop: -height }}>
      {handles.map((handle) => {
        const part = partOf(handle.at);
        // what lies outside stands at the edge, where it can still be taken hold of
        const place = Math.min(1, Math.max(0, part));
        return !Number.isFinite(part) ? null : (
          <span
            key={handle.id}
            className={css['handle']}
            style={{ left: area.left + place * width, bottom: 20 + 26 * handle.row }}
            role="slider"
            tabIndex={0}
            aria-label={handle.name}
            aria-valuemin={shown.min}
            aria-valuemax={shown.max}
            aria-valuenow={handle.at}
            aria-valuetext={formatQuantity(handle.at, unit)}
            title={`${handle.name}: ${formatQuantity(handle.at, unit)}`}
            onKeyDown={(event) => onKeyDown(handle, event)}
            // with text selected round it, a press would drag that
            onDragStart={(event) => event.preventDefault()}
            onPointerDown={(event) => {
              event.stopPropagation();
              pressed.current = event.clientX;
              event.currentTarget.setPointerCapture(event.pointerId);
            }}
            onPointerMove={(event) => {
              event.stopPropagation();
              if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
              if (pressed.current !== undefined && Math.abs(event.clientX - pressed.current) < STRAY) return;
              pressed.current = undefined;
              mark('yundro-moved');
              onMove(handle.id, valueOf(event), false);
            }}
            onPointerUp={(event) => {
              event.stopPropagation();
              // a press that moved nothing changes nothing
              if (event.currentTarget.hasPointerCapture(event.pointerId) && pressed.current === undefined)
                onMove(handle.id, valueOf(event), true);
            }}
            onPointerCancel={() => onCancel()}
          >
            {handle.sign}
          </span>
        );
      })}
    </div>
  );
}
