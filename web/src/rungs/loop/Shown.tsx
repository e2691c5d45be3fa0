import { lazy, Suspense, useCallback, useMemo, useRef } from 'react';
import Form from 'react-bootstrap/Form';
import {
  formatQuantity,
  moveCorner,
  moveSampled,
  NETWORK_CORNERS,
  networkCorners,
  worstThrough,
  type CompensatorParts,
  type Corner,
  type Design,
  type DigitalParts,
  type LoopCorners,
  type NetworkCorner,
} from '@yundro/core';
import { markDrawn } from '../../app/mark.ts';
import type { Handle } from '../../plots/Handles.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { liveSolver } from '../../workers/solver.ts';
import { cornerWords, DASHES } from './Corners.tsx';
import { ACROSS, bodeLanes } from './over.ts';
import { Compared } from './Compared.tsx';
import { Measured } from './Measured.tsx';
import { Stepped } from './Stepped.tsx';
import { SHOWN, setLoop, useLoop, type ShownOf } from './settings.ts';
import { SourceView } from './SourceView.tsx';
import { keepEquation, keepNetwork } from './keep.ts';
import css from './loop.module.css';
import page from '../../app/page.module.css';

// with the typesetter, which nothing else of the rung needs
const Witnessed = lazy(async () => ({ default: (await import('./Witnessed.tsx')).Witnessed }));

interface ShownProps {
  answer: LoopCorners;
  /** the same with a network that is being dragged */
  shown: LoopCorners;
  design: Design;
}

