import Alert from 'react-bootstrap/Alert';
import { ApiError } from '../api/client.ts';

/** A request that failed: what happened, what was kept, what to do. */
export function Trouble({ error, retry }: { error: Error; retry?: () => void }) {
  const away = error instanceof ApiError && error.away;
  return (
    <Alert variant="warning">
      {error.message}.{' '}
      {away ? 'Nothing was changed. Is Yundro still running where you started it?' : 'Nothing was changed.'}{' '}
      {retry ? (
        <button type="button" className="btn btn-sm btn-outline-dark" onClick={retry}>
          Try again
        </button>
      ) : null}
    </Alert>
  );
}
