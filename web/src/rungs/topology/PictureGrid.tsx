import { useMemo } from 'react';
import { formatQuantity, type Curve, type Pictures } from '@yundro/core';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import css from './topology.module.css';

const DUTY = { name: 'duty', unit: '%' as const, min: 0, max: 1 };

/** One axis up and its traces. */
function useLane(axis: Omit<Lane, 'id' | 'traces'>, traces: readonly Trace[]): readonly Lane[] {
  return useMemo(() => [{ ...axis, id: 'y', traces }], [axis, traces]);
}

function highest(curve: Curve): { x: number; y: number } {
  const at = curve.y.reduce((best, value, i) => (value > curve.y[best]! ? i : best), 0);
  return { x: curve.x[at]!, y: curve.y[at]! };
}

/** The pictures that decide a topology: those over duty share their stretch and cursors. */
export function PictureGrid({ pictures, name }: { pictures: Pictures; name: string }) {
  const { span, ratios, operating, modes, cancellation, coupled, phases, maximumDuty } = pictures;
  const here = useMemo(() => ({ ...DUTY, span: { ...span, name: 'this design’s span' } }), [span]);
  const top = Math.max(...operating.map((point) => point.y));
  const ratioTraces = useMemo(
    (): Trace[] => [
      ...ratios.flatMap(({ region, ideal, withLosses }, i): Trace[] => [
        {
          name: region ? `${region} region, ideal` : 'ideal',
          ...ideal,
          ink: '--soft',
          dash: i === 0 ? [4, 3] : [1, 3],
        },
        {
          name: region ? `${region} region, with losses` : 'with resistances and drops',
          ...withLosses,
          ink: '--volt',
          wide: i === 0,
        },
      ]),
      {
        name: 'the corners',
        x: operating.map((p) => p.x),
        y: operating.map((p) => p.y),
        ink: '--amp',
        marks: 'circle',
      },
    ],
    [ratios, operating],
  );
  const collapse = ratios.map(({ withLosses }) => highest(withLosses)).find(({ x }) => x < 0.99);
  const ratioAxis = useMemo(
    () => ({
      name: 'output over input',
      unit: '' as const,
      min: 0,
      max: Math.max(1, Math.min(12, Math.max(2.2 * top, (collapse?.y ?? 0) * 1.1))),
    }),
    [top, collapse?.y],
  );
  const modeTraces = useMemo((): Trace[] => {
    const at = (mode: string): Curve => {
      const places = modes.places.filter((place) => (place.mode === 'DCM') === (mode === 'DCM'));
      return { x: places.map((p) => p.duty), y: places.map((p) => p.k) };
    };
    return [
      ...modes.boundaries.map(({ region, curve }, i) => ({
        name: region ? `critical K, ${region} region` : 'critical K',
        ...curve,
        ink: '--freq',
        wide: i === 0,
        ...(i === 0 ? {} : { dash: [5, 3] }),
      })),
      { name: 'continuous', ...at('CCM'), ink: '--amp', marks: 'circle' },
      { name: 'discontinuous', ...at('DCM'), ink: '--missed', marks: 'triangle' },
    ].filter((trace) => trace.x.length > 0) as Trace[];
  }, [modes]);
  const modeAxis = useMemo(() => {
    const ks = modes.places.map((place) => place.k).filter((k) => k > 0);
    return {
      name: 'K = 2Lf/R',
      unit: '' as const,
      log: true,
      min: Math.min(0.01, ...ks.map((k) => k / 2)),
      max: Math.max(2, ...ks.map((k) => k * 2)),
    };
  }, [modes]);
  const cancelTraces = useMemo(
    () =>
      cancellation.map(({ phases: count, curve }): Trace => ({
        name: count === phases ? `${count} ${count === 1 ? 'phase' : 'phases'}, this design` : '',
        label: { text: String(count), at: count < 3 ? 0.5 / count : 1.5 / count },
        ...curve,
        ink: count === phases ? '--amp' : '--soft',
        wide: count === phases,
        ...(count === phases ? {} : { dash: [3, 2] }),
      })),
    [cancellation, phases],
  );
  const coupledTraces = (set: Pictures['coupled']['overDuty']): Trace[] => [
    { name: 'winding, inverse', ...set.inverse.winding, ink: '--amp', wide: true },
    { name: 'sum, inverse', ...set.inverse.sum, ink: '--amp', dash: [5, 3] },
    { name: 'winding, direct', ...set.direct.winding, ink: '--freq', wide: true },
    { name: 'sum, direct', ...set.direct.sum, ink: '--freq', dash: [5, 3] },
  ];
  const overDuty = useMemo(
    () => [
      ...coupledTraces(coupled.overDuty),
      {
        name: 'sum, uncoupled',
        ...cancellation[coupled.phases - 1]!.curve,
        ink: '--soft',
        dash: [1, 3],
      },
    ],
    [coupled, cancellation],
  );
  const overCoefficient = useMemo(() => coupledTraces(coupled.overCoefficient), [coupled]);
  const overCoupling = useMemo(
    () => ({
      name: 'coupling coefficient',
      unit: '' as const,
      min: 0,
      max: 1,
      span: {
        min: coupled.coefficient,
        max: coupled.coefficient,
        name: coupled.given ? 'this design' : 'as drawn above',
      },
    }),
    [coupled],
  );
  const relative = useMemo(
    () => ({ name: 'ripple over one uncoupled winding’s', unit: '' as const, min: 0, max: 2.5 }),
    [],
  );
  const sum = useMemo(() => ({ name: 'summed ripple over one phase’s', unit: '' as const, min: 0, max: 1.2 }), []);
  const ratioLanes = useLane(ratioAxis, ratioTraces);
  const modeLanes = useLane(modeAxis, modeTraces);
  const cancelLanes = useLane(sum, cancelTraces);
  const dutyLanes = useLane(relative, overDuty);
  const coefficientLanes = useLane(relative, overCoefficient);
  const spanWords = `${formatQuantity(span.min, '%')} to ${formatQuantity(span.max, '%')}`;
  return (
    <div className={css['pictures']}>
      <Plot
        title={`Conversion ratio of the ${name}`}
        summary={
          collapse
            ? `With its losses it collapses beyond ${formatQuantity(collapse.x, '%')}, at a ratio of ${collapse.y.toPrecision(3)}. This design works from ${spanWords}.`
            : `This design works from ${spanWords}.`
        }
        link="duty"
        across={here}
        lanes={ratioLanes}
      />
      <Plot
        title="Continuous or discontinuous"
        summary={`${modes.places.filter((p) => p.mode === 'DCM').length} of ${modes.places.length} loaded corners stop each period.`}
        link="duty"
        across={DUTY}
        lanes={modeLanes}
      />
      <Plot
        title="Ripple that interleaving leaves"
        summary={`For one to eight phases; this design has ${phases} and works from ${spanWords}.`}
        link="duty"
        across={here}
        lanes={cancelLanes}
      />
      <Plot
        title={`Coupled windings over duty, ${coupled.phases} phases, coefficient ${coupled.coefficient}`}
        summary={`Winding and summed ripple of inverse and direct coupling; this design works from ${spanWords}.`}
        link="duty"
        across={here}
        lanes={dutyLanes}
      />
      <Plot
        title={`Coupled windings over coupling, at ${formatQuantity(coupled.duty, '%')}`}
        summary="Winding and summed ripple of inverse and direct coupling against the coefficient."
        across={overCoupling}
        lanes={coefficientLanes}
      />
      <p className={`text-body-secondary ${css['picture-note']}`}>
        Duty limit {formatQuantity(maximumDuty, '%')}. The ratio’s curves are at nominal input and full load. On the map
        of modes a synchronous stage under forced PWM stays continuous below the boundary too, with negative current.
        Coupled curves are straight ramps of one self-inductance: inverse coupling usually sums to more ripple than
        uncoupled windings, and gains in transient inductance and core.
      </p>
    </div>
  );
}
