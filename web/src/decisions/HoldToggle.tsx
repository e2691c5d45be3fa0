import Button from 'react-bootstrap/Button';
import { free, hold, holdBuilt, isHeld, type Design } from '@yundro/core';
import { edit, useDocument, useSolved } from '../stores/designStore.ts';
import css from './decisions.module.css';

interface HoldToggleProps {
  path: string;
  name: string;
  /** the value in force, which is held */
  current: () => unknown;
  /** how it is written, where that is more than its own path */
  write?: (design: Design) => Design;
  disabled?: boolean;
}

/** Held at what is in force. */
function heldAsBuilt(design: Design, path: string, value: unknown): Design {
  const { inForce } = useSolved.getState();
  return inForce?.given === design ? holdBuilt(design, inForce.choice, path, value) : hold(design, path, value);
}

/** Held or free, one key: space or enter on the square, or H anywhere on the decision's row. */
export function HoldToggle({ path, name, current, write, disabled = false }: HoldToggleProps) {
  const held = useDocument((state) => state.document !== undefined && isHeld(state.document, path));
  return (
    <Button
      variant="link"
      data-hold
      className={css['hold']}
      aria-pressed={held}
      aria-label={`Hold ${name.charAt(0).toLowerCase()}${name.slice(1)}`}
      title={held ? 'Held by you: press to give it back' : 'Free: press to hold it at this value'}
      disabled={disabled && !held}
      onClick={() =>
        edit((document) =>
          held ? free(document, path) : write ? write(document) : heldAsBuilt(document, path, current()),
        )
      }
    />
  );
}
