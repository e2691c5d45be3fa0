import { useMemo, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Table from 'react-bootstrap/Table';
import {
  formatQuantity,
  hold,
  loopTargets,
  valueAt,
  type CompensatorParts,
  type Design,
  type LoopCorner,
  type LoopCorners,
  type Unit,
} from '@yundro/core';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Working } from '../../app/Working.tsx';
import { PathField } from '../../fields/PathField.tsx';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { edit, useDocument, useSolved } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import css from './loop.module.css';
import page from '../../app/page.module.css';

/** Plant, compensator and loop at every corner: where it crosses over, with which margins, and what the output then is. */
export default function LoopRung() {
  const run = useLongAnswer('loop');
  const { answer } = run;
  const design = useDocument((state) => state.document!);
  return (
    <div className={css['loop']}>
      <Working run={run} of="The loop at every corner" />
      {answer ? (
        <>
          {answer.assumed.length + answer.troubles.length > 0 ? (
            <Notices>
              {answer.assumed.map((words) => (
                <p key={words}>{words}</p>
              ))}
              {answer.troubles.map(({ at, message }) => (
                <p key={`${at.inputVoltage}/${at.outputCurrent}`}>
                  {cornerWords(at)}: {message}
                </p>
              ))}
            </Notices>
          ) : null}
          {answer.corners.length > 0 ? (
            <div className={css['columns']}>
              <ErrorBoundary of="The loop over frequency">
                <Bode answer={answer} />
              </ErrorBoundary>
              <div>
                <ErrorBoundary of="The corners">
                  <Corners answer={answer} design={design} />
                </ErrorBoundary>
                <ErrorBoundary of="The output impedance">
                  <Impedance corners={answer.corners} design={design} />
                </ErrorBoundary>
              </div>
            </div>
          ) : null}
          <ErrorBoundary of="The network">
            <Network answer={answer} />
            {answer.network ? <Placing design={design} /> : null}
          </ErrorBoundary>
        </>
      ) : run.state === 'working' ? (
        <p className="text-body-secondary">Opening the loop at each corner…</p>
      ) : null}
    </div>
  );
}

const cornerWords = ({ inputVoltage, outputCurrent }: { inputVoltage: number; outputCurrent: number }): string =>
  `${formatQuantity(inputVoltage, 'V')}, ${formatQuantity(outputCurrent, 'A')}`;

const DASHES: readonly (readonly number[])[] = [[], [6, 3], [2, 2], [8, 3, 2, 3], [1, 3], [10, 4]];

/** Which of the three is looked at. */
const SHOWN = { loop: 'loop gain', plant: 'plant: control to output', compensator: 'compensator' } as const;
type ShownOf = keyof typeof SHOWN;

