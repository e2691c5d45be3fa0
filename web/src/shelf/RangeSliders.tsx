import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { columnsOf, formatQuantity, type Part, type PartKind } from '@yundro/core';
import { PLACES, placeOf, spanOf, valueAtPlace, type Range } from './ranges.ts';
import { KINDS } from './words.ts';
import css from './shelf.module.css';

interface SlidersProps {
  kind: PartKind;
  /** all of the kind */
  parts: readonly Part[];
  ranges: ReadonlyMap<string, Range>;
  onChange: (ranges: ReadonlyMap<string, Range>) => void;
}

/** The columns that are numbers, each with two sliders for what is left of it. */
export function RangeSliders({ kind, parts, ranges, onChange }: SlidersProps) {
  const known = columnsOf(kind);
  const put = (key: string, span: Range, next: Range): void => {
    const all = new Map(ranges);
    if (next.low <= span.low && next.high >= span.high) all.delete(key);
    else all.set(key, next);
    onChange(all);
  };
  return (
    <div className={css['ranges']} role="group" aria-label="Ranges">
      {KINDS[kind].columns.map((key) => {
        const column = known.find((one) => one.key === key);
        const span = spanOf(parts, key);
        if (!column || !span) return null;
        const own = ranges.get(key) ?? span;
        const words = column.meta?.words.split(',')[0] ?? key;
        const unit = column.meta?.unit ?? '';
        return (
          <div key={key} className={css['range']}>
            <span>
              {words}{' '}
              <span className="font-monospace">
                {formatQuantity(own.low, unit)} – {formatQuantity(own.high, unit)}
              </span>
            </span>
            <Form.Range
              aria-label={`${words}, at least`}
              aria-valuetext={formatQuantity(own.low, unit)}
              min={0}
              max={PLACES}
              value={placeOf(span, own.low)}
              onChange={(event) => {
                const low = valueAtPlace(span, Number(event.target.value));
                put(key, span, { low, high: Math.max(low, own.high) });
              }}
            />
            <Form.Range
              aria-label={`${words}, at most`}
              aria-valuetext={formatQuantity(own.high, unit)}
              min={0}
              max={PLACES}
              value={placeOf(span, own.high)}
              onChange={(event) => {
                const high = valueAtPlace(span, Number(event.target.value));
                put(key, span, { low: Math.min(high, own.low), high });
              }}
            />
          </div>
        );
      })}
      {ranges.size > 0 ? (
        <Button size="sm" variant="link" onClick={() => onChange(new Map())}>
          All of them again
        </Button>
      ) : null}
    </div>
  );
}
