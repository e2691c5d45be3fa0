import { zodResolver } from '@hookform/resolvers/zod';
import { useEffect } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { useForm } from 'react-hook-form';
import { z } from 'zod';
import page from '../app/page.module.css';

export interface LineFormProps {
  id: string;
  label: string;
  /** What stands already. */
  value?: string;
  placeholder: string;
  maxLength: number;
  /** May be sent empty. */
  optional?: boolean;
  action: string;
  busy: boolean;
  small?: boolean;
  onSend: (text: string) => void;
}

/** One line of text with the button that sends it, trimmed. */
export function LineForm({
  id,
  label,
  value = '',
  placeholder,
  maxLength,
  optional = false,
  action,
  busy,
  small = false,
  onSend,
}: LineFormProps) {
  const line = z.object({
    text: z
      .string()
      .trim()
      .min(optional ? 0 : 1, 'A name is wanted.')
      .max(maxLength, `At most ${maxLength} characters.`),
  });
  const { register, handleSubmit, reset, formState } = useForm({
    resolver: zodResolver(line),
    defaultValues: { text: value },
    mode: 'onChange',
  });
  const { errors, isDirty, isValid } = formState;
  useEffect(() => reset({ text: value }), [value, reset]);
  const error = errors.text?.message;
  return (
    <Form
      className={page['inline-form']}
      noValidate
      onSubmit={(event) => void handleSubmit(({ text }) => onSend(text))(event)}
    >
      <Form.Group controlId={id}>
        <Form.Label>{label}</Form.Label>
        <Form.Control size="sm" {...register('text')} placeholder={placeholder} isInvalid={error !== undefined} />
        <Form.Control.Feedback type="invalid">{error}</Form.Control.Feedback>
      </Form.Group>
      <Button
        type="submit"
        size="sm"
        variant={small ? 'outline-secondary' : 'dark'}
        disabled={busy || !isDirty || !isValid}
      >
        {action}
      </Button>
    </Form>
  );
}
