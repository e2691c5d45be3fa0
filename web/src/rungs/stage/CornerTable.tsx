import { useMemo } from 'react';
import { formatQuantity, type Figures, type OperatingPoint } from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { pickCorner, useSolved } from '../../stores/designStore.ts';
import { WhyNumber } from '../../why/WhyNumber.tsx';
import css from './stage.module.css';

/** Every quantity at every corner; a number opens its Why? at that corner. */
export function CornerTable({ points, figures }: { points: readonly OperatingPoint[]; figures: readonly Figures[] }) {
  const corner = useSolved((state) => state.corner);
  const columns = useMemo(
    (): Column<Figures>[] => [
      { id: 'at', head: 'at', cell: ({ name }) => name },
      ...points.map((p, at): Column<Figures> => {
        const here = p.inputVoltage === corner.inputVoltage && p.outputCurrent === corner.outputCurrent;
        return {
          id: `${p.inputVoltage}/${p.outputCurrent}`,
          head: (
            <>
              {formatQuantity(p.inputVoltage, 'V')}, {formatQuantity(p.outputCurrent, 'A')}
              <br />
              <span className="text-body-secondary">
                {p.conductionMode}
                {p.region ? `, ${p.region}` : ''}
              </span>
            </>
          ),
          cell: ({ id, values, unit }) =>
            values[at] === undefined ? '—' : <WhyNumber id={id} value={values[at]} unit={unit} />,
          attributes: () => ({
            className: here ? css['here'] : undefined,
            onClickCapture: () => pickCorner({ inputVoltage: p.inputVoltage, outputCurrent: p.outputCurrent }),
          }),
        };
      }),
    ],
    [points, corner],
  );
  return (
    <section className={css['corners']} data-testid="corners" aria-label="All corners">
      <h2>All corners</h2>
      <DataTable className="font-monospace" rows={figures} rowKey={({ id }) => id} columns={columns} />
    </section>
  );
}
