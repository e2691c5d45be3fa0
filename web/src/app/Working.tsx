import { useEffect, useState } from 'react';
import Button from 'react-bootstrap/Button';
import type { Running } from '../workers/useAnswer.ts';
import { Progress } from './Progress.tsx';
import css from './page.module.css';

/** What is over before this (ms) needs no bar. */
const PATIENCE = 400;

/** A long answer under way: how far, and a way to stop it with what there is; after that, a way to go on. */
export function Working({ run, of }: { run: Running<unknown>; of: string }) {
  const { state, part } = run;
  const [late, setLate] = useState(false);
  useEffect(() => {
    if (state !== 'working') {
      setLate(false);
      return;
    }
    const timer = setTimeout(() => setLate(true), PATIENCE);
    return () => clearTimeout(timer);
  }, [state]);
  if (state === 'due' || state === 'whole' || (state === 'working' && !late)) return null;
  if (state === 'working') {
    return (
      <div className={css['working']}>
        <Progress name={of} part={part} words={`${Math.round(part * 100)} %`} />
        <Button size="sm" variant="outline-secondary" onClick={run.stop}>
          Stop
        </Button>
      </div>
    );
  }
  return (
    <div className={css['working']} role="status">
      <span>{state === 'stopped' ? `${of}: stopped; what is shown is what there was.` : `${of}: failed.`}</span>
      <Button size="sm" variant="outline-secondary" onClick={run.again}>
        Again
      </Button>
    </div>
  );
}
