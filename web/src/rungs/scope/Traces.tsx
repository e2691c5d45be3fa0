import { useEffect, useMemo } from 'react';
import Button from 'react-bootstrap/Button';
import { formatQuantity, type Unit } from '@yundro/core';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { setLink } from '../../plots/links.ts';
import type { ScopeAnswer, ScopeRun } from './answers.ts';
import { setScope, type Shifted } from './settings.ts';
import css from './scope.module.css';

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

export function LanePicks({ shown, run, plane }: { shown: readonly string[]; run: ScopeRun; plane: boolean }) {
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

export function Traces({
  runs,
  event,
  allowed,
  shown,
  then,
  capture,
}: {
  runs: readonly ScopeRun[];
  event: ScopeAnswer['event'];
  allowed: ScopeAnswer['allowed'];
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
        if (allowed && kind.id === 'output') traces.push(...limits(allowed, runs[0]!.traces.time));
        return {
          id: kind.id,
          name: kind.name,
          unit: kind.unit,
          kind: kind.kind,
          traces: [...ghosts, ...traces],
          fits: true,
        };
      }),
    [runs, allowed, shown, then, channel, moved],
  );
  const end = Math.max(...runs.map(({ traces }) => traces.time[traces.time.length - 1] ?? 0));
  const begin = Math.min(...runs.map(({ traces }) => traces.time[0] ?? 0));
  const across = useMemo(() => ({ name: 'time', unit: 's' as const, min: begin, max: end }), [begin, end]);
  // another event is opened where it is seen; what was drawn out by hand stays with its own
  const [from, to] = [event?.from, event?.to];
  useEffect(() => {
    setLink('scope', { range: from === undefined || to === undefined ? undefined : { min: from, max: to } });
  }, [from, to]);
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
      height={Math.max(300, 40 + lanes.length * 148)}
    />
  );
}

/** What the brief allows while the load steps, as lines. */
function limits({ low, high }: NonNullable<ScopeAnswer['allowed']>, time: Float64Array): Trace[] {
  const x = [time[0]!, time[time.length - 1]!];
  return [low, high].map((value) => ({ name: '', x, y: [value, value], ink: '--missed', dash: [2, 3] }));
}

const laneFor = (unit: 'V' | 'A' | ''): string => (unit === 'A' ? 'inductor' : 'output');

/** The inductor's current against the output's voltage: the way back to rest as one line. */
export function Plane({ runs }: { runs: readonly ScopeRun[] }) {
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
