import { useEffect, useMemo, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import OverlayTrigger from 'react-bootstrap/OverlayTrigger';
import Tooltip from 'react-bootstrap/Tooltip';
import {
  formatQuantity,
  frontOf,
  guarded,
  USUAL_DERATING,
  type Derating,
  type Design,
  type Part,
  type Place,
  type PlaceView,
  type Ranked,
  type Unit,
} from '@yundro/core';
import Papa from 'papaparse';
import { Link, useParams } from 'react-router';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { fileName, handOver } from '../../app/files.ts';
import { Fold } from '../../app/Fold.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Quiet } from '../../app/Quiet.tsx';
import { Plot, type Lane } from '../../plots/Plot.tsx';
import { PathField } from '../../fields/PathField.tsx';
import { PLACE_NAMES } from '../../shelf/words.ts';
import { edit, useDocument } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import type { PartsAnswer } from './answers.ts';
import { DrivePicture } from './DrivePicture.tsx';
import { PairPicture } from './PairPicture.tsx';
import { RectifierPicture } from './RectifierPicture.tsx';
import css from './parts.module.css';
import page from '../../app/page.module.css';

const KEYS: Readonly<Record<Place, keyof Design['decisions']>> = {
  controller: 'control',
  inductor: 'inductor',
  controlSwitch: 'controlSwitch',
  rectifier: 'rectifier',
  outputCapacitors: 'outputCapacitors',
  inputCapacitors: 'inputCapacitors',
};

const askParts = (design: Design) => backgroundSolver.ask((solver) => solver.parts(design));

/** The stage's places one by one, each with its part, and what else the shelf has for it. */
export default function PartsRung() {
  const answer = useAnswer(askParts);
  const [place, setPlace] = useState<Place>('controlSwitch');
  if (!answer) return <p className="text-body-secondary">Filling the free places from the shelf…</p>;
  const empty = answer.places.filter(({ filled }) => !filled);
  const chosen = answer.places.filter(({ held, filled }) => !held && filled);
  const keep = (): void =>
    edit((document) => ({
      ...document,
      decisions: {
        ...document.decisions,
        ...Object.fromEntries(chosen.map(({ place: at }) => [KEYS[at], answer.design.decisions[KEYS[at]]] as const)),
        // what the parts were chosen for
        topology: answer.design.decisions.topology,
        phases: answer.design.decisions.phases,
        switchingFrequency: answer.design.decisions.switchingFrequency,
        lightLoad: answer.design.decisions.lightLoad,
      },
    }));
  return (
    <div className={css['parts']}>
      {empty.length > 0 ? (
        <Notices>
          {empty.map(({ place: at, words }) => (
            <p key={at}>
              {PLACE_NAMES[at]}: {words}. The ideal values stand.
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
        {chosen.length > 0 ? (
          <Button size="sm" variant="outline-secondary" onClick={keep}>
            Keep all {chosen.length}
          </Button>
        ) : null}
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
      delete decisions[KEYS[at.place]];
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
        { id: 'used', head: 'used of its ratings, at worst', cell: (at) => <Stresses at={at} /> },
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
        <span className="text-body-secondary">{at.filled ? 'no part named' : 'nothing fits'}</span>
      )}
      <small className="text-body-secondary">
        {at.words}
        {at.newer ? '; the shelf has newer values' : ''}
      </small>
    </>
  );
}

function Stresses({ at }: { at: PlaceView }) {
  return at.stresses.map(({ name, unit, value, rating, verdict }) => (
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
            unit={key === 'ringing' ? '' : '%'}
            placeholder={formatQuantity(USUAL_DERATING[key], key === 'ringing' ? '' : '%')}
            most={key === 'ringing' ? Infinity : 1}
          />
        ))}
      </div>
    </Fold>
  );
}

type Against = 'cost' | 'area' | 'height';

/** What the shelf has for a place: loss against cost, area or height, and what rules the others out. */
function Candidates({ place, standing }: { place: Place; standing: string[] }) {
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
      .ask((solver) => solver.withPart(document, place, id))
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

/** What the parts of a kind are weighed by: less is better, but of capacitance. */
const LOSS: Worth = { name: 'Loss over the load profile', unit: 'W', of: ({ loss }) => loss };
const WORTH: Partial<Record<Part['kind'], Worth>> = {
  mosfet: LOSS,
  diode: LOSS,
  inductor: LOSS,
  capacitor: { name: 'Capacitance left of one', unit: 'F', of: ({ effective }) => effective, more: true },
  controller: { ...LOSS, name: 'Loss of its own current' },
  converter: { ...LOSS, name: 'Loss of its own current' },
};
interface Worth {
  name: string;
  unit: Unit;
  of: (ranked: Ranked) => number | undefined;
  more?: boolean;
}

/** From the first mark to the last, with room for what they are drawn as. */
function roomFor(lanes: readonly Lane[], log: boolean): { min: number; max: number } | undefined {
  const all = lanes.flatMap(({ traces }) => traces.flatMap(({ x }) => Array.from(x)));
  if (all.length === 0) return undefined;
  const [min, max] = [Math.min(...all), Math.max(...all)];
  if (log) return { min: min / 1.25, max: max * 1.25 };
  const room = 0.05 * (max - min || max);
  return { min: Math.max(0, min - room), max: max + room };
}

/** Share of the picture's height that a reason takes. */
const ROW = 0.24;

/**
 * Marks of what fits, the front that no part beats in both, and the part in force; in a lane below it what does not fit,
 * by what rules it out first. Each mark says which part it is, and of what.
 */
function lanesOf(ranked: readonly Ranked[], against: Against, standing: readonly string[]): Lane[] {
  const worth = WORTH[ranked[0]?.part.kind ?? 'mosfet'];
  const placed = ranked
    .flatMap((at) => {
      const value = against === 'cost' ? at.cost : against === 'area' ? at.area && at.area * 1e6 : at.height;
      return value === undefined || !(value > 0) ? [] : [{ at, x: value }];
    })
    .sort((a, b) => a.x - b.x);
  const named = ({ part, count }: Ranked): string => `${count > 1 ? `${count} × ` : ''}${part.name}`;
  const priced = (x: number): string =>
    against === 'cost' ? `cost ${x.toFixed(2)}` : against === 'area' ? `${x.toFixed(1)} mm²` : formatQuantity(x, 'm');
  const places = placed
    .flatMap(({ at, x }) => {
      const y = at.reasons.length > 0 || !worth ? undefined : worth.of(at);
      if (y === undefined || !(y > 0)) return [];
      return [{ id: at.part.id, x, y, tells: `${named(at)}: ${formatQuantity(y, worth!.unit)}, ${priced(x)}` }];
    })
    .sort((a, b) => a.x - b.x || a.y - b.y);
  const front = worth?.more ? [] : frontOf(places);
  const own = places.filter(({ id }) => standing.includes(id));
  const of = (list: typeof places) => ({ x: list.map(({ x }) => x), y: list.map(({ y }) => y) });
  const out = placed.filter(({ at }) => at.reasons.length > 0);
  const names = [...new Set(out.map(({ at }) => at.reasons[0]!.by))].sort();
  return [
    ...(worth && places.length > 0
      ? [
          {
            id: 'y',
            name: '',
            unit: worth.unit,
            log: true,
            weight: 3,
            traces: [
              {
                name: 'fits',
                ...of(places),
                ink: '--power',
                marks: 'circle' as const,
                tells: places.map((p) => p.tells),
              },
              ...(worth.more ? [] : [{ name: 'no part beats it in both', ...of(front), ink: '--power' }]),
              { name: 'in force', ...of(own), ink: '--ink', marks: 'triangle' as const },
            ],
          },
        ]
      : []),
    ...(out.length > 0
      ? [
          {
            id: 'out',
            name: '',
            unit: '' as const,
            weight: ROW * (names.length + 1),
            names,
            traces: [
              {
                name: 'ruled out',
                x: out.map(({ x }) => x),
                y: out.map(({ at }) => names.indexOf(at.reasons[0]!.by)),
                ink: '--soft',
                marks: 'ring' as const,
                tells: out.map(({ at }) => `${named(at)}: ${at.reasons.map(({ words }) => words).join('; ')}`),
              },
            ],
          },
        ]
      : []),
  ];
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
