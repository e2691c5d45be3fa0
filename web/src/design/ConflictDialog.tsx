import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import Table from 'react-bootstrap/Table';
import { listDifferences } from '@yundro/core';
import { resolveConflict, useDesign } from '../stores/designStore.ts';

/** Two windows changed one design: both are shown, the person chooses. The other state stays among the revisions. */
export function ConflictDialog() {
  const save = useDesign((state) => state.save);
  const mine = useDesign((state) => state.document);
  if (save.kind !== 'conflict' || !mine) return null;
  const differences = listDifferences(mine, save.theirs.document);
  return (
    <Modal show centered backdrop="static" keyboard={false} size="lg" aria-labelledby="conflict-title">
      <Modal.Header>
        <Modal.Title as="h2" id="conflict-title">
          This design was changed elsewhere
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>
          Version {save.theirs.version} was saved by another window while this one held changes of its own. Nothing is
          lost: choose which one goes on.
        </p>
        <Table size="sm" className="mono">
          <thead>
            <tr>
              <th scope="col">entry</th>
              <th scope="col">here</th>
              <th scope="col">there</th>
            </tr>
          </thead>
          <tbody>
            {differences.slice(0, 12).map((d) => (
              <tr key={d.path}>
                <th scope="row">{d.path}</th>
                <td>{text(d.left)}</td>
                <td>{text(d.right)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
        {differences.length === 0 ? <p>The two are alike.</p> : null}
        {differences.length > 12 ? <p>…and {differences.length - 12} more.</p> : null}
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

function text(value: unknown): string {
  return value === undefined ? '(free)' : JSON.stringify(value);
}
