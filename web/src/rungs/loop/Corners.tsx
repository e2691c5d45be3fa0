import { useMemo } from 'react';
import {
  formatQuantity,
  loopTargets,
  metByStep,
  type Corner,
  type Design,
  type LoopCorner,
  type LoopCorners,
} from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import css from './loop.module.css';

export const cornerWords = ({ inputVoltage, outputCurrent }: Corner): string =>
  `${formatQuantity(inputVoltage, 'V')}, ${formatQuantity(outputCurrent, 'A')}`;

export const DASHES: readonly (readonly number[])[] = [[], [6, 3], [2, 2], [8, 3, 2, 3], [1, 3], [10, 4]];

interface Judged {
  corner: LoopCorner;
  verdicts: Readonly<Record<string, string>>;
}

const COLUMNS: readonly Column<Judged>[] = [
  {
    id: 'corner',
    head: 'corner',
    figures: true,
    cell: ({ corner }) => `${cornerWords(corner)} ${corner.parts === undefined ? corner.conductionMode : 'worst part'}`,
  },
  {
    id: 'crossover',
    head: 'crossover',
    figures: true,
    cell: ({ corner: { crossoverFrequency: f } }) => (f === null ? 'none' : formatQuantity(f, 'Hz')),
    sort: ({ corner }) => corner.crossoverFrequency ?? undefined,
    attributes: ({ verdicts }) => ({ 'data-verdict': verdicts['crossover'] }),
  },
  {
    id: 'phase',
    head: 'phase',
    hint: 'phase margin',
    figures: true,
    cell: ({ corner: { phaseMargin } }) => (phaseMargin === null ? 'none' : `${phaseMargin.toFixed(0)}°`),
    sort: ({ corner }) => corner.phaseMargin ?? undefined,
    attributes: ({ verdicts }) => ({ 'data-verdict': verdicts['phaseMargin'] }),
  },
  {
    id: 'gain',
    head: 'gain',
    hint: 'gain margin; none where the phase does not reach −180° below half the switching frequency',
    figures: true,
    cell: ({ corner: { gainMargin } }) => (gainMargin === null ? 'none' : `${gainMargin.toFixed(1)} dB`),
    sort: ({ corner }) => corner.gainMargin ?? undefined,
    attributes: ({ verdicts }) => ({ 'data-verdict': verdicts['gainMargin'] }),
  },
  {
    id: 'vector',
    head: 'vector',
    hint: 'vector margin: the nearest that the loop gain comes to −1',
    figures: true,
    cell: ({ corner }) => corner.vectorMargin.distance.toFixed(2),
    sort: ({ corner }) => corner.vectorMargin.distance,
  },
];

/** Each corner's margins, judged. */
export function Corners({ answer, design }: { answer: LoopCorners; design: Design }) {
  const shown = useMemo(() => {
    const varied = answer.corners.filter(({ parts }) => parts !== undefined);
    const plain = answer.corners.filter(({ parts }) => parts === undefined);
    const [first, ...rest] = varied;
    if (!first) return plain;
    // of what parts make of it the corner that comes nearest to −1
    return [...plain, rest.reduce((a, b) => (b.vectorMargin.distance < a.vectorMargin.distance ? b : a), first)];
  }, [answer.corners]);
  const judged = useMemo(
    () =>
      shown.map((corner): Judged => ({
        corner,
        verdicts: Object.fromEntries(
          loopTargets(design, { corners: [corner] }).map(({ id, verdict }) => [id, verdict]),
        ),
      })),
    [shown, design],
  );
  return (
    <DataTable
      borderless
      className={css['corners']}
      testId="loop-corners"
      rows={judged}
      rowKey={({ corner }) => `${cornerWords(corner)} ${corner.parts ?? ''}`}
      rowAttributes={({ corner }) => ({ title: corner.parts })}
      columns={COLUMNS}
    />
  );
}

/** A corner, and whether the load step that the line is drawn for comes to it at all. */
const impedanceWords = (corner: LoopCorner, { brief }: Design): string =>
  `${cornerWords(corner)}${metByStep(brief, corner.outputCurrent) ? '' : ', below the step'}`;

/** The closed loop's output impedance, under what the load step allows. */
export function Impedance({ corners, design }: { corners: readonly LoopCorner[]; design: Design }) {
  const { loadStep } = design.brief;
  const allowed =
    loadStep?.deviation === undefined ? undefined : loadStep.deviation / Math.abs(loadStep.to - loadStep.from);
  const lanes = useMemo((): Lane[] => {
    const { frequency } = corners[0]!.loop;
    const ends = [frequency[0]!, frequency[frequency.length - 1]!];
    return [
      {
        id: 'y',
        name: 'output impedance',
        unit: 'Ω',
        log: true,
        traces: [
          ...corners.map((corner, k): Trace => ({
            name: corner.parts === undefined ? impedanceWords(corner, design) : '',
            ...(corner.parts === undefined && metByStep(design.brief, corner.outputCurrent) ? {} : { ghost: true }),
            x: corner.loop.frequency,
            y: corner.outputImpedance,
            ink: '--volt',
            dash: DASHES[k % DASHES.length]!,
          })),
          ...(allowed === undefined
            ? []
            : [
                {
                  name: '',
                  x: ends,
                  y: [allowed, allowed],
                  ink: '--missed',
                  label: { text: 'allowed by the load step', at: ends[0]! * 60 },
                },
              ]),
        ],
      },
    ];
  }, [corners, allowed, design]);
  const across = useMemo(() => ({ name: 'frequency', unit: 'Hz' as const, log: true }), []);
  return (
    <Plot
      title="Output impedance, closed"
      summary="Each corner’s output impedance with the loop closed, and what the load step allows."
      link="loop"
      across={across}
      lanes={lanes}
      height={230}
    />
  );
}
