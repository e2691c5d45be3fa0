import { useId, useState, type KeyboardEvent } from 'react';
import Form from 'react-bootstrap/Form';
import { formatExact, parseQuantity, preferredNext, preferredPrevious, type Series, type Unit } from '@yundro/core';
import css from './fields.module.css';

export interface QuantityFieldProps {
  label: string;
  value: number | undefined;
  unit: Unit;
  /** called with a good value when the entry is finished (Enter, leaving the field, a step); undefined when an optional one was emptied */
  onChange: (value: number | undefined) => void;
  optional?: boolean;
  placeholder?: string;
  /** what the value must be, beyond being a number: a message when it is not */
  check?: (value: number) => string | undefined;
  /** series that the arrow keys walk; two significant digits otherwise */
  series?: Series;
  /** what a per cent that is typed is of, where there is something */
  of?: number;
  /** whether it goes either way, so that ± may be typed before it */
  either?: boolean;
  /** called where an entry is given up by Escape */
  onAbandon?: () => void;
  /** a fault that the whole design has with this value */
  fault?: string | undefined;
  hideLabel?: boolean;
  small?: boolean;
  /** what has been typed already as the field appears */
  begun?: string;
}

/**
 * One value, typed as engineers write it. What is typed counts when the entry is finished (Enter, leaving the field);
 * Escape brings back the value in force. A wrong entry is marked with what would be right, and the last good value stays.
 */
export function QuantityField(props: QuantityFieldProps) {
  const {
    label,
    value,
    unit,
    onChange,
    optional = false,
    placeholder,
    check,
    series,
    fault,
    hideLabel,
    small,
    begun,
    of,
    either = false,
    onAbandon,
  } = props;
  const id = useId();
  const shown = value === undefined ? '' : formatExact(value, unit).replace('\u00a0', ' ');
  /** what is being typed; undefined while the field shows the value in force */
  const [typed, setTyped] = useState<string | undefined>(begun);

  const read = (text: string): { value: number | undefined } | { message: string } => {
    if (text.trim() === '' && optional) return { value: undefined };
    const parsed = parseQuantity(text, unit, { either, ...(of === undefined ? {} : { of }) });
    if (!parsed.ok) return { message: `${parsed.message}: write ${parsed.expected}.` };
    const message = check?.(parsed.value);
    return message === undefined ? { value: parsed.value } : { message };
  };
  const entry = typed === undefined || typed === shown ? undefined : read(typed);
  const error = entry && 'message' in entry ? entry.message : undefined;

  /** Takes what was typed, when it is good. */
  const finish = (): void => {
    if (entry && 'value' in entry) {
      setTyped(undefined);
      if (entry.value !== value) onChange(entry.value);
    } else if (typed === shown) setTyped(undefined);
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'Enter') finish();
    else if (event.key === 'Escape' && (typed !== undefined || onAbandon)) {
      if (typed !== undefined) event.stopPropagation();
      setTyped(undefined);
      onAbandon?.();
    } else step(event);
  };
  const step = (event: KeyboardEvent): void => {
    if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
    const from = entry && 'value' in entry ? entry.value : value;
    if (from === undefined || !(from > 0)) return;
    event.preventDefault();
    const walked: Series = event.shiftKey ? 'E3' : event.altKey ? 'E96' : (series ?? 'E24');
    const next = event.key === 'ArrowUp' ? preferredNext(from, walked) : preferredPrevious(from, walked);
    if (check?.(next) !== undefined) return;
    setTyped(undefined);
    onChange(next);
  };

  const message = error ?? fault;
  return (
    <Form.Group controlId={id} className={css['quantity']}>
      <Form.Label visuallyHidden={hideLabel ?? false}>{label}</Form.Label>
      <Form.Control
        className="font-monospace"
        {...(small ? { size: 'sm' as const } : {})}
        type="text"
        autoComplete="off"
        spellCheck={false}
        value={typed ?? shown}
        placeholder={placeholder}
        isInvalid={message !== undefined}
        aria-invalid={message !== undefined}
        aria-describedby={message === undefined ? undefined : `${id}-fault`}
        onBlur={finish}
        onChange={(event) => setTyped(event.target.value)}
        onKeyDown={onKeyDown}
      />
      {message === undefined ? null : (
        <Form.Control.Feedback type="invalid" id={`${id}-fault`}>
          {message}
          {error !== undefined && value !== undefined ? ` Still in force: ${shown}.` : ''}
        </Form.Control.Feedback>
      )}
    </Form.Group>
  );
}
