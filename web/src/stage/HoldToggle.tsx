import { free, hold, isHeld } from '@yundro/core';
import { edit, useDocument } from '../stores/designStore.ts';

/** Held or free, one key: space or enter on the square, or H anywhere on the decision's row. */
export function HoldToggle({ path, name, current }: { path: string; name: string; current: () => unknown }) {
  const held = useDocument((state) => state.document !== undefined && isHeld(state.document, path));
  return (
    <button
      type="button"
      className="hold"
      aria-pressed={held}
      aria-label={`Hold ${name.toLowerCase()}`}
      title={held ? 'Held by you: press to give it back' : 'Free: press to hold it at this value'}
      onClick={() => edit((document) => (held ? free(document, path) : hold(document, path, current())))}
    />
  );
}
