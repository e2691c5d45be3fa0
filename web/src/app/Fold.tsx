import { useId, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import Collapse from 'react-bootstrap/Collapse';

/** What is wanted now and then, behind its name. */
export function Fold({ name, children }: { name: string; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  return (
    <div>
      <Button
        size="sm"
        variant="link"
        className="p-0"
        aria-expanded={open}
        aria-controls={id}
        onClick={() => setOpen(!open)}
      >
        {open ? '▾' : '▸'} {name}
      </Button>
      <Collapse in={open} mountOnEnter>
        <div id={id}>{children}</div>
      </Collapse>
    </div>
  );
}
