import { useState } from 'react';
import Form from 'react-bootstrap/Form';
import css from './fields.module.css';

export interface TextFieldProps {
  id: string;
  label: string;
  value: string;
  maxLength: number;
  onChange: (value: string) => void;
  placeholder?: string;
  rows?: number;
  hideLabel?: boolean;
  className?: string | undefined;
}

/** A text: kept when the entry is finished (leaving the field, Enter in a line), restored by Escape, with its own undo while it is typed. */
export function TextField(props: TextFieldProps) {
  const {
    id,
    label,
    value,
    maxLength,
    onChange,
    placeholder,
    rows,
    hideLabel = false,
    className = css['quantity'],
  } = props;
  const [typed, setTyped] = useState<string>();
  const finish = (): void => {
    setTyped(undefined);
    if (typed !== undefined && typed !== value) onChange(typed);
  };
  return (
    <Form.Group controlId={id} className={className}>
      <Form.Label visuallyHidden={hideLabel}>{label}</Form.Label>
      <Form.Control
        {...(rows === undefined ? {} : { as: 'textarea' as const, rows })}
        maxLength={maxLength}
        placeholder={placeholder}
        value={typed ?? value}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && rows === undefined) finish();
          if (event.key === 'Escape' && typed !== undefined) {
            event.stopPropagation();
            setTyped(undefined);
          }
        }}
      />
    </Form.Group>
  );
}
