import { useMemo } from 'react';
import Table from 'react-bootstrap/Table';
import { formatQuantity, loopTargets, type Corner, type Design, type LoopCorner, type LoopCorners } from '@yundro/core';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import css from './loop.module.css';

export const cornerWords = ({ inputVoltage, outputCurrent }: Corner): string =>
  `${formatQuantity(inputVoltage, 'V')}, ${formatQuantity(outputCurrent, 'A')}`;

export const DASHES: readonly (readonly number[])[] = [[], [6, 3], [2, 2], [8, 3, 2, 3], [1, 3], [10, 4]];

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
  const verdicts = useMemo(
    () =>
      shown.map((corner) =>
        Object.fromEntries(loopTargets(design, { corners: [corner] }).map(({ id, verdict }) => [id, verdict])),
      ),
    [shown, design],
  );
  return (
    <Table size="sm" borderless className={css['corners']} data-testid="loop-corners">
      <thead>
        <tr>
          <th scope="col">corner</th>
          <th scope="col">crossover</th>
          <th scope="col" title="phase margin">
            phase
          </th>
          <th scope="col" title="gain margin">
            gain
          </th>
          <th scope="col" title="nearest that the loop gain comes to −1">
            to −1
          </th>
        </tr>
      </thead>
      <tbody>
        {shown.map((corner, k) => (
          <tr key={`${cornerWords(corner)} ${corner.parts ?? ''}`} title={corner.parts}>
            <th scope="row" className="font-monospace">
              {cornerWords(corner)} {corner.parts === undefined ? corner.conductionMode : 'worst part'}
            </th>
            <td className="font-monospace" data-verdict={verdicts[k]!['crossover']}>
              {corner.crossoverFrequency === null ? 'none' : formatQuantity(corner.crossoverFrequency, 'Hz')}
            </td>
            <td className="font-monospace" data-verdict={verdicts[k]!['phaseMargin']}>
              {corner.phaseMargin === null ? 'none' : `${corner.phaseMargin.toFixed(0)}°`}
            </td>
            <td className="font-monospace" data-verdict={verdicts[k]!['gainMargin']}>
              {corner.gainMargin === null ? 'no end' : `${corner.gainMargin.toFixed(1)} dB`}
            </td>
            <td className="font-monospace">{corner.vectorMargin.distance.toFixed(2)}</td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

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
            name: corner.parts === undefined ? cornerWords(corner) : '',
            ...(corner.parts === undefined ? {} : { ghost: true }),
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
  }, [corners, allowed]);
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
