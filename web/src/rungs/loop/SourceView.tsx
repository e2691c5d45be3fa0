import { useMemo } from 'react';
import { formatQuantity, type Design } from '@yundro/core';
import { DataTable } from '../../app/DataTable.tsx';
import { Plot, type Lane } from '../../plots/Plot.tsx';
import { useAnswer } from '../../workers/useAnswer.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { ACROSS } from './over.ts';
import css from './loop.module.css';

const ask = (design: Design) => backgroundSolver.ask((solver) => solver.inputFilter(design));

/** What feeds the stage against what the stage looks like, and what would damp it. */
export function SourceView() {
  const told = useAnswer(ask);
  const found = told?.found;
  const lanes = useMemo(
    (): Lane[] =>
      found
        ? [
            {
              id: 'y',
              name: 'impedance',
              unit: 'Ω',
              log: true,
              traces: [
                { name: 'source with the input bank', x: found.frequency, y: found.fed, ink: '--amp' },
                { name: 'stage', x: found.frequency, y: found.stage, ink: '--volt', dash: [6, 3] },
              ],
            },
          ]
        : [],
    [found],
  );
  if (told?.trouble) return <p className="text-body-secondary">{told.trouble}</p>;
  if (!found) return <p className="text-body-secondary">Asking source and stage…</p>;
  const { source, bank } = found;
  return (
    <>
      <Plot
        title="Source against stage"
        untitled
        summary="The impedance of the source with the input bank, and of the stage’s input."
        link="loop"
        across={ACROSS}
        lanes={lanes}
        height={300}
      />
      <p className={css['words']}>
        At {formatQuantity(found.inputVoltage, 'V')} and full load, {formatQuantity(source.inductance, 'H')} of{' '}
        {source.assumed ? 'leads (assumed)' : 'source'} and a bank of {formatQuantity(bank.capacitance, 'F')} ring at{' '}
        {formatQuantity(found.resonance, 'Hz')}. The stage, a negative resistance below its crossover, stands{' '}
        {found.separation.toFixed(1)} dB above its source where they come nearest, at{' '}
        {formatQuantity(found.nearest, 'Hz')}:{' '}
        {found.holds
          ? 'enough, its loop stays as it was designed.'
          : 'not the 6 dB that leave its loop as it was designed, so the source has to be damped.'}
      </p>
      {found.damping.length > 0 ? (
        <DataTable
          borderless
          className={css['features']}
          testId="damping"
          rows={found.damping}
          rowKey={({ kind }) => kind}
          columns={[
            {
              id: 'kind',
              head: 'damped by',
              cell: ({ kind }) =>
                kind === 'parallel R–C' ? 'R–C across the bank' : 'R–L across the source’s inductance',
            },
            { id: 'r', head: 'resistor', figures: true, cell: ({ resistance }) => formatQuantity(resistance, 'Ω') },
            {
              id: 'x',
              head: 'in series with',
              figures: true,
              cell: ({ kind, reactance }) => formatQuantity(reactance, kind === 'parallel R–C' ? 'F' : 'H'),
            },
            { id: 'peak', head: 'source then at most', figures: true, cell: ({ peak }) => formatQuantity(peak, 'Ω') },
          ]}
        />
      ) : null}
    </>
  );
}
