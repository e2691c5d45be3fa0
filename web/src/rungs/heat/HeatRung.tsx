import { Fragment, useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import {
  formatQuantity,
  laddersOf,
  lossQuantity,
  lossScopeWords,
  lossWords,
  TEMPERATURE_OF,
  type OperatingPoint,
} from '@yundro/core';
import { PathField } from '../../fields/PathField.tsx';
import { WhyNumber } from '../../why/WhyNumber.tsx';
import { backgroundSolver } from '../../workers/solver.ts';
import { DataTable } from '../../app/DataTable.tsx';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { Fold } from '../../app/Fold.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Working } from '../../app/Working.tsx';
import { Against, useThen } from '../../revisions/Against.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { PLACE_NAMES } from '../../shelf/words.ts';
import { useDocument } from '../../stores/designStore.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import type { HeatAnswer, HeatPoint } from './answers.ts';
import css from './heat.module.css';
import page from '../../app/page.module.css';

const POLICIES = {
  'forced-pwm': { words: 'forced PWM', dash: [] },
  'diode-emulation': { words: 'diode emulation', dash: [6, 3] },
  'pulse-skipping': { words: 'pulse skipping', dash: [2, 2] },
  ultrasonic: { words: 'ultrasonic', dash: [8, 3, 2, 3] },
} as const;

/** Losses, heat and temperatures of the stage with its parts: over load, over the line, and at one corner. */
export default function HeatRung() {
  const run = useLongAnswer('heat');
  const { answer } = run;
  return (
    <div className={css['heat']}>
      <Working run={run} of="Losses and heat" />
      {answer ? (
        <>
          <Standing answer={answer} />
          <div className={css['columns']}>
            <div>
              <ErrorBoundary of="The losses at one corner">
                <Corner answer={answer} />
              </ErrorBoundary>
              <ErrorBoundary of="The map">
                <LineByLoad answer={answer} />
              </ErrorBoundary>
            </div>
            <div>
              <ErrorBoundary of="The curves over load">
                <OverLoad answer={answer} />
              </ErrorBoundary>
              <ErrorBoundary of="The losses over load">
                <Stacked answer={answer} />
              </ErrorBoundary>
            </div>
          </div>
        </>
      ) : run.state === 'due' || run.state === 'working' ? (
        <p className="text-body-secondary">Filling the places and settling their heat…</p>
      ) : null}
    </div>
  );
}

/** What the figures hold, the load profile as energy, and the linear regulator beside it. */
function Standing({ answer: { result, places, energy } }: { answer: HeatAnswer }) {
  const empty = places.filter(({ filled }) => !filled);
  const chosen = places.filter(({ held, filled }) => !held && filled);
  const { linearRegulator } = result;
  const day = (watts: number): string => formatQuantity(watts * 24, 'W').replace(/W$/u, 'Wh');
  return (
    <>
      {result.warnings.some(({ id }) => id === 'thermal-runaway') || empty.length > 0 ? (
        <Notices>
          {result.warnings
            .filter(({ id }) => id === 'thermal-runaway')
            .map(({ message }) => (
              <p key={message}>{message}</p>
            ))}
          {empty.map(({ place, words }) => (
            <p key={place}>
              {PLACE_NAMES[place]}: {words}. Its losses beyond conduction are not known.
            </p>
          ))}
        </Notices>
      ) : null}
      <p className={css['standing']}>
        {chosen.length > 0
          ? `With the parts that the shelf puts into the ${chosen.length} free places (rung Parts). `
          : 'With the parts that the design holds. '}
        {lossScopeWords(result.lossScope)}{' '}
        {energy
          ? `Over ${energy.assumed ? 'an assumed load profile (the brief gives none): ' : 'the brief’s load profile: '}${energy.profile
              .map(({ current, share }) => `${formatQuantity(current, 'A')} for ${Math.round(share * 100)} %`)
              .join(
                ', ',
              )} of the time, ${formatQuantity(energy.delivered, 'W')} are delivered and ${formatQuantity(energy.lost, 'W')} lost: ${day(energy.lost)} of heat and ${day(energy.delivered + energy.lost)} from the source a day. `
          : ''}
        {energy?.lasts === undefined
          ? ''
          : `The battery lasts ${hours(energy.lasts)}, its own resistance and self-discharge apart. `}
        {linearRegulator.feasible
          ? `A linear regulator would lose ${formatQuantity(linearRegulator.heat, 'W')} at full load.`
          : ''}
      </p>
    </>
  );
}

const HOT = {
  controlSwitch: 'Control switch',
  rectifier: 'Rectifier',
  boostControlSwitch: 'Boost switch',
  boostRectifier: 'Boost rectifier',
  inductor: 'Inductor',
} as const;

const HOUR = 3600;
/** A long time as people say it. */
function hours(seconds: number): string {
  const whole = seconds / HOUR;
  return whole < 72 ? `${whole.toPrecision(3)} h` : `${(whole / 24).toPrecision(3)} days`;
}

const heatVerdict = (temperature: number, limit: number): string =>
  temperature > limit ? 'missed' : temperature > 0.9 * limit ? 'marginal' : 'met';

interface Fall {
  name: string;
  loss: number;
  /** What the mechanisms above it lose. */
  start: number;
}

/** One corner: each mechanism as a bar, and each device from the ambient to its junction. */
function Corner({ answer: { result, places } }: { answer: HeatAnswer }) {
  const brief = useDocument((state) => state.document!.brief);
  const points = result.operatingPoints;
  const usual = points.findIndex(
    (p) => p.inputVoltage === brief.inputVoltage.nominal && p.outputCurrent === brief.outputCurrent.max,
  );
  const [picked, setPicked] = useState<number>();
  const [against, setAgainst] = useState<number>();
  const then = useThen('heat-then', against, (document) => backgroundSolver.ask((solver) => solver.heatThen(document)));
  const point: OperatingPoint | undefined = points[picked ?? Math.max(0, usual)] ?? points[0];
  if (!point) return <p className="text-body-secondary">No corner of this design could be solved.</p>;
  const { total, ...each } = point.losses;
  const before = then.then?.find(
    (p) => p.inputVoltage === point.inputVoltage && p.outputCurrent === point.outputCurrent,
  );
  const thenOf = (name: string): number | undefined =>
    (before?.losses as Readonly<Record<string, number | undefined>> | undefined)?.[name];
  const losses = Object.entries(each)
    .filter(([name, loss]) => loss > 0 || (thenOf(name) ?? 0) > 0)
    .sort(([, a], [, b]) => b - a);
  let above = 0;
  const falls = losses.map(([name, loss]): Fall => {
    above += loss;
    return { name, loss, start: above - loss };
  });
  const proposed = places.some(({ held, filled }) => !held && filled);
  const of = {
    corner: { inputVoltage: point.inputVoltage, outputCurrent: point.outputCurrent },
    ...(proposed ? { words: 'with the parts that the shelf puts into the free places' } : {}),
  };
  const limit = brief.junctionTemperature;
  const ambient = brief.ambientTemperature;
  const top = Math.max(limit, ...Object.values(point.temperatures ?? {})) + 10;
  const along = (temperature: number): string => `${(100 * (temperature - ambient)) / (top - ambient)}%`;
  return (
    <section aria-label="Losses at one corner" data-testid="losses">
      <div className={page['row-head']}>
        <h2>Losses at</h2>
        <Form.Select
          size="sm"
          aria-label="Corner of the losses"
          className={`font-monospace ${page['pick']}`}
          value={points.indexOf(point)}
          onChange={(event) => setPicked(Number(event.target.value))}
        >
          {points.map((p, at) => (
            <option key={`${p.inputVoltage}/${p.outputCurrent}`} value={at}>
              {formatQuantity(p.inputVoltage, 'V')}, {formatQuantity(p.outputCurrent, 'A')}
            </option>
          ))}
        </Form.Select>
        <span className={`font-monospace ${css['sum']}`}>
          <WhyNumber id="lossTotal" value={total} unit="W" of={of} /> of{' '}
          {formatQuantity(point.outputPower + total, 'W')},{' '}
          <WhyNumber id="efficiency" value={point.efficiency} unit="%" of={of} />
        </span>
        <Against version={against} onPick={setAgainst} />
      </div>
      {then.trouble === undefined ? null : <p role="alert">{then.trouble}</p>}
      {then.then && !before ? <p className="text-body-secondary">That revision has no such corner.</p> : null}
      <DataTable
        borderless
        headless
        className={css['bars']}
        rows={falls}
        rowKey={({ name }) => name}
        columns={[
          { id: 'name', head: 'mechanism', cell: ({ name }) => lossWords(name) },
          {
            id: 'loss',
            head: 'loss',
            figures: true,
            cell: ({ name, loss }) => {
              const id = lossQuantity(name);
              return id === undefined ? formatQuantity(loss, 'W') : <WhyNumber id={id} value={loss} unit="W" of={of} />;
            },
          },
          ...(before
            ? [
                {
                  id: 'then',
                  head: 'then',
                  figures: true,
                  className: 'text-body-secondary',
                  cell: ({ name }: Fall) => {
                    const was = thenOf(name);
                    return was === undefined ? '—' : formatQuantity(was, 'W');
                  },
                },
              ]
            : []),
          {
            id: 'share',
            head: 'share',
            figures: true,
            className: 'text-body-secondary',
            cell: ({ loss }) => `${Math.round((100 * loss) / total)} %`,
          },
          {
            id: 'bar',
            head: '',
            className: css['bar'],
            cell: ({ start, loss }) => (
              <i style={{ marginLeft: `${(100 * start) / total}%`, width: `${(100 * loss) / total}%` }} />
            ),
          },
        ]}
        foot={
          before ? (
            <tr>
              <th scope="row">All of it</th>
              <td className="font-monospace">{formatQuantity(total, 'W')}</td>
              <td className="font-monospace text-body-secondary">{formatQuantity(before.losses.total, 'W')}</td>
              <td colSpan={2} />
            </tr>
          ) : undefined
        }
      />
      {before ? (
        <p className="text-body-secondary">
          {formatQuantity(point.efficiency, '%', { digits: 4 })} now,{' '}
          {formatQuantity(before.efficiency, '%', { digits: 4 })} then.
        </p>
      ) : null}
      <h2 className={css['second']}>From ambient, {formatQuantity(ambient, '°C')}</h2>
      {point.temperatures ? (
        <DataTable
          borderless
          headless
          className={css['bars']}
          rows={laddersOf(result.decisions, point, ambient)}
          rowKey={({ place }) => place}
          columns={[
            { id: 'place', head: 'part', cell: ({ place }) => HOT[place] },
            {
              id: 'temperature',
              head: 'temperature',
              figures: true,
              cell: ({ place, rungs }) => (
                <WhyNumber id={TEMPERATURE_OF[place]} value={rungs[0]!.temperature} unit="°C" of={of} />
              ),
            },
            {
              id: 'limit',
              head: 'limit',
              figures: true,
              className: 'text-body-secondary',
              cell: ({ place }) => (place === 'inductor' ? '' : `limit ${formatQuantity(limit, '°C')}`),
            },
            {
              id: 'way',
              head: 'from ambient',
              className: css['rise'],
              cell: ({ place, rungs, warmed }) => (
                <>
                  <span className={css['bed']}>
                    <i
                      style={{ width: along(rungs[0]!.temperature) }}
                      data-verdict={place === 'inductor' ? undefined : heatVerdict(rungs[0]!.temperature, limit)}
                    />
                    {place === 'inductor' ? null : <b style={{ left: along(limit) }} />}
                  </span>
                  <small className={css['way']}>
                    {rungs
                      .slice(0, -1)
                      .reverse()
                      .map(({ at, temperature: here }) => `${at} ${formatQuantity(here, '°C')}`)
                      .join(' ← ')}
                    {warmed >= 0.5 ? `, board ${warmed.toFixed(0)} K warmer` : ''}
                  </small>
                </>
              ),
            },
          ]}
        />
      ) : (
        <p className="text-body-secondary">No part brings its thermal resistance, so no temperature is known.</p>
      )}
      <Cooling />
    </section>
  );
}

/** How the heat is led away: copper, board, air, heat sinks. */
function Cooling() {
  return (
    <Fold name="Cooling: copper, board, air, heat sinks">
      <p className="text-body-secondary">
        Left empty, each part’s own data-sheet figure to ambient holds. Copper and heat sinks take the place of it for
        parts that tell their junction to case; a board’s area warms every part by what the others lose.
      </p>
      <div className={css['cooling-fields']}>
        <PathField
          path="decisions.cooling.copperArea"
          label="Copper under each, mm²"
          unit=""
          scale={1e-6}
          placeholder="data sheet"
        />
        <PathField path="decisions.cooling.copperThickness" label="Its thickness" placeholder="35 µm" />
        <PathField
          path="decisions.cooling.boardArea"
          label="Board, cm²"
          unit=""
          scale={1e-4}
          placeholder="parts apart"
        />
        <PathField path="decisions.cooling.airflow" label="Air, m/s" unit="" placeholder="still" />
        {(['controlSwitch', 'rectifier'] as const).map((place) => (
          <Fragment key={place}>
            <PathField
              path={`decisions.cooling.heatSinks.${place}.thermalResistance`}
              label={`${HOT[place]}’s sink`}
              placeholder="none"
            />
            <PathField path={`decisions.cooling.heatSinks.${place}.padResistance`} label="its pad" placeholder="none" />
          </Fragment>
        ))}
      </div>
    </Fold>
  );
}

const xOf = (points: readonly HeatPoint[]): number[] => points.map(({ outputCurrent }) => outputCurrent);

/** Efficiency, frequency and ripple over load, one line a light-load policy. */
function OverLoad({ answer: { overLoad, result } }: { answer: HeatAnswer }) {
  const own = result.decisions.lightLoad;
  const lanes = useMemo((): Lane[] => {
    const traces = (ink: string, of: (point: HeatPoint) => number): Trace[] =>
      overLoad.map(({ policy, points }) => ({
        name: POLICIES[policy].words,
        x: xOf(points),
        y: points.map(of),
        ink,
        dash: POLICIES[policy].dash,
        wide: policy === own,
      }));
    return [
      { id: 'efficiency', name: 'efficiency', unit: '%', traces: traces('--power', (point) => point.efficiency) },
      {
        id: 'frequency',
        name: 'frequency',
        unit: 'Hz',
        log: true,
        traces: traces('--freq', (point) => point.frequency),
      },
      { id: 'ripple', name: 'output ripple', unit: 'V', traces: traces('--volt', (point) => point.ripple) },
    ];
  }, [overLoad, own]);
  const across = useMemo(() => ({ name: 'load', unit: 'A' as const, log: true }), []);
  if (overLoad.length === 0) return <p className="text-body-secondary">Drawing…</p>;
  return (
    <section aria-label="Over load" data-testid="heat-over-load">
      <Plot
        title="Over load, each light-load policy"
        summary="Efficiency, switching frequency and output ripple over load; the policy in force is drawn wide."
        across={across}
        lanes={lanes}
        height={330}
        link="heat"
      />
      <p className={css['legend']}>
        {Object.entries(POLICIES).map(([policy, { words, dash }]) => (
          <span key={policy}>
            <svg width="26" height="8" aria-hidden="true">
              <line
                x1="0"
                y1="4"
                x2="26"
                y2="4"
                strokeDasharray={dash.join(' ')}
                strokeWidth={policy === own ? 2.4 : 1.2}
              />
            </svg>{' '}
            {words}
          </span>
        ))}
      </p>
    </section>
  );
}

const HUES = ['--power', '--amp', '--freq', '--volt', '--marginal', '--met', '--missed', '--soft'];
/** Mechanisms drawn one by one; the rest together. */
const MOST = 7;

/** Loss by mechanism over load, each on top of those before it. */
function Stacked({ answer: { overLoad, result } }: { answer: HeatAnswer }) {
  const own = overLoad.find(({ policy }) => policy === result.decisions.lightLoad) ?? overLoad[0];
  const lanes = useMemo((): Lane[] => {
    if (!own) return [];
    const { points } = own;
    const sums = new Map<string, number>();
    for (const { losses } of points) for (const [name, loss] of losses) sums.set(name, (sums.get(name) ?? 0) + loss);
    const order = [...sums].sort(([, a], [, b]) => b - a).map(([name]) => name);
    const shown = order.slice(0, MOST);
    const below = points.map(() => 0);
    const traces = [...shown, 'the rest'].map((name, k): Trace => {
      points.forEach(({ losses }, i) => {
        for (const [other, loss] of losses)
          if (other === name || (name === 'the rest' && !shown.includes(other))) below[i]! += loss;
      });
      return {
        name: name === 'the rest' ? 'and all the rest' : lossWords(name),
        x: xOf(points),
        y: below.slice(),
        ink: HUES[k]!,
        dash: k % 2 === 0 ? [] : [5, 2],
      };
    });
    return [{ id: 'y', name: 'loss, each on top of those before it', unit: 'W', min: 0, traces }];
  }, [own]);
  const across = useMemo(() => ({ name: 'load', unit: 'A' as const, log: true }), []);
  if (!own) return null;
  return (
    <section aria-label="Loss by mechanism over load">
      <Plot
        title="Loss by mechanism over load"
        summary="The largest mechanisms one on top of another, as the light-load policy in force has them."
        across={across}
        lanes={lanes}
        height={250}
        link="heat"
      />
    </section>
  );
}

/** Efficiency over line and load, darker where more is lost. */
function LineByLoad({ answer: { map } }: { answer: HeatAnswer }) {
  if (map.length === 0) return <p className="text-body-secondary">Drawing…</p>;
  const shares = map.flatMap(({ points }) => points.map(({ efficiency }) => 1 - efficiency));
  const most = Math.max(...shares);
  const least = Math.min(...shares);
  const tint = (efficiency: number): number =>
    Math.round((38 * (1 - efficiency - least)) / Math.max(1e-6, most - least));
  return (
    <section aria-label="Efficiency over line and load" data-testid="heat-map" className={css['map']}>
      <h2>Efficiency over line and load; below it the hottest part</h2>
      <DataTable
        borderless
        rows={map}
        rowKey={({ inputVoltage }) => String(inputVoltage)}
        columns={[
          {
            id: 'input',
            head: <span className="visually-hidden">input</span>,
            cell: ({ inputVoltage }) => formatQuantity(inputVoltage, 'V'),
          },
          ...map[0]!.points.map(({ outputCurrent }, k) => ({
            id: String(outputCurrent),
            head: formatQuantity(outputCurrent, 'A', { digits: 2 }),
            cell: ({ points }: HeatAnswer['map'][number]) => (
              <>
                {(100 * points[k]!.efficiency).toFixed(1)}
                <small>{points[k]!.hottest === undefined ? '' : `${Math.round(points[k]!.hottest)} °C`}</small>
              </>
            ),
            attributes: ({ points }: HeatAnswer['map'][number]) => ({
              style: {
                background: `color-mix(in srgb, var(--power) ${tint(points[k]!.efficiency)}%, transparent)`,
              },
            }),
          })),
        ]}
      />
    </section>
  );
}
