import Button from 'react-bootstrap/Button';
import Toast from 'react-bootstrap/Toast';
import ToastContainer from 'react-bootstrap/ToastContainer';
import { create } from 'zustand';

interface Said {
  words: string;
  undo?: (() => void) | undefined;
}

const useSaid = create<{ said: Said | undefined }>()(() => ({ said: undefined }));

/** Says what was done, with the way back. */
export function say(words: string, undo?: () => void): void {
  useSaid.setState({ said: { words, undo } });
}

/** Where it is said: once, for the whole page. */
export function UndoToast() {
  const said = useSaid((state) => state.said);
  const close = (): void => useSaid.setState({ said: undefined });
  return (
    <ToastContainer position="bottom-center" className="p-3 position-fixed">
      <Toast show={said !== undefined} onClose={close} delay={12_000} autohide>
        <Toast.Body className="d-flex align-items-center gap-3">
          <span>{said?.words}</span>
          {said?.undo ? (
            <Button
              size="sm"
              variant="outline-secondary"
              onClick={() => {
                said.undo?.();
                close();
              }}
            >
              Undo
            </Button>
          ) : null}
        </Toast.Body>
      </Toast>
    </ToastContainer>
  );
}
