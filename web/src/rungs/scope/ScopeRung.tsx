import { tableFeatures, useTable, type ColumnDef } from '@tanstack/react-table';
import { useMemo, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Table from 'react-bootstrap/Table';
import { formatQuantity, SCENARIO_WORDS, SCENARIOS, type Brief, type Scenario, type Unit } from '@yundro/core';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Working } from '../../app/Working.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { Against, useThen } from '../../revisions/Against.tsx';
import { useDocument } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import type { ScopeAnswer, ScopeAsk, ScopeRun } from './answers.ts';
import type { Capture } from './capture.ts';
import { setScope, useScope, type Inputs, type ScopeSettings } from './settings.ts';
import css from './scope.module.css';
import page from '../../app/page.module.css';

const GROUPS = { ordinary: 'What it meets', 'raw stage': 'The raw stage', faults: 'Faults' } as const;
const INPUTS: Readonly<Record<Inputs, string>> = {
  min: 'lowest input',
  nominal: 'nominal input',
  max: 'highest input',
  all: 'all three inputs',
};

/** Which scenario has an entry of its own for what. */
const TAKES: Readonly<Record<'duty' | 'rate' | 'release' | 'load', readonly Scenario[]>> = {
  duty: ['open-loop', 'lighter-load', 'duty-ramp'],
  rate: ['step-train'],
  release: ['load-step', 'line-step', 'bank-aged', 'bank-lost'],
  load: SCENARIOS.filter((one) => !['load-step', 'step-train', 'bank-aged', 'bank-lost'].includes(one)),
};

function inputsOf({ inputVoltage, lineStep }: Brief, { inputs, scenario }: ScopeSettings): number[] {
  const { min, nominal, max } = inputVoltage;
  if (scenario === 'line-step') return [lineStep?.from ?? nominal];
  const list = inputs === 'all' ? [min, nominal, max] : [inputVoltage[inputs]];
  return [...new Set(list)];
}

/** The switching circuit in time: a scenario at one or several inputs, its traces and what is measured of them. */
export default function ScopeRung() {
  const settings = useScope();
  const brief = useDocument((state) => state.document?.brief);
  const { scenario, outputCurrent, duration, duty, rate, release } = settings;
  const inputs = brief ? inputsOf(brief, settings).join() : '';
  const ask = useMemo(
    (): ScopeAsk => ({
      scenario,
      inputs: inputs.split(',').map(Number),
      outputCurrent: TAKES.load.includes(scenario) ? outputCurrent : undefined,
      duration,
      duty: TAKES.duty.includes(scenario) ? (duty ?? (scenario === 'open-loop' ? 0.5 : undefined)) : undefined,
      rate: TAKES.rate.includes(scenario) ? rate : undefined,
      release: TAKES.release.includes(scenario) && release,
    }),
    [scenario, inputs, outputCurrent, duration, duty, rate, release],
  );
  const run = useLongAnswer('scope', ask);
  const answer = run.answer?.scenario === scenario ? run.answer : undefined;
  return (
    <div className={css['scope']}>
      <Setting settings={settings} />
      <Working run={run} of="The simulation" />
      {answer ? <Shown answer={answer} ask={ask} settings={settings} /> : null}
      {answer || run.state !== 'working' ? null : <p className="text-body-secondary">Seeking the steady state…</p>}
    </div>
  );
}