function Bode({ answer }: { answer: LoopCorners }) {
  const [shown, setShown] = useState<ShownOf>('loop');
  const { corners, compensator } = answer;
  const lanes = useMemo((): Lane[] => {
    const curves =
      shown === 'compensator'
        ? compensator
          ? [{ name: '', curve: compensator }]
          : []
        : corners.map((corner) => ({ name: cornerWords(corner), curve: corner[shown] }));
    const traces = (ink: string, of: 'gain' | 'phase'): Trace[] =>
      curves.map(({ name, curve }, k) => ({
        name,
        x: curve.frequency,
        y: curve[of],
        ink,
        dash: DASHES[k % DASHES.length]!,
      }));
    const { frequency } = curves[0]?.curve ?? { frequency: [1, 2] };
    const ends = [frequency[0]!, frequency[frequency.length - 1]!];
    const level = (at: number): Trace => ({ name: '', x: ends, y: [at, at], ink: '--soft', ghost: true });
    return [
      { id: 'gain', name: 'gain, dB', unit: '', kind: 'frequency', traces: [level(0), ...traces('--freq', 'gain')] },
      {
        id: 'phase',
        name: 'phase, degrees',
        unit: '',
        kind: 'phase',
        traces: [level(-180), ...traces('--volt', 'phase')],
      },
    ];
  }, [corners, compensator, shown]);
  const across = useMemo(() => ({ name: 'frequency', unit: 'Hz' as const, log: true }), []);
  return (
    <section aria-label="Over frequency">
      <div className={page['row-head']}>
        <h2>Over frequency</h2>
        <Form.Select
          size="sm"
          aria-label="Shown over frequency"
          className={page['pick']}
          value={shown}
          onChange={(event) => setShown(event.target.value as ShownOf)}
        >
          {Object.entries(SHOWN).map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Form.Select>
      </div>
      <Plot
        title="Gain and phase"
        untitled
        stacked
        summary={`${SHOWN[shown]} at ${corners.length} corners.`}
        link="loop"
        across={across}
        lanes={lanes}
        height={360}
      />
    </section>
  );
}

function Corners({ answer, design }: { answer: LoopCorners; design: Design }) {
  const verdicts = useMemo(
    () =>
      answer.corners.map((corner) =>
        Object.fromEntries(loopTargets(design, { corners: [corner] }).map(({ id, verdict }) => [id, verdict])),
      ),
    [answer.corners, design],
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
        {answer.corners.map((corner, k) => (
          <tr key={cornerWords(corner)}>
            <th scope="row" className="font-monospace">
              {cornerWords(corner)} {corner.conductionMode}
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
function Impedance({ corners, design }: { corners: readonly LoopCorner[]; design: Design }) {
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
            name: cornerWords(corner),
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
                  label: { text: 'allowed by the load step', at: ends[0]! * 3 },
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

const PARTS: readonly (readonly [key: keyof CompensatorParts, label: string, unit: Unit])[] = [
  ['dividerTop', 'divider, top', 'Ω'],
  ['dividerBottom', 'divider, bottom', 'Ω'],
  ['feedbackResistor', 'feedback resistor', 'Ω'],
  ['feedbackCapacitor', 'feedback capacitor', 'F'],
  ['shuntCapacitor', 'shunt capacitor', 'F'],
  ['inputResistor', 'lead resistor', 'Ω'],
  ['inputCapacitor', 'lead capacitor', 'F'],
  ['transconductance', 'transconductance', 'A/V'],
  ['gainBandwidth', 'gain–bandwidth', 'Hz'],
];

/** Zeros and poles by the k-factor, where the gain is highest, in parts that are made. */
function Placing({ design }: { design: Design }) {
  const [wanted, setWanted] = useState<{ crossover: number | undefined; phaseMargin: number }>({
    crossover: undefined,
    phaseMargin: 60,
  });
  const [words, setWords] = useState<string>();
  const frequency = useSolved((state) => state.decisions?.switchingFrequency) ?? 4e5;
  const crossover = wanted.crossover ?? Number((frequency / 10).toPrecision(2));
  const place = async (): Promise<void> => {
    const { placed, trouble } = await backgroundSolver.ask((solver) =>
      solver.place(design, { crossover, phaseMargin: wanted.phaseMargin }),
    );
    if (placed) edit((document) => hold(document, 'compensator', placed.compensator));
    setWords(
      placed
        ? `Placed at ${cornerWords(placed.at)}, where the gain is highest: ${placed.boost.toFixed(0)}° are added, zeros and poles stand ${placed.k.toFixed(1)} apart.`
        : trouble,
    );
  };
  return (
    <>
      <div className={css['placing']}>
        <QuantityField
          small
          label="cross over at"
          unit="Hz"
          value={crossover}
          onChange={(value) => setWanted({ ...wanted, crossover: value })}
        />
        <QuantityField
          small
          label="with a margin of, degrees"
          unit=""
          value={wanted.phaseMargin}
          check={(value) => (value > 0 && value < 90 ? undefined : 'A margin lies between 0 and 90 degrees.')}
          onChange={(value) => setWanted({ ...wanted, phaseMargin: value ?? 60 })}
        />
        <Button
          size="sm"
          variant="outline-secondary"
          onClick={() => {
            place().catch((error: unknown) => setWords(`The network was not placed: ${String(error)}.`));
          }}
        >
          Place zeros and poles
        </Button>
      </div>
      <p role="status" className="text-body-secondary">
        {words}
      </p>
    </>
  );
}

/** The amplifier's network by its parts: typed, they are held; what was taken can be held as it is. */
function Network({ answer: { network } }: { answer: LoopCorners }) {
  const held = useDocument((state) => valueAt(state.document, 'decisions.compensator') as CompensatorParts | undefined);
  if (!network) return <p className="text-body-secondary">This controller has no amplifier network.</p>;
  const type = held?.type ?? network.type ?? 1;
  const amplifier = held?.amplifier ?? network.amplifier ?? 'op-amp';
  const put = (change: Partial<CompensatorParts>): void =>
    edit((document) => hold(document, 'compensator', { ...network, ...held, ...change }));
  return (
    <section aria-label="Network" data-testid="network">
      <div className={page['row-head']}>
        <h2>Network</h2>
        <Form.Select
          size="sm"
          aria-label="Type of the network"
          className={page['pick']}
          value={type}
          onChange={(event) => put({ type: Number(event.target.value) as 1 | 2 | 3 })}
        >
          <option value={1}>type 1: an integrator</option>
          <option value={2}>type 2: and a zero and a pole</option>
          <option value={3}>type 3: and two of each</option>
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="Amplifier"
          className={page['pick']}
          value={amplifier}
          onChange={(event) => put({ amplifier: event.target.value as 'op-amp' | 'ota' })}
        >
          <option value="op-amp">operational amplifier</option>
          <option value="ota">transconductance amplifier</option>
        </Form.Select>
        {held ? null : (
          <Button size="sm" variant="outline-secondary" onClick={() => put({})}>
            Keep this network
          </Button>
        )}
      </div>
      <div className={css['network']}>
        {PARTS.map(([key, label, unit]) => {
          const taken = network[key];
          return (
            <PathField
              key={key}
              path={`decisions.compensator.${key}`}
              label={label}
              unit={unit}
              placeholder={typeof taken === 'number' ? formatQuantity(taken, unit) : 'none'}
            />
          );
        })}
      </div>
    </section>
  );
}
