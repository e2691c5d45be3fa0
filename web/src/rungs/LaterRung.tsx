import { Link } from 'react-router';
import type { Rung } from './rungs.ts';

/** A rung that is not built yet: says so, and what it will hold. */
export function LaterRung({ rung }: { rung: Rung }) {
  return (
    <section className="later-rung">
      <h2>{rung.name}</h2>
      <p>This rung is not built yet. It will hold {rung.promise}.</p>
      <p>
        <Link to="../stage" relative="path">
          Back to the stage
        </Link>
      </p>
    </section>
  );
}
