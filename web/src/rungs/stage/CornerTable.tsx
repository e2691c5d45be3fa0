import Table from 'react-bootstrap/Table';
import { formatQuantity, type Figures, type OperatingPoint } from '@yundro/core';
import { pickCorner, useSolved } from '../../stores/designStore.ts';
import { WhyNumber } from '../../why/WhyNumber.tsx';
import css from './stage.module.css';

/** Every quantity at every corner; a number opens its Why? at that corner. */
export function CornerTable({ points, figures }: { points: readonly OperatingPoint[]; figures: readonly Figures[] }) {
  const corner = useSolved((state) => state.corner);
  const pick = (p: OperatingPoint): void =>
    pickCorner({ inputVoltage: p.inputVoltage, outputCurrent: p.outputCurrent });
  return (
    <section className={css['corners']} data-testid="corners" aria-label="All corners">
      <h2>All corners</h2>
      <Table size="sm" className="font-monospace">
        <thead>
          <tr>
            <th scope="col">at</th>
            {points.map((p) => (
              <th key={`${p.inputVoltage}/${p.outputCurrent}`} scope="col">
                {formatQuantity(p.inputVoltage, 'V')}, {formatQuantity(p.outputCurrent, 'A')}
                <br />
                <span className="text-body-secondary">
                  {p.conductionMode}
                  {p.region ? `, ${p.region}` : ''}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {figures.map((row) => (
            <tr key={row.id}>
              <th scope="row">{row.name}</th>
              {points.map((p, at) => {
                const value = row.values[at];
                const here = p.inputVoltage === corner.inputVoltage && p.outputCurrent === corner.outputCurrent;
                return (
                  <td
                    key={`${p.inputVoltage}/${p.outputCurrent}`}
                    className={here ? css['here'] : undefined}
                    onClickCapture={() => pick(p)}
                  >
                    {value === undefined ? '—' : <WhyNumber id={row.id} value={value} unit={row.unit} />}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
