import { useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { type Design, type LightLoad, type OperatingPoint, type Unit } from '@yundro/core';
import { Plot, type Trace } from '../plots/Plot.tsx';
import { useAnswer } from '../topology/useAnswer.ts';
import { backgroundSolver } from '../workers/solver.ts';
import { useDesign } from '../stores/designStore.ts';

const ask = (design: Design) => backgroundSolver().lightLoad(design);

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
const READINGS: readonly Reading[] = [
  {
    id: 'frequency',
    name: 'switching frequency',
    unit: 'Hz',
    ink: '--freq',
    log: true,
    read: (p) => p.switchingFrequency,
  },
  { id: 'ripple', name: 'output ripple', unit: 'V', ink: '--volt', log: false, read: (p) => p.outputCapacitor.ripple },
  {
    id: 'efficiency',
    name: 'efficiency, losses listed',
    unit: '%',
    ink: '--power',
    log: false,
    read: (p) => p.efficiency,
  },
  { id: 'valley', name: 'inductor valley', unit: 'A', ink: '--amp', log: false, read: (p) => p.inductorCurrent.valley },
];

/** What each light-load policy does with frequency, ripple, efficiency and mode as the load falls. */
export function AgainstLoad() {
  const answer = useAnswer(ask);
  const own = useDesign((state) => state.result?.decisions.lightLoad);
  const [id, setId] = useState('frequency');
  const reading = READINGS.find((r) => r.id === id)!;
  const traces = useMemo(
    (): Trace[] =>
      (answer ?? [])
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
    [answer, reading, own],
  );
  const boundary = useMemo(() => {
    const emulated = answer?.find(({ policy }) => policy === 'diode-emulation')?.points;
    const last = emulated?.filter((point) => point.conductionMode === 'DCM').at(-1);
    return last ? { min: emulated![0]!.outputCurrent, max: last.outputCurrent, name: 'current stops' } : undefined;
  }, [answer]);
  const x = useMemo(() => ({ title: 'load', unit: 'A' as const, log: true }), []);
  const y = useMemo(() => ({ title: reading.name, unit: reading.unit, log: reading.log }), [reading]);
  return (
    <section aria-label="Light-load policies" className="against-load">
      <div className="row-head">
        <h2>Against load, at nominal input</h2>
        <Form.Select
          size="sm"
          className="corner-pick"
          aria-label="Quantity against load"
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
          summary="One curve for each light-load policy; the policy in force is drawn wide."
          x={x}
          y={y}
          traces={traces}
          span={boundary}
        />
      ) : (
        <p className="soft">Solving along the load…</p>
      )}
    </section>
  );
}
