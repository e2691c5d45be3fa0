import { useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { formatQuantity, type Curve, type Design, type Figures, type LightLoad, type QuantityId } from '@yundro/core';
import { Plot, type Trace } from '../plots/Plot.tsx';
import { useAnswer } from '../topology/useAnswer.ts';
import type { SWEPT } from '../workers/answers.ts';
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

type Axis = 'load' | 'line' | 'duty';

/** How each quantity that a sweep can draw is inked, and whether by decades. */
const INKS: Readonly<Record<(typeof SWEPT)[number], { ink: string; log?: boolean }>> = {
  switchingFrequency: { ink: '--freq', log: true },
  outputRipple: { ink: '--volt' },
  loadRipple: { ink: '--volt' },
  efficiency: { ink: '--power' },
  duty: { ink: '--freq' },
  inductorPeak: { ink: '--amp' },
  inductorValley: { ink: '--amp' },
};

/** A curve of one quantity, where it has a value (above nothing, by decades). */
function curveOf(x: readonly number[], figures: readonly Figures[], id: QuantityId, log: boolean): Curve {
  const values = figures.find((row) => row.id === id)?.values ?? [];
  const shown = x.flatMap((at, i) => {
    const value = values[i];
    return value === undefined || (log && value <= 0) ? [] : [{ at, value }];
  });
  return { x: shown.map(({ at }) => at), y: shown.map(({ value }) => value) };
}

const AXES = {
  load: { title: 'load', unit: 'A', log: true },
  line: { title: 'input', unit: 'V' },
  duty: { title: 'lossless duty, at the input that asks for it', unit: '%', min: 0, max: 1 },
} as const;

/** What each light-load policy does with frequency, ripple, efficiency and mode as the load falls. */
export function AgainstLoad() {
  const answer = useAnswer(ask);
  const own = useSolved((state) => state.result?.decisions.lightLoad);
  const [id, setId] = useState<(typeof SWEPT)[number]>('switchingFrequency');
  const [axis, setAxis] = useState<Axis>('load');
  const { ink, log = false } = INKS[id];
  const choices = answer?.overLoad.find(({ figures }) => figures.length > 0)?.figures ?? [];
  const reading = choices.find((row) => row.id === id);
  const traces = useMemo(
    (): Trace[] =>
      (axis === 'load' ? (answer?.overLoad ?? []) : [])
        .map(({ policy, x, figures }): Trace => ({
          name: NAMES[policy],
          curve: curveOf(x, figures, id, log),
          ink,
          dash: DASHES[policy],
          wide: policy === own,
        }))
        .filter((trace) => trace.curve.x.length > 0),
    [answer, id, ink, log, own, axis],
  );
  const boundary = useMemo(() => {
    const emulated = answer?.overLoad.find(({ policy }) => policy === 'diode-emulation');
    const last = emulated?.modes.lastIndexOf('DCM') ?? -1;
    return emulated && last >= 0 ? { min: emulated.x[0]!, max: emulated.x[last]!, name: 'DCM' } : undefined;
  }, [answer]);
  const ownTraces = useMemo(
    (): Trace[] =>
      ((axis === 'line' ? answer?.overLine : answer?.overDuty) ?? [])
        .map(({ load, x, figures }, i): Trace => ({
          name: `at ${formatQuantity(load, 'A')}`,
          curve: curveOf(x, figures, id, log),
          ink,
          dash: i === 0 ? [] : [5, 3],
          wide: i === 0,
        }))
        .filter((trace) => trace.curve.x.length > 0),
    [answer, id, ink, log, axis],
  );
  const x = useMemo(() => AXES[axis], [axis]);
  const title = reading?.name ?? '';
  const unit = reading?.unit ?? '';
  const y = useMemo(() => ({ title, unit, log }), [title, unit, log]);
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
          onChange={(e) => setId(e.target.value as (typeof SWEPT)[number])}
        >
          {choices.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </Form.Select>
      </div>
      {answer ? (
        <Plot
          title={title}
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
