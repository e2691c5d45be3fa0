import { useEffect, useId, useRef, useState, type KeyboardEvent } from 'react';
import Form from 'react-bootstrap/Form';
import { formatExact, parseQuantity, preferredNext, preferredPrevious, type Series, type Unit } from '@yundro/core';

export interface QuantityFieldProps {
  label: string;
  value: number | undefined;
  unit: Unit;
  /** called with every good value as it is typed; undefined when an optional field was emptied */
  onChange: (value: number | undefined) => void;
  optional?: boolean;
  placeholder?: string;
  /** what the value must be, beyond being a number: a message when it is not */
  check?: (value: number) => string | undefined;
  /** series that the arrow keys walk; two significant digits otherwise */
  series?: Series;
  /** a fault that the whole design has with this value */
  fault?: string | undefined;
  hideLabel?: boolean;
  small?: boolean;
}

/** One value, typed as engineers write it. A wrong entry is marked with what would be right; the last good value stays. */
export function QuantityField(props: QuantityFieldProps) {
  const { label, value, unit, onChange, optional = false, placeholder, check, series, fault, hideLabel, small } = props;
  const id = useId();
  const shown = value === undefined ? '' : formatExact(value, unit).replace('\u00a0', ' ');
  const [text, setText] = useState(shown);
  const [error, setError] = useState<string>();
  // the value this field itself sent last: its echo must not overwrite what is being typed
  const sent = useRef<number | undefined>(undefined);

  useEffect(() => {
    if (sent.current !== undefined && sent.current === value) return;
    sent.current = undefined;
    setText(shown);
    setError(undefined);
  }, [shown, value]);

  const take = (next: string): void => {
    setText(next);
    if (next.trim() === '' && optional) {
      setError(undefined);
      sent.current = undefined;
      onChange(undefined);
      return;
    }
    const parsed = parseQuantity(next, unit);
    const message = parsed.ok ? check?.(parsed.value) : `${parsed.message}: write ${parsed.expected}.`;
    setError(message);
    if (parsed.ok && message === undefined && parsed.value !== value) {
      sent.current = parsed.value;
      onChange(parsed.value);
    }
  };

  const step = (event: KeyboardEvent): void => {
    if ((event.key !== 'ArrowUp' && event.key !== 'ArrowDown') || value === undefined || !(value > 0)) return;
    event.preventDefault();
    const walked: Series = event.shiftKey ? 'E3' : event.altKey ? 'E96' : (series ?? 'E24');
    const next = event.key === 'ArrowUp' ? preferredNext(value, walked) : preferredPrevious(value, walked);
    if (check?.(next) !== undefined) return;
    sent.current = undefined;
    setError(undefined);
    onChange(next);
  };

  const message = error ?? fault;
  return (
    <Form.Group controlId={id} className="quantity">
      <Form.Label visuallyHidden={hideLabel ?? false}>{label}</Form.Label>
      <Form.Control
        className="mono"
        {...(small ? { size: 'sm' as const } : {})}
        type="text"
        autoComplete="off"
        spellCheck={false}
        value={text}
        placeholder={placeholder}
        isInvalid={message !== undefined}
        aria-describedby={message === undefined ? undefined : `${id}-fault`}
        onBlur={() => {
          sent.current = undefined;
          if (error === undefined) setText(shown);
        }}
        onChange={(event) => take(event.target.value)}
        onKeyDown={step}
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
