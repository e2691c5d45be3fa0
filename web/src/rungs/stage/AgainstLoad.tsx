import { useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { formatQuantity, type Figures, type LightLoad, type QuantityId } from '@yundro/core';
import { Working } from '../../app/Working.tsx';
import { Plot, type Trace } from '../../plots/Plot.tsx';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import type { SWEPT } from './answers.ts';
import { useSolved } from '../../stores/designStore.ts';
import css from './stage.module.css';
import page from '../../app/page.module.css';

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
function curveOf(
  x: readonly number[],
  figures: readonly Figures[],
  id: QuantityId,
  log: boolean,
): Pick<Trace, 'x' | 'y'> {
  const values = figures.find((row) => row.id === id)?.values ?? [];
  const shown = x.flatMap((at, i) => {
    const value = values[i];
    return value === undefined || (log && value <= 0) ? [] : [{ at, value }];
  });
  return { x: shown.map(({ at }) => at), y: shown.map(({ value }) => value) };
}

const AXES = {
  load: { name: 'load', unit: 'A', log: true },
  line: { name: 'input', unit: 'V' },
  duty: { name: 'lossless duty, at the input that asks for it', unit: '%', min: 0, max: 1 },
} as const;

/** What each light-load policy does with frequency, ripple, efficiency and mode as the load falls. */
export function AgainstLoad() {
  const run = useLongAnswer('sweeps');
  const { answer } = run;
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
          ...curveOf(x, figures, id, log),
          ink,
          dash: DASHES[policy],
          wide: policy === own,
        }))
        .filter((trace) => trace.x.length > 0),
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
          ...curveOf(x, figures, id, log),
          ink,
          dash: i === 0 ? [] : [5, 3],
          wide: i === 0,
        }))
        .filter((trace) => trace.x.length > 0),
    [answer, id, ink, log, axis],
  );
  const title = reading?.name ?? '';
  const unit = reading?.unit ?? '';
  const across = useMemo(
    () => ({ ...AXES[axis], ...(axis === 'load' && boundary ? { span: boundary } : {}) }),
    [axis, boundary],
  );
  const drawn = axis === 'load' ? traces : ownTraces;
  const lanes = useMemo(
    () => [{ id: 'y', name: title, unit, log: log && drawn.length > 0, traces: drawn }],
    [title, unit, log, drawn],
  );
  return (
    <section aria-label="Light-load policies" className={css['against-load']} data-testid="against-load">
      <div className={page['row-head']}>
        <h2>Over</h2>
        <Form.Select
          size="sm"
          className={page['pick']}
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
          className={page['pick']}
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
      <Working run={run} of="The sweeps" />
      {answer ? (
        <Plot
          title={title}
          summary={
            axis === 'load'
              ? 'One curve for each light-load policy; the policy in force is drawn wide.'
              : 'One curve at full load and one at the lightest.'
          }
          across={across}
          lanes={lanes}
        />
      ) : null}
    </section>
  );
}