/** Scenario, inputs and what else the scenario takes. */
function Setting({ settings }: { settings: ScopeSettings }) {
  const { scenario, inputs, outputCurrent, duration, duty, rate, release, against } = settings;
  const words = SCENARIO_WORDS[scenario];
  return (
    <>
      <div className={css['setting']}>
        <Form.Select
          size="sm"
          aria-label="Scenario"
          className={page['pick']}
          value={scenario}
          onChange={(event) => setScope({ scenario: event.target.value as Scenario })}
        >
          {Object.entries(GROUPS).map(([group, name]) => (
            <optgroup key={group} label={name}>
              {SCENARIOS.filter((one) => SCENARIO_WORDS[one].group === group).map((one) => (
                <option key={one} value={one}>
                  {SCENARIO_WORDS[one].name}
                </option>
              ))}
            </optgroup>
          ))}
        </Form.Select>
        {scenario === 'line-step' ? null : (
          <Form.Select
            size="sm"
            aria-label="Inputs"
            className={page['pick']}
            value={inputs}
            onChange={(event) => setScope({ inputs: event.target.value as Inputs })}
          >
            {Object.entries(INPUTS).map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </Form.Select>
        )}
        {TAKES.load.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="load"
            placeholder="full"
            unit="A"
            value={outputCurrent}
            check={(value) => (value >= 0 ? undefined : 'A load draws zero or more.')}
            onChange={(value) => setScope({ outputCurrent: value })}
          />
        ) : null}
        {TAKES.duty.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="duty"
            placeholder={scenario === 'open-loop' ? '50 %' : 'as closed'}
            unit="%"
            value={duty}
            check={(value) => (value >= 0 && value <= 1 ? undefined : 'A duty lies between 0 and 100 %.')}
            onChange={(value) => setScope({ duty: value })}
          />
        ) : null}
        {TAKES.rate.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="rate"
            placeholder="the worst"
            unit="Hz"
            value={rate}
            check={(value) => (value > 0 ? undefined : 'A rate is above zero.')}
            onChange={(value) => setScope({ rate: value })}
          />
        ) : null}
        <QuantityField
          small
          optional
          label="for"
          placeholder="usual"
          unit="s"
          value={duration}
          check={(value) => (value > 0 ? undefined : 'A run lasts longer than zero.')}
          onChange={(value) => setScope({ duration: value })}
        />
        {TAKES.release.includes(scenario) ? (
          <Form.Check
            type="switch"
            id="scope-release"
            label="and back"
            checked={release}
            onChange={(event) => setScope({ release: event.target.checked })}
          />
        ) : null}
        <Against version={against} onPick={(version) => setScope({ against: version })} />
        <CapturePick />
      </div>
      <p className={css['does']}>
        {words.does[0]!.toUpperCase()}
        {words.does.slice(1)}. {words.looks ? <em>{words.looks}</em> : null}
      </p>
    </>
  );
}

/** Takes a capture from the bench, as the browser's file. */
function CapturePick() {
  const { capture, channel, shift } = useScope();
  const [trouble, setTrouble] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File): Promise<void> => {
    setTrouble(undefined);
    const text = await file.text();
    const { capture: read, message } = await backgroundSolver.ask((solver) => solver.capture(text, file.name));
    if (read) setScope({ capture: read, channel: 0, shift: -read.edge });
    setTrouble(message);
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept=".csv,.txt,.tsv,text/csv,text/plain"
        data-testid="capture"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = '';
          if (file)
            take(file).catch((error: unknown) => setTrouble(`${file.name} could not be read: ${String(error)}.`));
        }}
      />
      {capture ? (
        <>
          <Form.Select
            size="sm"
            aria-label="Channel of the capture"
            className={page['pick']}
            value={channel}
            onChange={(event) => setScope({ channel: Number(event.target.value) })}
          >
            {capture.channels.map(({ name, unit }, k) => (
              <option key={k} value={k}>
                {capture.name}: {name}
                {unit ? ` (${unit})` : ''}
              </option>
            ))}
          </Form.Select>
          <QuantityField
            small
            label="moved by"
            unit="s"
            value={shift}
            onChange={(value) => setScope({ shift: value ?? 0 })}
          />
          <Button size="sm" variant="link" onClick={() => setScope({ capture: undefined })}>
            take away
          </Button>
        </>
      ) : (
        <Button size="sm" variant="outline-secondary" onClick={() => input.current?.click()}>
          Capture from the bench…
        </Button>
      )}
      {trouble ? (
        <p role="alert" className={css['trouble']}>
          {trouble}
        </p>
      ) : null}
    </>
  );
}

interface ShownProps {
  answer: ScopeAnswer;
  ask: ScopeAsk;
  settings: ScopeSettings;
}

function Shown({ answer, ask, settings }: ShownProps) {
  const { against, capture, channel, shift, lanes, plane } = settings;
  const { then, trouble } = useThen(`scope-then ${JSON.stringify(ask)}`, against, (document) =>
    backgroundSolver.ask((solver) => solver.scopeOf(document, { ...ask, inputs: ask.inputs.slice(0, 1) })),
  );
  return (
    <>
      {(answer.trouble ?? trouble) ? <Notices role="alert">{answer.trouble ?? trouble}</Notices> : null}
      {answer.warnings.length + answer.cautions.length + (capture?.remarks.length ?? 0) > 0 ? (
        <Notices>
          {[...answer.cautions, ...answer.warnings, ...(capture?.remarks ?? [])].map((words) => (
            <p key={words}>{words}</p>
          ))}
        </Notices>
      ) : null}
      {answer.runs.length > 0 ? (
        <div className={css['columns']}>
          <div>
            <ErrorBoundary of="The traces">
              <LanePicks shown={lanes} run={answer.runs[0]!} plane={plane} />
              {plane ? (
                <Plane runs={answer.runs} />
              ) : (
                <Traces
                  runs={answer.runs}
                  shown={lanes}
                  then={then?.runs[0]}
                  capture={capture && { ...capture, channel, shift }}
                />
              )}
            </ErrorBoundary>
          </div>
          <ErrorBoundary of="The measurements">
            <Measures answer={answer} then={then?.runs[0]} capture={capture && { ...capture, channel, shift }} />
          </ErrorBoundary>
        </div>
      ) : null}
    </>
  );
}

