import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import ButtonGroup from 'react-bootstrap/ButtonGroup';
import {
  DECISION,
  formatQuantity,
  freeAll,
  guarded,
  USUAL_DERATING,
  type Derating,
  type Design,
  type Place,
  type PlaceView,
} from '@yundro/core';
import Papa from 'papaparse';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { fileName, handOver } from '../../app/files.ts';
import { Fold } from '../../app/Fold.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Quiet } from '../../app/Quiet.tsx';
import { PathField } from '../../fields/PathField.tsx';
import { PLACE_NAMES } from '../../shelf/words.ts';
import { edit, useDocument } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import type { InForce } from '../../workers/standing.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import type { PartsAnswer } from './answers.ts';
import { Candidates } from './Candidates.tsx';
import { DrivePicture } from './DrivePicture.tsx';
import { PairPicture } from './PairPicture.tsx';
import { RectifierPicture } from './RectifierPicture.tsx';
import css from './parts.module.css';
import page from '../../app/page.module.css';

const askParts = (_design: Design, inForce: InForce) => backgroundSolver.ask((solver) => solver.parts(inForce));

/** The stage's places one by one, each with its part, and what else the shelf has for it. */
export default function PartsRung() {
  const answer = useAnswer(askParts);
  const [place, setPlace] = useState<Place>('controlSwitch');
  if (!answer) return <p className="text-body-secondary">Filling the free places from the shelf…</p>;
  const empty = answer.places.filter(({ filled }) => !filled);
  const chosen = answer.places.filter(({ held, filled }) => !held && filled);
  const parts = Object.fromEntries(
    chosen.map(({ place: at }) => [DECISION[at], answer.design.decisions[DECISION[at]]] as const),
  );
  const holdParts = (): void => edit((now) => ({ ...now, decisions: { ...now.decisions, ...parts } }));
  const holdAll = (): void => edit((now) => ({ ...now, decisions: { ...now.decisions, ...answer.result.decisions } }));
  return (
    <div className={css['parts']}>
      {empty.length > 0 ? (
        <Notices>
          {empty.map(({ place: at, words }) => (
            <p key={at}>
              {PLACE_NAMES[at]}: {words}. What it gives is an estimate.
            </p>
          ))}
        </Notices>
      ) : null}
      <div className={page['row-head']}>
        <h2>Places</h2>
        <span className="text-body-secondary">
          {chosen.length > 0
            ? `${chosen.length} are free, and filled from the shelf round what is held`
            : 'every place is held'}
        </span>
        <ButtonGroup size="sm" aria-label="Hold or let go">
          {chosen.length > 0 ? (
            <Button
              variant="outline-secondary"
              title="These parts stay; frequency, phases and all else that is free still follow"
              onClick={holdParts}
            >
              Hold the {chosen.length === 1 ? 'part' : `${chosen.length} parts`}
            </Button>
          ) : null}
          <Button
            variant="outline-secondary"
            title="Every decision stays at the value that it has now: nothing follows any more"
            onClick={holdAll}
          >
            Hold everything as it is
          </Button>
          <Button
            variant="outline-secondary"
            title="Every decision is free again; derating and reasons stay"
            onClick={() => edit(freeAll)}
          >
            Let all go
          </Button>
        </ButtonGroup>
      </div>
      {answer.anew.length > 0 ? <p className="text-body-secondary">{answer.anew.join(' ')}</p> : null}
      <DeratingFields />
      <ErrorBoundary of="The places">
        <Places answer={answer} place={place} onPick={setPlace} />
      </ErrorBoundary>
      <ErrorBoundary of="The candidates">
        <Candidates
          key={place}
          place={place}
          standing={answer.places.find((at) => at.place === place)!.parts.map(({ part }) => part.id)}
        />
      </ErrorBoundary>
      {place === 'controlSwitch' || place === 'rectifier' ? (
        <div className={css['columns']}>
          <div>
            <ErrorBoundary of="The pairs of switches">
              <PairPicture />
              <DrivePicture />
            </ErrorBoundary>
          </div>
          <ErrorBoundary of="The rectifiers over load">
            <RectifierPicture />
          </ErrorBoundary>
        </div>
      ) : null}
      <ErrorBoundary of="The small parts">
        <Small answer={answer} />
      </ErrorBoundary>
      <ErrorBoundary of="The bill of materials">
        <Bill answer={answer} />
      </ErrorBoundary>
    </div>
  );
}

