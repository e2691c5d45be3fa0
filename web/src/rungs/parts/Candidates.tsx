import { useEffect, useMemo, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import OverlayTrigger from 'react-bootstrap/OverlayTrigger';
import Tooltip from 'react-bootstrap/Tooltip';
import { formatQuantity, type Design, type Place } from '@yundro/core';
import { Link, useParams } from 'react-router';
import { DataTable } from '../../app/DataTable.tsx';
import { Plot } from '../../plots/Plot.tsx';
import { PLACE_NAMES } from '../../shelf/words.ts';
import { edit, useDocument } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import { lanesOf, roomFor, WORTH, type Against } from './weighed.ts';
import css from './parts.module.css';
import page from '../../app/page.module.css';

/** What the shelf has for a place: loss against cost, area or height, and what rules the others out. */
export function Candidates({ place, standing }: { place: Place; standing: string[] }) {
  const ask = useMemo(() => (design: Design) => backgroundSolver.ask((solver) => solver.rank(design, place)), [place]);
  const ranked = useAnswer(ask);
  const { designId = '' } = useParams();
  const [against, setAgainst] = useState<Against>('cost');
  const [all, setAll] = useState(false);
  const document = useDocument((state) => state.document!);
  const [holding, setHolding] = useState<string>();
  useEffect(() => setHolding(undefined), [document]);
  const fitting = useMemo(() => (ranked ?? []).filter(({ reasons }) => reasons.length === 0), [ranked]);
  const lanes = useMemo(() => lanesOf(ranked ?? [], against, standing), [ranked, against, standing]);
  const across = useMemo(
    () => ({
      name: against === 'cost' ? 'cost' : against === 'area' ? 'board area, mm²' : 'height',
      unit: against === 'height' ? ('m' as const) : ('' as const),
      log: against !== 'height',
      ...roomFor(lanes, against !== 'height'),
    }),
    [against, lanes],
  );
  const hold = (id: string): void => {
    setHolding(id);
    backgroundSolver
      .press((solver) => solver.withPart(document, place, id))
      .then((next) => edit((now) => ({ ...now, decisions: next.decisions })))
      .catch(() => setHolding(undefined));
  };
  if (!ranked) return <p className="text-body-secondary">Weighing the shelf…</p>;
  const rest = ranked.filter(({ reasons }) => reasons.length > 0);
  const shown = [...fitting.slice(0, 40), ...(all ? rest.slice(0, 100) : [])];
  const drawn = lanes.some(({ traces }) => traces.some(({ x }) => x.length > 0));
  return (
    <section aria-label={`Candidates: ${PLACE_NAMES[place]}`} data-testid="candidates">
      <div className={page['row-head']}>
        <h2>
          {PLACE_NAMES[place]}: {fitting.length} of {ranked.length} on the shelf fit
        </h2>
        {drawn ? (
          <Form.Select
            size="sm"
            aria-label="Drawn against"
            className={page['pick']}
            value={against}
            onChange={(event) => setAgainst(event.target.value as Against)}
          >
            <option value="cost">against cost</option>
            <option value="area">against area</option>
            <option value="height">against height</option>
          </Form.Select>
        ) : null}
        <Link to={`/shelf?kind=${ranked[0]?.part.kind ?? 'mosfet'}&design=${designId}&place=${place}`}>
          On the Shelf
        </Link>
      </div>
      <div className={css['columns']}>
        {drawn ? (
          <Plot
            title={`${WORTH[ranked[0]!.part.kind]?.name ?? 'What the shelf has'} against ${across.name}`}
            summary="One mark a part that fits; the line joins those that no other beats in both. The part in force is a triangle. Below, what does not fit, by what rules it out first."
            across={across}
            lanes={lanes}
            stacked
            legend
            height={lanes.reduce((sum, { weight = 1 }) => sum + 90 * weight, 0)}
          />
        ) : null}
        <div className={css['list']}>
          <DataTable
            rows={shown}
            rowKey={({ part, count }) => `${part.id}/${count}`}
            rowAttributes={({ reasons }) => ({ 'data-out': reasons.length > 0 || undefined })}
            columns={[
              {
                id: 'part',
                head: 'part',
                cell: ({ part, count, effective, reasons }) => (
                  <>
                    {count > 1 ? `${count} × ` : ''}
                    {part.name}
                    {effective === undefined ? '' : `, ${formatQuantity(effective, 'F')} left`}
                    {reasons.length > 0 ? (
                      <OverlayTrigger overlay={<Tooltip>{reasons.map(({ words }) => words).join('; ')}</Tooltip>}>
                        <small tabIndex={0}> {reasons[0]!.words}</small>
                      </OverlayTrigger>
                    ) : null}
                  </>
                ),
                sort: ({ part }) => part.name,
              },
              {
                id: 'loss',
                head: 'loss',
                figures: true,
                className: css['figure'],
                cell: ({ loss }) => (loss === undefined ? '' : formatQuantity(loss, 'W')),
                sort: ({ loss }) => loss,
              },
              {
                id: 'cost',
                head: 'cost',
                figures: true,
                className: css['figure'],
                cell: ({ cost }) => (cost === undefined ? '' : cost.toFixed(2)),
                sort: ({ cost }) => cost,
              },
              {
                id: 'hold',
                head: <span className="visually-hidden">hold</span>,
                cell: ({ part, reasons }) =>
                  reasons.length === 0 ? (
                    <Button size="sm" variant="link" disabled={holding !== undefined} onClick={() => hold(part.id)}>
                      {standing.includes(part.id) ? 'Hold' : 'Hold this'}
                    </Button>
                  ) : null,
              },
            ]}
          />
          {rest.length > 0 ? (
            <Button size="sm" variant="link" onClick={() => setAll(!all)}>
              {all ? 'Only what fits' : `Show ${rest.length} that do not fit, and why`}
            </Button>
          ) : null}
        </div>
      </div>
    </section>
  );
}
