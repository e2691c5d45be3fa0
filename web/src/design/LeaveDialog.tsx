import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { useBlocker } from 'react-router';
import { atRisk, useDocument } from '../stores/designStore.ts';

/** Leaving a design whose changes neither the server nor this browser keeps: the person is asked first. */
export function LeaveDialog() {
  const blocker = useBlocker(({ nextLocation }) => {
    const { id } = useDocument.getState();
    return atRisk() && id !== undefined && !nextLocation.pathname.startsWith(`/designs/${id}`);
  });
  if (blocker.state !== 'blocked') return null;
  return (
    <Modal show centered aria-labelledby="leave-title" onHide={() => blocker.reset()}>
      <Modal.Header>
        <Modal.Title as="h2" id="leave-title">
          Your last changes are kept nowhere yet
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        The server does not take them, and this browser has no room to keep them until it does. Stay and wait for the
        server, or stay and export the design as a file; what is left now is lost.
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => blocker.proceed()}>
          Leave and lose them
        </Button>
        <Button variant="dark" onClick={() => blocker.reset()}>
          Stay
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