interface Kind {
  id: string;
  name: string;
  unit: Unit;
  kind: 'voltage' | 'current';
  of: (run: ScopeRun) => readonly (Float64Array | undefined)[];
}

/** What a probe would show, node by node. */
const KINDS: readonly Kind[] = [
  { id: 'output', name: 'output', unit: 'V', kind: 'voltage', of: ({ traces }) => [traces.outputVoltage] },
  { id: 'inductor', name: 'inductor', unit: 'A', kind: 'current', of: ({ traces }) => traces.inductorCurrent },
  { id: 'node', name: 'switch node', unit: 'V', kind: 'voltage', of: ({ traces }) => traces.switchNode.slice(0, 1) },
  { id: 'nodes', name: 'other nodes', unit: 'V', kind: 'voltage', of: ({ traces }) => traces.switchNode.slice(1) },
  { id: 'input', name: 'input current', unit: 'A', kind: 'current', of: ({ traces }) => [traces.inputCurrent] },
  { id: 'control', name: 'control', unit: 'V', kind: 'voltage', of: ({ traces }) => [traces.controlVoltage] },
];
/** Runs, and phases of one, told apart without colour. */
const DASHES: readonly (readonly number[])[] = [[], [6, 3], [2, 2], [8, 3, 2, 3]];

function LanePicks({ shown, run, plane }: { shown: readonly string[]; run: ScopeRun; plane: boolean }) {
  const offered = KINDS.filter(({ of }) => of(run).some(Boolean));
  return (
    <div className={css['picks']} role="group" aria-label="Traces shown">
      {offered.map(({ id, name, kind }) => (
        <Button
          key={id}
          variant="link"
          className={css['pick']}
          data-kind={kind}
          disabled={plane}
          aria-pressed={shown.includes(id)}
          onClick={() => setScope({ lanes: shown.includes(id) ? shown.filter((one) => one !== id) : [...shown, id] })}
        >
          {name}
        </Button>
      ))}
      <Button variant="link" className={css['pick']} aria-pressed={plane} onClick={() => setScope({ plane: !plane })}>
        current over voltage
      </Button>
    </div>
  );
}

interface Shifted extends Capture {
  channel: number;
  shift: number;
}

function Traces({
  runs,
  shown,
  then,
  capture,
}: {
  runs: readonly ScopeRun[];
  shown: readonly string[];
  then: ScopeRun | undefined;
  capture: Shifted | undefined;
}) {
  const moved = useMemo(() => capture?.time.map((time) => time + capture.shift), [capture?.time, capture?.shift]);
  const channel = capture?.channels[capture.channel];
  const lanes = useMemo(
    () =>
      KINDS.filter(({ id, of }) => shown.includes(id) && of(runs[0]!).some(Boolean)).map((kind): Lane => {
        const ink = kind.kind === 'voltage' ? '--volt' : '--amp';
        const traces = runs.flatMap((run, at) =>
          kind.of(run).flatMap((y, phase): Trace[] =>
            y
              ? [
                  {
                    name:
                      runs.length > 1 ? formatQuantity(run.inputVoltage, 'V') : phase > 0 ? `phase ${phase + 1}` : '',
                    x: run.traces.time,
                    y,
                    ink,
                    dash: DASHES[(runs.length > 1 ? at : phase) % DASHES.length]!,
                  },
                ]
              : [],
          ),
        );
        const ghosts: Trace[] = [];
        const before = then && kind.of(then)[0];
        if (before) ghosts.push({ name: 'before', x: then.traces.time, y: before, ink, ghost: true });
        if (channel && moved && kind.id === laneFor(channel.unit))
          traces.push({ name: 'capture', x: moved, y: channel.values, ink: '--ink', dash: [4, 2] });
        return {
          id: kind.id,
          name: kind.name,
          unit: kind.unit,
          kind: kind.kind,
          traces: [...ghosts, ...traces],
          fits: true,
        };
      }),
    [runs, shown, then, channel, moved],
  );
  const end = Math.max(...runs.map(({ traces }) => traces.time[traces.time.length - 1] ?? 0));
  const begin = Math.min(...runs.map(({ traces }) => traces.time[0] ?? 0));
  const across = useMemo(() => ({ name: 'time', unit: 's' as const, min: begin, max: end }), [begin, end]);
  if (lanes.length === 0) return <p className="text-body-secondary">No trace is picked.</p>;
  return (
    <Plot
      title="Simulated traces"
      untitled
      stacked
      summary={`${runs.length} runs over ${formatQuantity(end - begin, 's')}.`}
      link="scope"
      across={across}
      lanes={lanes}
      height={Math.max(300, 40 + lanes.length * 120)}
    />
  );
}

