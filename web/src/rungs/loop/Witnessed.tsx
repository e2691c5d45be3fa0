import { useMemo } from 'react';
import { formatQuantity, type Corner, type Design } from '@yundro/core';
import { DataTable } from '../../app/DataTable.tsx';
import { Plot, type Trace } from '../../plots/Plot.tsx';
import { Formula } from '../../why/Formula.tsx';
import { backgroundSolver } from '../../workers/solver.ts';
import { ACROSS, bodeLanes, useCornerAnswer } from './over.ts';
import css from './loop.module.css';

const ask = (design: Design, corner: Corner) => backgroundSolver.ask((solver) => solver.witnesses(design, corner));

/** The plant as textbook, averaged network and switching stage tell it, with what bends it by name. */
export function Witnessed({ corner }: { corner: Corner }) {
  const told = useCornerAnswer(corner, ask);
  const found = told?.found;
  const lanes = useMemo(() => {
    if (!found) return [];
    const curves = [
      ...(found.textbook ? [{ name: 'textbook', curve: found.textbook, dash: [2, 3], ink: '--soft' }] : []),
      ...(found.averaged ? [{ name: 'averaged', curve: found.averaged, dash: [6, 3] }] : []),
      ...(found.exact ? [{ name: 'switching', curve: found.exact, dash: [] }] : []),
    ];
    const [gain, phase] = bodeLanes(curves);
    const values = curves.flatMap(({ curve }) => curve.gain);
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const marks = found.features
      .filter(({ frequency }) => frequency < curves[0]!.curve.frequency.at(-1)!)
      .map(({ name, frequency }, k): Trace => ({
        name: '',
        x: [frequency, frequency * (1 + 1e-9)],
        y: [low, high - ((high - low) * (k % 3)) / 8],
        ink: '--amp',
        dash: [1, 2],
        label: { text: name, at: frequency },
      }));
    return [{ ...gain!, traces: [...gain!.traces, ...marks] }, phase!];
  }, [found]);
  if (told?.trouble) return <p className="text-body-secondary">{told.trouble}</p>;
  if (!found) return <p className="text-body-secondary">Asking the three…</p>;
  return (
    <>
      <Plot
        title="Control to output"
        untitled
        stacked
        legend
        summary="The plant by the textbook, by the averaged network and by the switching stage."
        link="loop"
        across={ACROSS}
        lanes={lanes}
        height={320}
      />
      {found.words.map((words) => (
        <p key={words} className={css['words']}>
          {words}
        </p>
      ))}
      <DataTable
        borderless
        headless
        className={css['features']}
        testId="features"
        rows={found.features}
        rowKey={({ name }) => name}
        columns={[
          { id: 'name', head: 'feature', cell: ({ name }) => name },
          { id: 'f', head: 'frequency', figures: true, cell: ({ frequency }) => formatQuantity(frequency, 'Hz') },
          { id: 'q', head: 'Q', figures: true, cell: ({ q }) => (q === undefined ? '' : `Q ${q.toFixed(2)}`) },
          { id: 'tex', head: 'formula', cell: ({ tex }) => <Formula tex={tex} /> },
          {
            id: 'from',
            head: 'from',
            className: 'text-body-secondary',
            cell: ({ from }) =>
              from.map(({ symbol, value, unit }, k) => (
                <span key={symbol}>
                  {k > 0 ? ', ' : ''}
                  <Formula tex={symbol} /> {unit === '' ? value.toFixed(2) : formatQuantity(value, unit)}
                </span>
              )),
          },
        ]}
      />
    </>
  );
}
