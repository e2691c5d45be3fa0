import { useEffect } from 'react';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Working } from '../../app/Working.tsx';
import { useBuilt } from '../../stores/designStore.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import { Corners, cornerWords, Impedance } from './Corners.tsx';
import { Network } from './Network.tsx';
import { Placing } from './Placing.tsx';
import { setLoop, useLoop } from './settings.ts';
import { Shown } from './Shown.tsx';
import css from './loop.module.css';

/** Plant, compensator and loop at every corner: where it crosses over, with which margins, and what the output then is. */
export default function LoopRung() {
  const spread = useLoop((state) => state.spread);
  const run = useLongAnswer('loop', spread);
  const { answer } = run;
  const design = useBuilt()!;
  const dragged = useLoop((state) => state.dragged);
  const shown = dragged ?? answer;
  // what was dragged belongs to this look at this design alone
  useEffect(() => () => setLoop({ dragged: undefined }), []);
  return (
    <div className={css['loop']}>
      <Working run={run} of="The loop at every corner" />
      {answer && shown ? (
        <>
          {answer.assumed.length + answer.warnings.length + answer.troubles.length > 0 ? (
            <Notices>
              {[...answer.assumed, ...answer.warnings].map((words) => (
                <p key={words}>{words}</p>
              ))}
              {[...new Set(answer.troubles.map(({ message }) => message))].map((words) => (
                <p key={words}>
                  {answer.troubles
                    .filter(({ message }) => message === words)
                    .map(({ at }) => cornerWords(at))
                    .join('; ')}
                  : {words}
                </p>
              ))}
            </Notices>
          ) : null}
          {shown.corners.length > 0 ? (
            <div className={css['columns']}>
              <ErrorBoundary of="The loop over frequency">
                <Shown answer={answer} shown={shown} design={design} />
              </ErrorBoundary>
              <div>
                <ErrorBoundary of="The corners">
                  <Corners answer={shown} design={design} />
                </ErrorBoundary>
                <ErrorBoundary of="The output impedance">
                  <Impedance corners={shown.corners} design={design} />
                </ErrorBoundary>
              </div>
            </div>
          ) : null}
          <ErrorBoundary of="The network">
            <Network answer={shown} />
            {answer.network ? <Placing design={design} /> : null}
          </ErrorBoundary>
        </>
      ) : run.state === 'due' || run.state === 'working' ? (
        <p className="text-body-secondary">Opening the loop at each corner…</p>
      ) : null}
    </div>
  );
}
