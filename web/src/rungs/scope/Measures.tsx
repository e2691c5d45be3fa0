import { useMemo } from 'react';
import { digitsApart, formatQuantity, type Unit } from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { Plot, type Lane } from '../../plots/Plot.tsx';
import type { ScopeAnswer, ScopeRun } from './answers.ts';
import { leadPickup } from './measures.ts';
import { type Shifted } from './settings.ts';
import css from './scope.module.css';

interface Row {
  name: string;
  unit: Unit;
  digits: number;
  values: (number | undefined)[];
}

/** Figures of each run, the revision's and the capture's beside them. */
export function Measures({
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
  const rests = scenario === 'steady-state' || scenario === 'light-load' || scenario === 'open-loop';
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
    (): Column<Row>[] => [
      { id: 'name', head: 'measured', cell: ({ name }) => name },
      ...heads.map((head, k) => ({
        id: String(k),
        head,
        figures: true,
        cell: ({ values, unit, digits }: Row) => {
          const value = values[k];
          // what rounding leaves of nothing is nothing
          if (value === Infinity) return 'not settled';
          return value === undefined ? '' : formatQuantity(Math.abs(value) < 1e-12 ? 0 : value, unit, { digits });
        },
      })),
    ],
    [heads],
  );
  const steady = runs[0]?.steadyState;
  return (
    <section aria-label="Measured" data-testid="measured">
      <DataTable borderless className={css['measures']} rows={rows} columns={columns} rowKey={({ name }) => name} />
      {scenario === 'steady-state' && steady ? (
        <p className="text-body-secondary">
          {steady.periodic && steady.growth !== undefined
            ? `Each period repeats the last; a disturbance shrinks to ${shrunk(steady.growth)} of itself in one.`
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
  const row = (
    name: string,
    unit: Unit,
    of: (run: ScopeRun) => number | undefined,
    captured?: number,
    digits = 3,
  ): Row => ({ name, unit, digits, values: [...all.map(of), ...(capture ? [captured] : [])] });
  // an output is told from its own lowest and highest
  const outputDigits = Math.max(
    3,
    ...all.map(
      ({
        measurements: {
          outputVoltage: { max, peakToPeak },
        },
      }) => digitsApart(max, peakToPeak),
    ),
  );
  const volts = channel?.unit === 'A' ? undefined : seen;
  const amperes = channel?.unit === 'A' ? seen : undefined;
  const rows = [
    row('undershoot', 'V', ({ measurements: m }) => m.undershoot, volts && volts.before - volts.min),
    row('overshoot', 'V', ({ measurements: m }) => m.overshoot, volts && volts.max - volts.before),
    row('settled after', 's', ({ measurements: m }) => m.settlingTime),
    row('undershoot back', 'V', ({ measurements: m }) => m.release?.undershoot),
    row('overshoot back', 'V', ({ measurements: m }) => m.release?.overshoot),
    row('rise, 10 to 90 %', 's', ({ rise }) => rise?.time),
    row('output, average', 'V', ({ measurements: m }) => m.outputVoltage.average, volts?.average, outputDigits),
    row('output, lowest', 'V', ({ measurements: m }) => m.outputVoltage.min, volts?.min, outputDigits),
    row('output, highest', 'V', ({ measurements: m }) => m.outputVoltage.max, volts?.max, outputDigits),
    row(
      'output, peak to peak',
      'V',
      ({ measurements: m }) => m.outputVoltage.peakToPeak,
      volts && volts.max - volts.min,
    ),
    row('the same within 20 MHz', 'V', ({ limitedRipple }) => (rests ? limitedRipple : undefined)),
    row('about, with a long ground lead', 'V', ({ limitedRipple, measurements: m }) =>
      rests && m.inductorCurrent[0] ? limitedRipple + leadPickup(m.inductorCurrent[0]) : undefined,
    ),
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

/** To what a disturbance shrinks, with as many digits as tell it from all of it. */
function shrunk(growth: number): string {
  const digits = [3, 4, 5, 6, 7].find((count) => Number(growth.toPrecision(count)) < 1) ?? 8;
  return formatQuantity(growth, '%', { digits });
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
