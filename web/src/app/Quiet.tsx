import type { ComponentProps } from 'react';
import Button from 'react-bootstrap/Button';
import page from './page.module.css';

/** A button that looks like the text it stands in: a figure that says why, a name that leads somewhere. */
export function Quiet({ className, ...rest }: ComponentProps<'button'>) {
  return <Button type="button" variant="link" {...rest} className={`${page['quiet']} ${className ?? ''}`} />;
}
