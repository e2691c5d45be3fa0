import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { describeChanges } from '@yundro/core';
import { Changes } from '../revisions/RevisionsPage.tsx';
import { resolveConflict, useDocument, useSaving } from '../stores/designStore.ts';

/** Two windows changed one design: both are shown, the person chooses. The other state stays among the revisions. */
export function ConflictDialog() {
  const save = useSaving((state) => state.save);
  const mine = useDocument((state) => state.document);
  if (save.kind !== 'conflict' || !mine) return null;
  return (
    <Modal show centered backdrop="static" keyboard={false} size="lg" aria-labelledby="conflict-title">
      <Modal.Header>
        <Modal.Title as="h2" id="conflict-title">
          This design was changed elsewhere
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>
          Version {save.theirs.version} was saved by another window while this one held changes of its own. Choose which
          one goes on. Keep the one here, and the other stays among the revisions.
        </p>
        <Changes changes={describeChanges(mine, save.theirs.document)} from="here" to="there" />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => resolveConflict('theirs')}>
          Take the one from there
        </Button>
        <Button variant="dark" onClick={() => resolveConflict('mine')}>
          Keep the one here
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
