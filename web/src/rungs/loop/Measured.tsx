import { useMemo, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import {
  formatQuantity,
  hold,
  UNCERTAIN,
  type Corner,
  type Design,
  type Fit,
  type InjectionSheet,
  type Uncertain,
} from '@yundro/core';
import { DataTable } from '../../app/DataTable.tsx';
import { Plot } from '../../plots/Plot.tsx';
import { handOver } from '../../app/files.ts';
import { edit } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { cornerWords } from './Corners.tsx';
import { readMeasured } from './measured.ts';
import { setLoop, useLoop } from './settings.ts';
import { ACROSS, bodeLanes, useCornerAnswer } from './over.ts';
import css from './loop.module.css';

const WORDS: Record<Uncertain, string> = {
  inductance: 'inductance',
  capacitance: 'output capacitance',
  esr: 'its ESR',
  modulator: 'ramp or sense gain',
};

const predict = (design: Design, corner: Corner) =>
  backgroundSolver.ask((solver) => solver.predictedLoop(design, corner));

/** A loop as the bench measured it, over the predicted one; fitted, and what would follow from it. */
export function Measured({ corner, design }: { corner: Corner; design: Design }) {
  const measured = useLoop((state) => state.measured);
  const [which, setWhich] = useState<readonly Uncertain[]>(['inductance', 'capacitance', 'esr']);
  const [fit, setFit] = useState<Fit>();
  const [words, setWords] = useState<string>();
  const [sheet, setSheet] = useState<InjectionSheet>();
  const [seed, setSeed] = useState(1);
  const file = useRef<HTMLInputElement>(null);
  const at = measured ?? corner;
  const predicted = useCornerAnswer(at, predict)?.found;
  const take = (text: string, name: string): void => {
    const { measured: read, message } = readMeasured(text, name);
    setFit(undefined);
    setWords(message ?? read?.remarks.join(' '));
    if (read) setLoop({ measured: { ...read, ...corner } });
  };
  const failed = (error: unknown): void => setWords(`That did not work: ${String(error)}.`);
  const measure = async (): Promise<void> => {
    const { found, trouble } = await backgroundSolver.press((solver) => solver.measure(design, corner, seed));
    setSeed(seed + 1);
    if (found) take(found, `simulated board ${seed}`);
    else setWords(trouble);
  };
  const start = async (): Promise<void> => {
    if (!measured) return;
    const { found, trouble } = await backgroundSolver.press((solver) => solver.fit(design, measured, which));
    setFit(found);
    setWords(trouble);
  };
  const lanes = useMemo(
    () =>
      bodeLanes([
        ...(predicted ? [{ name: 'predicted', curve: predicted, dash: [6, 3] }] : []),
        ...(measured
          ? [
              {
                name: measured.name,
                curve: {
                  frequency: [...measured.frequency],
                  gain: [...measured.gain],
                  phase: [...measured.phase],
                },
                dash: [],
                ink: '--amp',
              },
            ]
          : []),
        ...(fit ? [{ name: 'fitted', curve: fit.fitted, dash: [2, 2] }] : []),
      ]),
    [predicted, measured, fit],
  );
  return (
    <>
      <Plot
        title="Measured against predicted"
        untitled
        stacked
        legend
        summary="The loop gain as it was measured, and as it is predicted at the same corner."
        link="loop"
        across={ACROSS}
        lanes={lanes}
        height={300}
      />
      <div className={css['placing']}>
        <Button size="sm" variant="outline-secondary" onClick={() => file.current?.click()}>
          Read a measurement…
        </Button>
        <input
          ref={file}
          type="file"
          accept=".csv,.txt,text/csv"
          hidden
          data-testid="measurement"
          onChange={(event) => {
            const [chosen] = event.target.files ?? [];
            event.target.value = '';
            chosen?.text().then((text) => take(text, chosen.name), failed);
          }}
        />
        <Button
          size="sm"
          variant="outline-secondary"
          title="A stand-in for the instrument: a board whose parts are not quite the design’s, with noise"
          onClick={() => {
            measure().catch(failed);
          }}
        >
          Run the simulated analyser
        </Button>
        <Button
          size="sm"
          variant="outline-secondary"
          aria-pressed={sheet !== undefined}
          onClick={() => {
            if (sheet) {
              setSheet(undefined);
              return;
            }
            backgroundSolver
              .press((solver) => solver.sheet(design, corner))
              .then(({ found, trouble }) => {
                setSheet(found);
                setWords(trouble);
              }, failed);
          }}
        >
          {sheet ? 'Close the injection sheet' : 'Injection sheet'}
        </Button>
        {measured ? (
          <Button
            size="sm"
            variant="outline-secondary"
            onClick={() => {
              setLoop({ measured: undefined });
              setFit(undefined);
              setWords(undefined);
            }}
          >
            Put it away
          </Button>
        ) : null}
      </div>
      <p role="status" className={css['words']}>
        {measured ? `${measured.name}, at ${cornerWords(measured)}. ` : ''}
        {words}
      </p>
      {measured ? (
        <div className={css['placing']}>
          {UNCERTAIN.map((one) => (
            <Form.Check
              key={one}
              inline
              id={`fit-${one}`}
              label={WORDS[one]}
              checked={which.includes(one)}
              onChange={(event) =>
                setWhich(event.target.checked ? [...which, one] : which.filter((other) => other !== one))
              }
            />
          ))}
          <Button
            size="sm"
            variant="outline-secondary"
            onClick={() => {
              start().catch(failed);
            }}
          >
            Fit these
          </Button>
        </div>
      ) : null}
      {fit ? <Fitted fit={fit} /> : null}
      {sheet ? <Sheet sheet={sheet} /> : null}
    </>
  );
}

/** What turns the control voltage into pulses, held at what was measured where that was fitted. */
function withModulator(document: Design, { values, decisions: { control } }: Fit): Design {
  if (!values.some(({ which }) => which === 'modulator')) return document;
  let next = hold(document, 'control.method', control.method);
  for (const key of ['rampAmplitude', 'rampGain', 'currentSenseGain'] as const)
    if (control[key] !== undefined) next = hold(next, `control.${key}`, Number(control[key].toPrecision(4)));
  return next;
}

function Fitted({ fit }: { fit: Fit }) {
  const { inductor, outputCapacitors } = fit.decisions;
  return (
    <section aria-label="What the fit says" data-testid="fit">
      <p className={css['words']}>
        What is left between measured and predicted falls from {fit.before.toFixed(2)} to {fit.after.toFixed(2)} dB (a
        degree counting for 0.15).
      </p>
      <DataTable
        borderless
        className={css['features']}
        rows={fit.values}
        rowKey={({ which }) => which}
        columns={[
          { id: 'value', head: 'value', cell: ({ which }) => WORDS[which] },
          { id: 'factor', head: 'over the design’s', figures: true, cell: ({ factor }) => factor.toFixed(3) },
          {
            id: 'between',
            head: 'with 95 % between',
            figures: true,
            cell: ({ low, high }) =>
              high / low > 50 ? 'the data do not tell it' : `${low.toFixed(3)} and ${high.toFixed(3)}`,
          },
        ]}
      />
      <Button
        size="sm"
        variant="outline-secondary"
        title="Inductance, output bank and modulator are held at what was measured; a free network then answers them"
        onClick={() =>
          edit((document) =>
            hold(
              hold(withModulator(document, fit), 'inductor.inductance', Number(inductor.inductance.toPrecision(4))),
              'outputCapacitors',
              outputCapacitors.map((bank) => ({
                ...bank,
                capacitance: Number(bank.capacitance.toPrecision(4)),
                esr: Number(bank.esr.toPrecision(4)),
              })),
            ),
          )
        }
      >
        Take these values
      </Button>
    </section>
  );
}

function Sheet({ sheet }: { sheet: InjectionSheet }) {
  const text = (): string =>
    [
      `# inject across ${sheet.resistor} ohm ${sheet.where}`,
      `# at ${cornerWords(sheet)}`,
      'Frequency (Hz),Injected (V peak),Before (V peak),Behind (V peak)',
      ...sheet.rows.map(({ frequency, amplitude, sensed, output }) =>
        [frequency, amplitude.toPrecision(2), sensed.toPrecision(2), output.toPrecision(2)].join(','),
      ),
      '',
    ].join('\n');
  return (
    <section aria-label="Injection sheet" data-testid="sheet">
      <p className={css['words']}>
        Inject across {sheet.resistor} Ω {sheet.where}. At {cornerWords(sheet)}; watch output and switch node on a
        second channel, and halve the injection where the response changes with it.
      </p>
      <DataTable
        borderless
        className={css['features']}
        rows={sheet.rows}
        rowKey={({ frequency }) => String(frequency)}
        columns={[
          { id: 'f', head: 'frequency', figures: true, cell: ({ frequency }) => formatQuantity(frequency, 'Hz') },
          ...(
            [
              ['amplitude', 'inject, peak'],
              ['sensed', 'sensed then'],
              ['output', 'output then'],
            ] as const
          ).map(([key, head]) => ({
            id: key,
            head,
            figures: true,
            cell: (row: InjectionSheet['rows'][number]) => formatQuantity(row[key], 'V', { digits: 2 }),
          })),
          {
            id: 'by',
            head: 'bounded by',
            className: 'text-body-secondary',
            cell: ({ by }) => (by === 'output' ? '1 % of the output' : 'a tenth of the comparator’s range'),
          },
        ]}
      />
      <Button
        size="sm"
        variant="outline-secondary"
        onClick={() => handOver('injection.csv', new Blob([text()], { type: 'text/csv' }))}
      >
        Save as CSV
      </Button>
    </section>
  );
}
