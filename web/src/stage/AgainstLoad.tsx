import { useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { formatQuantity, loadRipple, type Design, type LightLoad, type OperatingPoint, type Unit } from '@yundro/core';
import { Plot, type Trace } from '../plots/Plot.tsx';
import { useAnswer } from '../topology/useAnswer.ts';
import { backgroundSolver } from '../workers/solver.ts';
import { useSolved } from '../stores/designStore.ts';

const ask = (design: Design) => backgroundSolver.ask((solver) => solver.sweeps(design));

const NAMES: Readonly<Record<LightLoad, string>> = {
  'forced-pwm': 'forced PWM',
  'diode-emulation': 'diode emulation',
  'pulse-skipping': 'pulse skipping',
  ultrasonic: 'ultrasonic',
};
const DASHES: Readonly<Record<LightLoad, number[]>> = {
  'forced-pwm': [],
  'diode-emulation': [6, 3],
  'pulse-skipping': [2, 2],
  ultrasonic: [8, 3, 2, 3],
};

interface Reading {
  id: string;
  name: string;
  unit: Unit;
  ink: string;
  log: boolean;
  read: (point: OperatingPoint) => number;
}
type Axis = 'load' | 'line' | 'duty';

const READINGS: readonly Reading[] = [
  {
    id: 'frequency',
    name: 'switching frequency',
    unit: 'Hz',
    ink: '--freq',
    log: true,
    read: (p) => p.switchingFrequency,
  },
  { id: 'ripple', name: 'output ripple', unit: 'V', ink: '--volt', log: false, read: loadRipple },
  {
    id: 'efficiency',
    name: 'efficiency, conduction only',
    unit: '%',
    ink: '--power',
    log: false,
    read: (p) => p.efficiency,
  },
  { id: 'duty', name: 'duty', unit: '%', ink: '--freq', log: false, read: (p) => p.duty },
  { id: 'peak', name: 'inductor peak', unit: 'A', ink: '--amp', log: false, read: (p) => p.inductorCurrent.peak },
  { id: 'valley', name: 'inductor valley', unit: 'A', ink: '--amp', log: false, read: (p) => p.inductorCurrent.valley },
];

const AXES = {
  load: { title: 'load', unit: 'A', log: true },
  line: { title: 'input', unit: 'V' },
  duty: { title: 'lossless duty, at the input that asks for it', unit: '%', min: 0, max: 1 },
} as const;

/** What each light-load policy does with frequency, ripple, efficiency and mode as the load falls. */
export function AgainstLoad() {
  const answer = useAnswer(ask);
  const own = useSolved((state) => state.result?.decisions.lightLoad);
  const [id, setId] = useState('frequency');
  const [axis, setAxis] = useState<Axis>('load');
  const reading = READINGS.find((r) => r.id === id)!;
  const traces = useMemo(
    (): Trace[] =>
      (axis === 'load' ? (answer?.overLoad ?? []) : [])
        .map(({ policy, points }): Trace => {
          const shown = points.filter((point) => !reading.log || reading.read(point) > 0);
          return {
            name: NAMES[policy],
            curve: { x: shown.map((p) => p.outputCurrent), y: shown.map((p) => reading.read(p)) },
            ink: reading.ink,
            dash: DASHES[policy],
            wide: policy === own,
          };
        })
        .filter((trace) => trace.curve.x.length > 0),
    [answer, reading, own, axis],
  );
  const boundary = useMemo(() => {
    const emulated = answer?.overLoad.find(({ policy }) => policy === 'diode-emulation')?.points;
    const last = emulated?.filter((point) => point.conductionMode === 'DCM').at(-1);
    return last ? { min: emulated![0]!.outputCurrent, max: last.outputCurrent, name: 'current stops' } : undefined;
  }, [answer]);
  const ownTraces = useMemo((): Trace[] => {
    const along =
      axis === 'line'
        ? answer?.overLine.map((curve) => ({ ...curve, x: curve.points.map((p) => p.inputVoltage) }))
        : answer?.overDuty.map((curve) => ({ ...curve, x: curve.duties }));
    return (along ?? [])
      .map(({ load, points, x }, i): Trace => ({
        name: `at ${formatQuantity(load, 'A')}`,
        curve: { x, y: points.map((p) => reading.read(p)) },
        ink: reading.ink,
        dash: i === 0 ? [] : [5, 3],
        wide: i === 0,
      }))
      .filter((trace) => trace.curve.x.length > 0 && (!reading.log || trace.curve.y.every((value) => value > 0)));
  }, [answer, reading, axis]);
  const x = useMemo(() => AXES[axis], [axis]);
  const y = useMemo(() => ({ title: reading.name, unit: reading.unit, log: reading.log }), [reading]);
  return (
    <section aria-label="Light-load policies" className="against-load">
      <div className="row-head">
        <h2>Over</h2>
        <Form.Select
          size="sm"
          className="corner-pick"
          aria-label="Axis"
          value={axis}
          onChange={(e) => setAxis(e.target.value as Axis)}
        >
          <option value="load">load, at nominal input, each light-load policy</option>
          <option value="line">line, as the design stands</option>
          <option value="duty">duty, as the design stands</option>
        </Form.Select>
        <Form.Select
          size="sm"
          className="corner-pick"
          aria-label="Quantity drawn"
          value={id}
          onChange={(e) => setId(e.target.value)}
        >
          {READINGS.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </Form.Select>
      </div>
      {answer ? (
        <Plot
          title={reading.name}
          summary={
            axis === 'load'
              ? 'One curve for each light-load policy; the policy in force is drawn wide.'
              : 'One curve at full load and one at the lightest.'
          }
          x={x}
          y={y}
          traces={axis === 'load' ? traces : ownTraces}
          span={axis === 'load' ? boundary : undefined}
        />
      ) : (
        <p className="soft">Solving along the load…</p>
      )}
    </section>
  );
}
