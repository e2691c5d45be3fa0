import Alert from 'react-bootstrap/Alert';
import Button from 'react-bootstrap/Button';
import { ApiError } from '../api/client.ts';

/** A request that failed: what happened, what was kept, what to do. */
export function Trouble({ error, retry }: { error: Error; retry?: () => void }) {
  const away = error instanceof ApiError && error.away;
  return (
    <Alert variant="warning">
      {error.message}. {away ? 'Is Yundro still running where you started it?' : ''}{' '}
      {retry ? (
        <Button size="sm" variant="outline-dark" onClick={retry}>
          Try again
        </Button>
      ) : null}
    </Alert>
  );
}