/** What is looked at over frequency, by choice. */
export function Shown({ answer, shown, design }: ShownProps) {
  const of = useLoop((state) => state.shown);
  const chosen = useLoop((state) => state.corner);
  const corner = answer.corners.find(
    ({ inputVoltage, outputCurrent }) =>
      inputVoltage === chosen?.inputVoltage && outputCurrent === chosen.outputCurrent,
  ) ?? {
    inputVoltage: design.brief.inputVoltage.nominal,
    outputCurrent: design.brief.outputCurrent.max,
  };
  const single = of === 'witnesses' || of === 'measured' || of === 'step';
  return (
    <section aria-label="Over frequency">
      <div className={page['row-head']}>
        <h2>Over frequency</h2>
        <Form.Select
          size="sm"
          aria-label="Shown over frequency"
          className={page['pick']}
          value={of}
          onChange={(event) => setLoop({ shown: event.target.value as ShownOf })}
        >
          {Object.entries(SHOWN).map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Form.Select>
        {of === 'loop' || of === 'plant' || of === 'nyquist' || of === 'audio' ? <Spread /> : null}
        {single ? (
          <CornerPick corner={corner} corners={answer.corners.filter(({ parts }) => parts === undefined)} />
        ) : null}
      </div>
      {of === 'nyquist' ? (
        <Nyquist answer={shown} />
      ) : of === 'witnesses' ? (
        <Suspense fallback={null}>
          <Witnessed corner={corner} />
        </Suspense>
      ) : of === 'ramp' || of === 'conduction' ? (
        <Compared of={of} />
      ) : of === 'audio' ? (
        <Susceptibility answer={shown} />
      ) : of === 'source' ? (
        <SourceView />
      ) : of === 'step' ? (
        <Stepped corner={corner} />
      ) : of === 'measured' ? (
        <Measured corner={corner} design={design} />
      ) : (
        <Bode answer={shown} of={of} />
      )}
    </section>
  );
}

/** Whether tolerance, age and derating of the parts are laid over the corners of line and load. */
function Spread() {
  const spread = useLoop((state) => state.spread);
  return (
    <Form.Check
      id="loop-spread"
      className="mb-0"
      label="parts varied too"
      title="Little or much capacitance, low or aged ESR, small or large inductance, at both ends of the line"
      checked={spread}
      onChange={(event) => setLoop({ spread: event.target.checked })}
    />
  );
}

function CornerPick({ corner, corners }: { corner: Corner; corners: readonly Corner[] }) {
  return (
    <Form.Select
      size="sm"
      aria-label="Corner looked at"
      className={page['pick']}
      value={cornerWords(corner)}
      onChange={(event) => setLoop({ corner: corners.find((one) => cornerWords(one) === event.target.value) })}
    >
      {corners.map((one) => (
        <option key={cornerWords(one)}>{cornerWords(one)}</option>
      ))}
    </Form.Select>
  );
}

const SIGNS: Record<NetworkCorner, string> = { zero: '○', pole: '×', leadZero: '○', leadPole: '×' };

/** What closes the loop, by its zeros and poles: where they are, what it is with one of them elsewhere, and how it is kept. */
interface Movable {
  handles: Handle[];
  at: (id: string, frequency: number) => CompensatorParts | DigitalParts;
  keep: (id: string, frequency: number) => void;
}

function movableOf({ network, digital }: LoopCorners): Movable | undefined {
  if (network) {
    const at = (id: string, frequency: number): CompensatorParts => moveCorner(network, id as NetworkCorner, frequency);
    return {
      handles: (Object.entries(networkCorners(network)) as [NetworkCorner, number][]).map(([id, place]) => ({
        id,
        name: NETWORK_CORNERS[id],
        sign: SIGNS[id],
        row: id.startsWith('lead') ? 1 : 0,
        at: place,
      })),
      at,
      keep: (id, frequency) => keepNetwork(at(id, frequency)),
    };
  }
  if (!digital) return undefined;
  const count = { zero: 0, pole: 0 };
  return {
    handles: digital.corners.map(({ id, kind, frequency, root }) => ({
      id,
      name: `${root[1] === 0 ? kind : `pair of ${kind}s`} ${(count[kind] += 1)} of the equation`,
      sign: SIGNS[kind],
      row: count[kind] - 1,
      at: frequency,
    })),
    at: (id, frequency) => moveSampled(digital, id, frequency),
    keep: (id, frequency) => keepEquation(moveSampled(digital, id, frequency)),
  };
}

function Bode({ answer, of }: { answer: LoopCorners; of: 'loop' | 'plant' | 'compensator' }) {
  const { corners, compensator } = answer;
  const lanes = useMemo(
    () =>
      bodeLanes(
        of === 'compensator'
          ? compensator
            ? [{ name: '', curve: compensator }]
            : []
          : corners.map((corner) => ({
              name: cornerWords(corner),
              curve: corner[of],
              ...(corner.parts === undefined ? {} : { ghost: true, dash: [], ink: '--freq' }),
            })),
      ),
    [corners, compensator, of],
  );
  const movable = useMemo(() => movableOf(answer), [answer]);
  const dragging = useDragging(answer, movable);
  const handles = of === 'plant' || !movable ? undefined : { handles: movable.handles, ...dragging };
  return (
    <Plot
      title="Gain and phase"
      untitled
      stacked
      summary={`${SHOWN[of]} at ${corners.length} corners.`}
      link="loop"
      across={ACROSS}
      lanes={lanes}
      height={360}
      onDrawn={markDrawn}
      {...(handles ? { handles } : {})}
    />
  );
}

/** A zero or pole that moves: every corner follows at once, and the parts are held when it is let go. */
function useDragging({ network, digital, corners }: LoopCorners, movable: Movable | undefined) {
  // what is asked while an answer is on its way: the newest alone
  const wanted = useRef<CompensatorParts | DigitalParts | undefined>(undefined);
  const busy = useRef(false);
  const from = useRef<{ movable: Movable; corners: LoopCorners; sent: boolean } | undefined>(undefined);
  const follow = useCallback(async (): Promise<void> => {
    if (busy.current) return;
    busy.current = true;
    try {
      while (wanted.current && from.current) {
        const parts = wanted.current;
        wanted.current = undefined;
        const began = from.current;
        const dragged = await liveSolver.ask((solver) => {
          if (!began.sent) void solver.dragFrom(began.corners);
          began.sent = true;
          return solver.dragged(parts);
        });
        if (from.current) setLoop({ dragged });
      }
    } finally {
      busy.current = false;
    }
  }, []);
  return {
    onMove: (id: string, at: number, done: boolean): void => {
      if (!movable) return;
      from.current ??= {
        movable,
        corners: {
          corners,
          network,
          ...(digital ? { digital } : {}),
          compensator: undefined,
          assumed: [],
          warnings: [],
          troubles: [],
        },
        sent: false,
      };
      const began = from.current.movable;
      if (done) {
        from.current = undefined;
        wanted.current = undefined;
        setLoop({ dragged: undefined });
        began.keep(id, at);
        return;
      }
      wanted.current = began.at(id, at);
      void follow();
    },
    onCancel: (): void => {
      from.current = undefined;
      wanted.current = undefined;
      setLoop({ dragged: undefined });
    },
    step: (id: string, at: number, sign: 1 | -1): number => {
      if (!network) return at * 1.02 ** sign;
      const which = id as NetworkCorner;
      // until a stock value farther on is met
      for (let by = 1.02; by < 4; by *= 1.02) {
        const next = networkCorners(moveCorner(network, which, at * by ** sign))[which] ?? at;
        if (Math.abs(Math.log(next / at)) > 1e-6) return next;
      }
      return at;
    },
  };
}

/** How much of what moves at the input comes through to the output, the loop closed. */
function Susceptibility({ answer: { corners } }: { answer: LoopCorners }) {
  const lanes = useMemo(
    (): Lane[] => [
      {
        id: 'y',
        name: 'output over input, dB',
        unit: '',
        traces: corners.map((corner, k): Trace => ({
          name: corner.parts === undefined ? cornerWords(corner) : '',
          x: corner.loop.frequency,
          y: corner.audioSusceptibility.map((size) => 20 * Math.log10(size)),
          ink: '--freq',
          dash: corner.parts === undefined ? DASHES[k % DASHES.length]! : [],
          ...(corner.parts === undefined ? {} : { ghost: true }),
        })),
      },
    ],
    [corners],
  );
  const worst = useMemo(() => worstThrough(corners), [corners]);
  return (
    <>
      <Plot
        title="Source to output"
        untitled
        summary={`How far the output follows the input at ${corners.length} corners.`}
        link="loop"
        across={ACROSS}
        lanes={lanes}
        height={340}
      />
      {worst ? (
        <p className={css['words']}>
          Most comes through at {formatQuantity(worst.frequency, 'Hz')} ({cornerWords(worst.corner)}
          {worst.corner.parts === undefined ? '' : `, ${worst.corner.parts}`}): of 100 mV at the input{' '}
          {formatQuantity(0.1 * worst.size, 'V')} at the output.
        </p>
      ) : null}
    </>
  );
}

/** Times −1's distance that a Nyquist picture shows: what lies farther out says nothing about stability. */
const NEAR = 2.5;

function Nyquist({ answer }: { answer: LoopCorners }) {
  const lanes = useMemo((): Lane[] => {
    const circle = Array.from({ length: 73 }, (_, k) => (k * Math.PI) / 36);
    const least = Math.min(...answer.corners.map(({ vectorMargin }) => vectorMargin.distance));
    return [
      {
        id: 'y',
        name: 'imaginary part',
        unit: '',
        min: -NEAR,
        max: NEAR,
        traces: [
          ...answer.corners.map((corner, k): Trace => {
            const points = corner.nyquist;
            return {
              name: corner.parts === undefined ? cornerWords(corner) : '',
              ...(corner.parts === undefined ? {} : { ghost: true }),
              x: points.map(([re]) => re),
              y: points.map(([, im]) => im),
              ink: '--freq',
              dash: DASHES[k % DASHES.length]!,
              wanders: true,
            };
          }),
          {
            name: '',
            x: circle.map((angle) => -1 + least * Math.cos(angle)),
            y: circle.map((angle) => least * Math.sin(angle)),
            ink: '--missed',
            wanders: true,
            dash: [3, 3],
          },
          { name: '−1', x: [-1], y: [0], ink: '--missed', marks: 'circle' },
        ],
      },
    ];
  }, [answer.corners]);
  const least = Math.min(...answer.corners.map(({ vectorMargin }) => vectorMargin.distance));
  const across = useMemo(() => ({ name: 'real part', unit: '' as const, min: -NEAR, max: NEAR }), []);
  return (
    <>
      <Plot
        title="Nyquist"
        untitled
        summary={`The loop gain of ${answer.corners.length} corners about −1.`}
        link="nyquist"
        across={across}
        lanes={lanes}
        height={400}
      />
      <p className={css['words']}>
        The nearest that any corner comes to −1 is {least.toFixed(2)}, the circle’s radius: a gain that drifts by less
        than that part of itself, with any phase, cannot make it oscillate.
      </p>
    </>
  );
}
