import { Link } from 'react-router';
import type { Rung } from '../rung.ts';
import css from './later.module.css';

/** A rung that is not built yet: says so, and what it will hold. */
function later(id: string, name: string, promise: string): Rung {
  return {
    id,
    name,
    summary: () => 'not built yet',
    screen: () => (
      <section className={css['later-rung']}>
        <h2>{name}</h2>
        <p>This rung is not built yet. It will hold {promise}.</p>
        <p>
          <Link to="../stage" relative="path">
            Back to the stage
          </Link>
        </p>
      </section>
    ),
  };
}

export const laterRungs: readonly Rung[] = [
  later('spread', 'Spread', 'tolerances: corners, Monte Carlo, and which part matters'),
  later('layout', 'Layout', 'the current loops, copper and clearances, and a placement checklist'),
  later('bench', 'Bench', 'bring-up order, what each node should look like, and measured runs over the prediction'),
  later('sheet', 'Sheet', 'the design review document'),
];
