import { useState } from 'react';
import { formatQuantity, hold, type Design } from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { Quiet } from '../../app/Quiet.tsx';
import { edit } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import css from './parts.module.css';

const ask = (design: Design) => backgroundSolver.ask((solver) => solver.drive(design));

/** The pair's total over what drives it: more gate voltage costs charge and saves resistance, more dead time costs the diode. */
export function DrivePicture() {
  const map = useAnswer(ask);
  const [pointed, setPointed] = useState<[number, number]>();
  if (!map) return null;
  const { gateVoltages, deadTimes, loss, pairs, best, own } = map;
  const finite = loss.flat().filter(Number.isFinite);
  const [least, most] = [Math.min(...finite), Math.max(...finite)];
  const tint = (watts: number): number => Math.round((70 * Math.log(watts / least)) / Math.log(most / least || 2));
  const [row, column] = pointed ?? own ?? best;
  const watts = loss[row]?.[column];
  const volts = (value: number): string => formatQuantity(value, 'V');
  const columns: Column<{ g: number }>[] = [
    {
      id: 'gate',
      head: <span className="visually-hidden">gate voltage</span>,
      cell: ({ g }) => volts(gateVoltages[g]!),
    },
    ...deadTimes.map((deadTime, d): Column<{ g: number }> => ({
      id: String(d),
      head: formatQuantity(deadTime, 's'),
      cell: ({ g }) => {
        const value = loss[g]![d]!;
        return Number.isFinite(value) ? (
          <Quiet
            aria-label={`Hold ${volts(gateVoltages[g]!)} and ${formatQuantity(deadTime, 's')}: ${formatQuantity(value, 'W')}`}
            onFocus={() => setPointed([g, d])}
            onClick={() =>
              edit((document) =>
                hold(hold(document, 'control.gateVoltage', gateVoltages[g]!), 'control.deadTime', deadTime),
              )
            }
          >
            {formatQuantity(value, 'W', { digits: 2 })}
          </Quiet>
        ) : (
          '—'
        );
      },
      attributes: ({ g }) => ({
        'data-best': (own && g === own[0] && d === own[1]) || undefined,
        onPointerEnter: () => setPointed([g, d]),
        ...(Number.isFinite(loss[g]![d])
          ? { style: { background: `color-mix(in srgb, var(--power) ${tint(loss[g]![d]!)}%, transparent)` } }
          : {}),
      }),
    })),
  ];
  return (
    <section aria-label="What drives the switches" data-testid="drive" className={css['pairs']}>
      <h2>What drives them</h2>
      <p className="text-body-secondary">
        Loss of the pair that the shelf would give at each gate voltage, down, and dead time at each edge, across; press
        one to hold both. {volts(gateVoltages[row]!)}, {formatQuantity(deadTimes[column]!, 's')}: {pairs[row]![column]}
        {watts === undefined || !Number.isFinite(watts) ? '' : `, ${formatQuantity(watts, 'W')}`}. The least is at{' '}
        {volts(gateVoltages[best[0]]!)} and {formatQuantity(deadTimes[best[1]]!, 's')}; a dead time shorter than the
        edges lets both switches conduct at once, so the driver’s own bound counts.
      </p>
      <DataTable
        borderless
        onPointerLeave={() => setPointed(undefined)}
        rows={gateVoltages.map((_, g) => ({ g }))}
        rowKey={({ g }) => String(g)}
        columns={columns}
      />
    </section>
  );
}