const laneFor = (unit: 'V' | 'A' | ''): string => (unit === 'A' ? 'inductor' : 'output');

/** The inductor's current against the output's voltage: the way back to rest as one line. */
function Plane({ runs }: { runs: readonly ScopeRun[] }) {
  const lanes = useMemo(
    (): Lane[] => [
      {
        id: 'y',
        name: 'inductor',
        unit: 'A',
        traces: runs.map(({ traces, inputVoltage }, at) => ({
          name: formatQuantity(inputVoltage, 'V'),
          x: traces.outputVoltage,
          y: traces.inductorCurrent[0]!,
          ink: '--amp',
          dash: DASHES[at % DASHES.length]!,
          wanders: true,
        })),
      },
    ],
    [runs],
  );
  const across = useMemo(() => ({ name: 'output', unit: 'V' as const }), []);
  return (
    <Plot
      title="Current over voltage"
      summary="The inductor’s current against the output’s voltage through the run."
      across={across}
      lanes={lanes}
      height={400}
    />
  );
}

const features = tableFeatures({});

interface Row {
  name: string;
  unit: Unit;
  values: (number | undefined)[];
}

/** Figures of each run, the revision's and the capture's beside them. */
function Measures({
  answer,
  then,
  capture,
}: {
  answer: ScopeAnswer;
  then: ScopeRun | undefined;
  capture: Shifted | undefined;
}) {
  const { runs, scenario } = answer;
  const channel = capture?.channels[capture.channel];
  const rests = scenario === 'steady-state' || scenario === 'open-loop';
  const rows = useMemo(() => rowsOf(runs, then, capture, rests), [runs, then, capture, rests]);
  const heads = useMemo(
    () => [
      ...runs.map(({ inputVoltage }) => formatQuantity(inputVoltage, 'V')),
      ...(then ? ['before'] : []),
      ...(capture ? [channel?.name ?? 'capture'] : []),
    ],
    [runs, then, capture, channel],
  );
  const columns = useMemo(
    (): ColumnDef<typeof features, Row>[] => [
      { id: 'name', header: 'measured', accessorFn: ({ name }) => name, cell: ({ row }) => row.original.name },
      ...heads.map((head, k): ColumnDef<typeof features, Row> => ({
        id: String(k),
        header: head,
        accessorFn: ({ values }) => values[k],
        cell: ({ row: { original } }) => {
          const value = original.values[k];
          // what rounding leaves of nothing is nothing
          return value === undefined ? '' : formatQuantity(Math.abs(value) < 1e-12 ? 0 : value, original.unit);
        },
      })),
    ],
    [heads],
  );
  const table = useTable({ features, columns, data: rows });
  const steady = runs[0]?.steadyState;
  return (
    <section aria-label="Measured" data-testid="measured">
      <Table size="sm" borderless className={css['measures']}>
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((header) => (
                <th key={header.id} scope="col">
                  <table.FlexRender header={header} />
                </th>
              ))}
            </tr>
          ))}
        </thead>
        <tbody>
          {table.getRowModel().rows.map((row) => (
            <tr key={row.id}>
              {row.getAllCells().map((cell, k) =>
                k === 0 ? (
                  <th key={cell.id} scope="row">
                    <table.FlexRender cell={cell} />
                  </th>
                ) : (
                  <td key={cell.id} className="font-monospace">
                    <table.FlexRender cell={cell} />
                  </td>
                ),
              )}
            </tr>
          ))}
        </tbody>
      </Table>
      {scenario === 'steady-state' && steady ? (
        <p className="text-body-secondary">
          {steady.periodic && steady.growth !== undefined
            ? `Each period repeats the last; a disturbance shrinks to ${formatQuantity(steady.growth, '%')} of itself in one.`
            : 'No period repeats the last.'}
        </p>
      ) : null}
      {runs[0]?.train ? <Train train={runs[0].train} /> : null}
    </section>
  );
}