/** Every place: its part, why, how far its ratings are used, what it loses and how hot it gets. */
function Places({ answer, place, onPick }: { answer: PartsAnswer; place: Place; onPick: (place: Place) => void }) {
  const release = (at: PlaceView): void =>
    edit((document) => {
      const decisions = { ...document.decisions };
      delete decisions[DECISION[at.place]];
      return { ...document, decisions };
    });
  return (
    <DataTable
      className={css['places']}
      testId="places"
      rows={answer.places}
      rowKey={(at) => at.place}
      rowAttributes={(at) => ({ 'data-lit': at.place === place || undefined })}
      columns={[
        {
          id: 'place',
          head: 'place',
          cell: (at) => (
            <Quiet onClick={() => onPick(at.place)} aria-pressed={at.place === place}>
              {PLACE_NAMES[at.place]}
            </Quiet>
          ),
        },
        { id: 'part', head: 'part', cell: (at) => <Standing at={at} /> },
        { id: 'used', head: 'used of its ratings, at worst', cell: (at) => <Ratings at={at} /> },
        {
          id: 'loss',
          head: 'loss',
          figures: true,
          className: css['figure'],
          cell: ({ loss }) => (loss === undefined ? '—' : formatQuantity(loss, 'W')),
          sort: ({ loss }) => loss,
        },
        {
          id: 'hottest',
          head: 'hottest',
          figures: true,
          className: css['figure'],
          cell: ({ temperature }) => (temperature === undefined ? '—' : formatQuantity(temperature, '°C')),
          sort: ({ temperature }) => temperature,
        },
        {
          id: 'hold',
          head: <span className="visually-hidden">hold</span>,
          cell: (at) =>
            at.held ? (
              <Button size="sm" variant="link" onClick={() => release(at)}>
                Let go
              </Button>
            ) : null,
        },
      ]}
    />
  );
}

function Standing({ at }: { at: PlaceView }) {
  return (
    <>
      {at.parts.length > 0 ? (
        at.parts.map(({ part, count }) => (
          <div key={part.id}>
            {count} × {part.name}
          </div>
        ))
      ) : (
        <span className="text-body-secondary">{at.held ? 'no part named' : 'a usual part'}</span>
      )}
      <small className="text-body-secondary">
        {at.words}
        {at.newer ? '; the shelf has newer values' : ''}
      </small>
    </>
  );
}

function Ratings({ at }: { at: PlaceView }) {
  return at.ratings.map(({ name, unit, value, rating, verdict }) => (
    <div key={name} className={css['stress']} data-verdict={verdict}>
      <span>{name}</span>
      <span className="font-monospace">
        {formatQuantity(value, unit)} of {formatQuantity(rating, unit)}
      </span>
      <i>
        <b style={{ width: `${Math.min(100, (100 * value) / rating)}%` }} />
      </i>
    </div>
  ));
}

const DERATINGS: readonly { key: keyof Derating; words: string }[] = [
  { key: 'ringing', words: 'Rated over blocked voltage' },
  { key: 'ceramicVoltage', words: 'Ceramic, of its voltage' },
  { key: 'polymerVoltage', words: 'Polymer, of its voltage' },
  { key: 'electrolyticVoltage', words: 'Electrolytic, of its voltage' },
  { key: 'tantalumVoltage', words: 'Tantalum, of its voltage' },
  { key: 'filmVoltage', words: 'Film, of its voltage' },
  { key: 'switchCurrent', words: 'Switch, of its current' },
  { key: 'diodeCurrent', words: 'Diode, of its current' },
  { key: 'inductorCurrent', words: 'Inductor, of its RMS current' },
  { key: 'capacitanceLeft', words: 'Ceramic, capacitance left' },
];

