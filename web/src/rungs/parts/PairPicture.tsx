import { useState } from 'react';
import { formatQuantity, type Counted, type Design } from '@yundro/core';
import { DataTable } from '../../app/DataTable.tsx';
import { backgroundSolver } from '../../workers/solver.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import css from './parts.module.css';

const askPairs = (design: Design) => backgroundSolver.ask((solver) => solver.pairs(design));

const named = ({ part, count }: Counted): string => `${count > 1 ? `${count} × ` : ''}${part.name}`;
const milliohms = ({ part, count }: Counted): string => ((1e3 * (part.onResistance ?? 0)) / count).toPrecision(2);

const SCALES = [
  { unit: 'W', times: 1, least: 1 },
  { unit: 'mW', times: 1e3, least: 1e-3 },
  { unit: 'µW', times: 1e6, least: 0 },
];

/** Loss of every pair of a control and a synchronous switch: one's charge is the other's loss, so that both are chosen together. */
export function PairPicture() {
  const map = useAnswer(askPairs);
  const [pointed, setPointed] = useState<[number, number]>();
  if (!map) return null;
  const { controls, rectifiers, loss, best } = map;
  const finite = loss.flat().filter(Number.isFinite);
  const least = Math.min(...finite);
  const most = Math.max(...finite);
  const tint = (watts: number): number => Math.round((70 * Math.log(watts / least)) / Math.log(most / least || 2));
  // one unit for all of them, so that a cell holds its digits
  const { unit, times } = SCALES.find(({ least: from }) => most >= from) ?? SCALES.at(-1)!;
  const [row, column] = pointed ?? best;
  const watts = loss[row]?.[column];
  return (
    <section aria-label="Both switches together" data-testid="pairs" className={css['pairs']}>
      <h2>Both switches together</h2>
      <p className="text-body-secondary">
        Loss of the whole stage’s switches over the load profile: down, the control switch; across, the synchronous one,
        each by its resistance in mΩ; in the cells {unit}.{' '}
        {pointed ? 'Pointed at' : 'The pair that the shelf would give for its cost'}: {named(controls[row]!)} with{' '}
        {named(rectifiers[column]!)},{' '}
        <span className="font-monospace">{watts === undefined ? '' : formatQuantity(watts, 'W')}</span>; the least here
        is <span className="font-monospace">{formatQuantity(least, 'W')}</span>.
      </p>
      <DataTable
        borderless
        onPointerLeave={() => setPointed(undefined)}
        rows={controls.map((at, i) => ({ at, i }))}
        rowKey={({ i }) => String(i)}
        columns={[
          {
            id: 'control',
            head: <span className="visually-hidden">control switch</span>,
            cell: ({ at }) => milliohms(at),
            attributes: ({ at }) => ({ title: named(at) }),
          },
          ...rectifiers.map((at, j) => ({
            id: String(j),
            head: milliohms(at),
            hint: named(at),
            cell: ({ i }: { i: number }) => {
              const value = loss[i]![j]!;
              return Number.isFinite(value) ? Number((value * times).toPrecision(2)) : '—';
            },
            attributes: ({ i }: { i: number }) => ({
              'data-best': (i === best[0] && j === best[1]) || undefined,
              onPointerEnter: () => setPointed([i, j]),
              ...(Number.isFinite(loss[i]![j])
                ? { style: { background: `color-mix(in srgb, var(--power) ${tint(loss[i]![j]!)}%, transparent)` } }
                : {}),
            }),
          })),
        ]}
      />
    </section>
  );
}