function rowsOf(
  runs: readonly ScopeRun[],
  then: ScopeRun | undefined,
  capture: Shifted | undefined,
  rests: boolean,
): Row[] {
  const all = then ? [...runs, then] : runs;
  const channel = capture?.channels[capture.channel];
  const seen = channel && extremes(channel.values);
  const row = (name: string, unit: Unit, of: (run: ScopeRun) => number | undefined, captured?: number): Row => ({
    name,
    unit,
    values: [...all.map(of), ...(capture ? [captured] : [])],
  });
  const volts = channel?.unit === 'A' ? undefined : seen;
  const amperes = channel?.unit === 'A' ? seen : undefined;
  const rows = [
    row('undershoot', 'V', ({ measurements: m }) => m.undershoot, volts && volts.before - volts.min),
    row('overshoot', 'V', ({ measurements: m }) => m.overshoot, volts && volts.max - volts.before),
    row('settled after', 's', ({ measurements: m }) => m.settlingTime),
    row('undershoot back', 'V', ({ measurements: m }) => m.release?.undershoot),
    row('overshoot back', 'V', ({ measurements: m }) => m.release?.overshoot),
    row('rise, 10 to 90 %', 's', ({ rise }) => rise?.time),
    row('output, average', 'V', ({ measurements: m }) => m.outputVoltage.average, volts?.average),
    row('output, lowest', 'V', ({ measurements: m }) => m.outputVoltage.min, volts?.min),
    row('output, highest', 'V', ({ measurements: m }) => m.outputVoltage.max, volts?.max),
    row(
      'output, peak to peak',
      'V',
      ({ measurements: m }) => m.outputVoltage.peakToPeak,
      volts && volts.max - volts.min,
    ),
    row('the same within 20 MHz', 'V', ({ limitedRipple }) => (rests ? limitedRipple : undefined)),
    row('inductor, average', 'A', ({ measurements: m }) => m.inductorCurrent[0]?.average, amperes?.average),
    row('inductor, RMS', 'A', ({ measurements: m }) => m.inductorCurrent[0]?.rms),
    row('inductor, lowest', 'A', ({ measurements: m }) => m.inductorCurrent[0]?.min, amperes?.min),
    row('inductor, highest', 'A', ({ measurements: m }) => m.inductorCurrent[0]?.max, amperes?.max),
    row('input, average', 'A', ({ measurements: m }) => m.inputCurrent.average),
    row('input, highest', 'A', ({ measurements: m }) => m.inputCurrent.max),
    row('frequency', 'Hz', ({ measurements: m }) => m.frequency),
    row('lasts', 's', ({ duration }) => duration, capture && capture.time[capture.time.length - 1]! - capture.time[0]!),
  ];
  return rows.filter(({ values }) => values.some((value) => value !== undefined));
}

/** Of a captured trace; `before` is the level that it begins with. */
function extremes(values: Float64Array): { min: number; max: number; average: number; before: number } {
  let [min, max, sum] = [Infinity, -Infinity, 0];
  for (const value of values) {
    if (value < min) min = value;
    if (value > max) max = value;
    sum += value;
  }
  const early = values.subarray(0, Math.max(1, Math.floor(values.length / 20)));
  return { min, max, average: sum / values.length, before: early.reduce((a, b) => a + b, 0) / early.length };
}

/** Peak to peak over the rate of a step train. */
function Train({ train }: { train: readonly { rate: number; peakToPeak: number }[] }) {
  const lanes = useMemo(
    (): Lane[] => [
      {
        id: 'y',
        name: 'output, peak to peak',
        unit: 'V',
        min: 0,
        traces: [
          { name: '', x: train.map(({ rate }) => rate), y: train.map(({ peakToPeak }) => peakToPeak), ink: '--volt' },
        ],
      },
    ],
    [train],
  );
  const across = useMemo(() => ({ name: 'rate of the steps', unit: 'Hz' as const, log: true }), []);
  return (
    <Plot
      title="Over the rate"
      summary="How far the output moves at each rate."
      across={across}
      lanes={lanes}
      height={170}
    />
  );
}