/** How much of each rating may be used: the usual, or what this design says. */
function DeratingFields() {
  const own = useDocument((state) => Object.keys(state.document?.decisions.derating ?? {}).length);
  return (
    <Fold name={own > 0 ? `Derating, ${own} of your own` : 'Derating as usual'}>
      <div className={css['derating']}>
        {DERATINGS.map(({ key, words }) => (
          <PathField
            key={key}
            path={`decisions.derating.${key}`}
            label={words}
            placeholder={formatQuantity(USUAL_DERATING[key], key === 'ringing' ? '' : '%')}
          />
        ))}
      </div>
    </Fold>
  );
}

/** What belongs to the controller that stands. */
function Small({ answer: { small } }: { answer: PartsAnswer }) {
  if (small.length === 0) return null;
  return (
    <section aria-label="Small parts of the controller" className={css['bill']} data-testid="small">
      <h2>Small parts that belong to the controller</h2>
      <DataTable
        headless
        rows={small}
        rowKey={({ name }) => name}
        columns={[
          { id: 'name', head: 'part', cell: ({ name }) => name },
          {
            id: 'value',
            head: 'value',
            figures: true,
            className: css['figure'],
            cell: ({ value, unit }) => formatQuantity(value, unit),
          },
          { id: 'words', head: 'by', cell: ({ words }) => words },
        ]}
      />
    </section>
  );
}

const CSV = ['place', 'part', 'name', 'count', 'used of rating', 'cost', 'area mm²', 'height mm'];

type Billed = PartsAnswer['bill'][number];

const figure = (
  id: string,
  head: string,
  of: (row: Billed) => number | undefined,
  words: (value: number) => string,
): Column<Billed> => ({
  id,
  head,
  figures: true,
  className: css['figure'],
  cell: (row) => {
    const value = of(row);
    return value === undefined ? '—' : words(value);
  },
  sort: of,
});

const BILL: readonly Column<Billed>[] = [
  { id: 'place', head: 'place', cell: ({ place }) => PLACE_NAMES[place] },
  { id: 'part', head: 'part', cell: ({ part }) => part.name, sort: ({ part }) => part.name },
  figure('count', 'count', ({ count }) => count, String),
  figure(
    'used',
    'used',
    ({ used }) => used,
    (used) => `${Math.round(100 * used)} %`,
  ),
  figure(
    'cost',
    'cost',
    ({ cost }) => cost,
    (cost) => cost.toFixed(2),
  ),
  figure(
    'area',
    'area, mm²',
    ({ area }) => area,
    (area) => (area * 1e6).toFixed(0),
  ),
  figure(
    'height',
    'height',
    ({ height }) => height,
    (height) => formatQuantity(height, 'm'),
  ),
];

/** What is to be bought, and what it takes on the board. */
function Bill({ answer: { bill, cost, area } }: { answer: PartsAnswer }) {
  const name = useDocument((state) => state.document!.name);
  const download = (): void => {
    const rows = bill.map(({ place, part, count, used, cost: each, area: takes, height }) => [
      PLACE_NAMES[place],
      part.id,
      part.name,
      String(count),
      used === undefined ? '' : used.toFixed(2),
      each === undefined ? '' : each.toFixed(2),
      takes === undefined ? '' : (takes * 1e6).toFixed(1),
      height === undefined ? '' : (height * 1e3).toFixed(2),
    ]);
    const text = Papa.unparse(
      [CSV, ...rows].map((row) => row.map(guarded)),
      { newline: '\r\n' },
    );
    handOver(fileName(`${name} parts`, 'csv', 'parts'), new Blob([text], { type: 'text/csv' }));
  };
  if (bill.length === 0) return null;
  return (
    <section aria-label="Bill of materials" className={css['bill']} data-testid="bill">
      <div className={page['row-head']}>
        <h2>Bill of materials</h2>
        <Button size="sm" variant="outline-secondary" onClick={download}>
          CSV
        </Button>
      </div>
      <DataTable
        rows={bill}
        rowKey={({ place, part }) => `${place}/${part.id}`}
        columns={BILL}
        foot={
          <tr>
            <th scope="row" colSpan={4}>
              together
            </th>
            <td className={`font-monospace ${css['figure']}`}>{cost === undefined ? '—' : cost.toFixed(2)}</td>
            <td className={`font-monospace ${css['figure']}`}>{area === undefined ? '—' : (area * 1e6).toFixed(0)}</td>
            <td />
          </tr>
        }
      />
    </section>
  );
}
