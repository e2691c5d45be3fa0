import { useMemo } from 'react';
import type { Corner, Design } from '@yundro/core';
import { Plot, type Lane } from '../../plots/Plot.tsx';
import { backgroundSolver } from '../../workers/solver.ts';
import { useCornerAnswer } from './over.ts';
import css from './loop.module.css';

const ask = (design: Design, corner: Corner) => backgroundSolver.ask((solver) => solver.predictedStep(design, corner));
const ACROSS = { name: 'time', unit: 's' as const };

/** The load step as the output impedance predicts it, under what the switching stage does. */
export function Stepped({ corner }: { corner: Corner }) {
  const told = useCornerAnswer(corner, ask);
  const found = told?.found;
  const lanes = useMemo(
    (): Lane[] =>
      found
        ? [
            {
              id: 'y',
              name: 'from the average before',
              unit: 'V',
              traces: [
                { name: 'switching stage', x: found.simulated.time, y: found.simulated.voltage, ink: '--volt' },
                {
                  name: 'predicted for small signals',
                  x: found.time,
                  y: found.predicted,
                  ink: '--amp',
                  dash: [6, 3],
                  wide: true,
                },
              ],
            },
          ]
        : [],
    [found],
  );
  if (told?.trouble) return <p className="text-body-secondary">{told.trouble}</p>;
  if (!found) return <p className="text-body-secondary">Stepping the load…</p>;
  return (
    <>
      <Plot
        title="Load step"
        untitled
        summary="The load step predicted by the closed loop’s output impedance, and simulated."
        link="loop-step"
        across={ACROSS}
        lanes={lanes}
        height={300}
      />
      {(found.words.length > 0
        ? found.words
        : ['Both agree: the step is small enough for what holds of small signals.']
      ).map((words) => (
        <p key={words} className={css['words']}>
          {words}
        </p>
      ))}
    </>
  );
}
