import { useCallback, useMemo } from 'react';
import { formatQuantity, type ComparedCorner, type Comparison, type ComparisonOf, type Design } from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { useAnswer } from '../../workers/useAnswer.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { cornerWords, DASHES } from './Corners.tsx';
import { ACROSS, bodeLanes } from './over.ts';
import css from './loop.module.css';

const TIME = { name: 'time', unit: 's' as const };
const INKS = ['--freq', '--volt'] as const;

/** Two ways of running the same stage with the same network: loops, margins and the load steps that they give. */
export function Compared({ of }: { of: ComparisonOf }) {
  const ask = useCallback((design: Design) => backgroundSolver.ask((solver) => solver.compared(design, of)), [of]);
  const told = useAnswer(ask);
  const found = told?.found?.of === of ? told.found : undefined;
  const loops = useMemo(
    () =>
      bodeLanes(
        (found?.corners ?? []).map((corner, k, all) => ({
          // one name for all corners of a way: its colour
          name: all.findIndex(({ way }) => way === corner.way) === k ? found!.names[corner.way] : '',
          curve: corner.loop,
          ink: INKS[corner.way],
          dash: dashOf(found!, corner),
        })),
      ),
    [found],
  );
  const steps = useMemo((): Lane[] => (found ? [stepLane(found)] : []), [found]);
  const columns = useMemo(() => (found ? columnsOf(found) : []), [found]);
  if (told?.trouble) return <p className="text-body-secondary">{told.trouble}</p>;
  if (!found) return <p className="text-body-secondary">Running it both ways…</p>;
  return (
    <>
      <Plot
        title="Loop gain, both ways"
        untitled
        stacked
        legend
        summary={`The loop gain with ${found.names.join(' and ')}.`}
        link="loop"
        across={ACROSS}
        lanes={loops}
        height={300}
      />
      <Plot
        title={of === 'ramp' ? 'Load step' : 'Load step from the lightest load to half'}
        summary={`The load step with ${found.names.join(' and ')}.`}
        link="loop-step"
        across={TIME}
        lanes={steps}
        height={180}
      />
      <DataTable
        borderless
        className={css['features']}
        testId="compared"
        rows={found.corners}
        rowKey={(corner) => `${corner.way} ${cornerWords(corner)}`}
        columns={columns}
      />
      {[wordsOf(found), ...found.troubles].map((words) =>
        words === undefined ? null : (
          <p key={words} className={css['words']}>
            {words}
          </p>
        ),
      )}
    </>
  );
}

const dashOf = ({ corners }: Comparison, corner: ComparedCorner): readonly number[] =>
  DASHES[corners.filter(({ way }) => way === corner.way).indexOf(corner) % DASHES.length]!;

function stepLane(found: Comparison): Lane {
  return {
    id: 'y',
    name: 'from the average before',
    unit: 'V',
    traces: found.corners.flatMap((corner): Trace[] =>
      corner.step
        ? [
            {
              name: '',
              x: corner.step.time,
              y: corner.step.voltage,
              ink: INKS[corner.way],
              dash: dashOf(found, corner),
            },
          ]
        : [],
    ),
  };
}

function columnsOf({ names }: Comparison): Column<ComparedCorner>[] {
  return [
    { id: 'way', head: 'run with', cell: ({ way }) => names[way] },
    { id: 'at', head: 'corner', figures: true, cell: (corner) => `${cornerWords(corner)} ${corner.conductionMode}` },
    {
      id: 'crossover',
      head: 'crossover',
      figures: true,
      cell: ({ crossoverFrequency: f }) => (f === null ? 'none' : formatQuantity(f, 'Hz')),
      sort: ({ crossoverFrequency: f }) => f ?? undefined,
    },
    {
      id: 'phase',
      head: 'phase margin',
      figures: true,
      cell: ({ phaseMargin }) => (phaseMargin === null ? 'none' : `${phaseMargin.toFixed(0)}°`),
      sort: ({ phaseMargin }) => phaseMargin ?? undefined,
    },
    {
      id: 'moves',
      head: 'moves by',
      figures: true,
      cell: ({ step }) => (step ? formatQuantity(Math.max(step.undershoot, step.overshoot), 'V') : '—'),
      sort: ({ step }) => step && Math.max(step.undershoot, step.overshoot),
    },
  ];
}

/** What the figures say; nothing where a way has none. */
function wordsOf({ of, drift, corners }: Comparison): string | undefined {
  if (of === 'ramp') {
    const [fixed, follows] = drift;
    if (fixed === undefined || follows === undefined) return undefined;
    return `Over the line the crossover drifts by a factor of ${fixed.toFixed(2)} with a fixed ramp, and of ${follows.toFixed(2)} with one that follows the input${
      follows < fixed
        ? ': with it the network can be as fast at the lowest input as the highest allows.'
        : '; this plant’s gain does not go with the input alone, and the ramp that follows it gains nothing.'
    }`;
  }
  const [rests, goes] = ([0, 1] as const).map((way) => corners.find((corner) => corner.way === way));
  if (!rests || !goes) return undefined;
  if (rests.conductionMode === 'CCM')
    return 'At the lightest load the current does not reach zero either way: the two are one.';
  const [slow, fast] = [rests.crossoverFrequency, goes.crossoverFrequency];
  if (slow === null || fast === null) return undefined;
  return slow < fast
    ? `Where the current rests each period the crossover falls to ${formatQuantity(slow / fast, '%')} of what it is where it may flow back: the inductor’s pole moves far up and the gain falls.`
    : 'Where the current rests each period the crossover is no lower here than where it may flow back.';
}
