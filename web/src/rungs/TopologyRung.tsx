import { useMemo } from 'react';
import { formatQuantity, TOPOLOGY_WORDS, type Curve, type Design, type Pictures } from '@yundro/core';
import { Plot, type Trace } from '../plots/Plot.tsx';
import { useSolved } from '../stores/designStore.ts';
import { ComparisonTable, TopologyReason } from '../topology/ComparisonTable.tsx';
import { useAnswer } from '../topology/useAnswer.ts';
import { backgroundSolver } from '../workers/solver.ts';

const askCompare = (design: Design) => backgroundSolver.ask((solver) => solver.compare(design));
const askPictures = (design: Design) => backgroundSolver.ask((solver) => solver.pictures(design));

/** The choice between topologies, and the pictures that decide it. */
export default function TopologyRung() {
  const compared = useAnswer(askCompare);
  const pictures = useAnswer(askPictures);
  const topology = useSolved((state) => state.result?.decisions.topology);
  return (
    <div className="topology">
      <h2>From the brief alone, completed and solved at its six corners</h2>
      {compared ? (
        <>
          <p className="soft">
            Like with like: each shares out the same {(compared.silicon * 1e6).toPrecision(2)} mm² of silicon among its
            switches, and all wind their inductors by one rule. Conduction alone, until parts are chosen.
          </p>
          <ComparisonTable compared={compared} />
        </>
      ) : (
        <p className="soft">Solving every topology…</p>
      )}
      <TopologyReason />
      {topology === 'inverting-buck-boost' ? <NegativeRail /> : null}
      <h2>The stage as it stands</h2>
      {pictures && topology ? (
        <PictureGrid pictures={pictures} name={TOPOLOGY_WORDS[topology]} />
      ) : (
        <p className="soft">Drawing…</p>
      )}
    </div>
  );
}

/** The inverting stage's own warning, where the choice is made. */
function NegativeRail() {
  const words = useSolved((state) => state.result?.warnings.find(({ id }) => id === 'negative-rail')?.message);
  return words === undefined ? null : <p className="notice-line">{words}</p>;
}

const DUTY = { title: 'duty', unit: '%' as const, min: 0, max: 1 };

function highest(curve: Curve): { x: number; y: number } {
  const at = curve.y.reduce((best, value, i) => (value > curve.y[best]! ? i : best), 0);
  return { x: curve.x[at]!, y: curve.y[at]! };
}

function PictureGrid({ pictures, name }: { pictures: Pictures; name: string }) {
  const { span, ratios, operating, modes, cancellation, coupled, phases, maximumDuty } = pictures;
  const here = useMemo(() => ({ ...span, name: 'this design’s span' }), [span]);
  const top = Math.max(...operating.map((point) => point.y));
  const ratioTraces = useMemo(
    (): Trace[] => [
      ...ratios.flatMap(({ region, ideal, withLosses }, i): Trace[] => [
        {
          name: region ? `${region} region, ideal` : 'ideal',
          curve: ideal,
          ink: '--soft',
          dash: i === 0 ? [4, 3] : [1, 3],
        },
        {
          name: region ? `${region} region, with losses` : 'with resistances and drops',
          curve: withLosses,
          ink: '--volt',
          wide: i === 0,
        },
      ]),
      {
        name: 'the corners',
        curve: { x: operating.map((p) => p.x), y: operating.map((p) => p.y) },
        ink: '--amp',
        marks: 'circle',
      },
    ],
    [ratios, operating],
  );
  const collapse = ratios.map(({ withLosses }) => highest(withLosses)).find(({ x }) => x < 0.99);
  const ratioAxis = useMemo(
    () => ({
      title: 'output over input',
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
        curve,
        ink: '--freq',
        wide: i === 0,
        ...(i === 0 ? {} : { dash: [5, 3] }),
      })),
      { name: 'continuous', curve: at('CCM'), ink: '--amp', marks: 'circle' },
      { name: 'stops each period', curve: at('DCM'), ink: '--missed', marks: 'triangle' },
    ].filter((trace) => trace.curve.x.length > 0) as Trace[];
  }, [modes]);
  const modeAxis = useMemo(() => {
    const ks = modes.places.map((place) => place.k).filter((k) => k > 0);
    return {
      title: 'K = 2Lf/R',
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
        curve,
        ink: count === phases ? '--amp' : '--soft',
        wide: count === phases,
        ...(count === phases ? {} : { dash: [3, 2] }),
      })),
    [cancellation, phases],
  );
  const coupledTraces = (set: Pictures['coupled']['overDuty']): Trace[] => [
    { name: 'winding, inverse', curve: set.inverse.winding, ink: '--amp', wide: true },
    { name: 'sum, inverse', curve: set.inverse.sum, ink: '--amp', dash: [5, 3] },
    { name: 'winding, direct', curve: set.direct.winding, ink: '--freq', wide: true },
    { name: 'sum, direct', curve: set.direct.sum, ink: '--freq', dash: [5, 3] },
  ];
  const overDuty = useMemo(
    () => [
      ...coupledTraces(coupled.overDuty),
      {
        name: 'sum, uncoupled',
        curve: cancellation[coupled.phases - 1]!.curve,
        ink: '--soft',
        dash: [1, 3],
      },
    ],
    [coupled, cancellation],
  );
  const overCoefficient = useMemo(() => coupledTraces(coupled.overCoefficient), [coupled]);
  const at = useMemo(
    () => ({
      min: coupled.coefficient,
      max: coupled.coefficient,
      name: coupled.given ? 'this design' : 'as drawn above',
    }),
    [coupled],
  );
  const relative = useMemo(
    () => ({ title: 'ripple over one uncoupled winding’s', unit: '' as const, min: 0, max: 2.5 }),
    [],
  );
  const sum = useMemo(() => ({ title: 'summed ripple over one phase’s', unit: '' as const, min: 0, max: 1.2 }), []);
  const coefficientAxis = useMemo(() => ({ title: 'coupling coefficient', unit: '' as const, min: 0, max: 1 }), []);
  const spanWords = `${formatQuantity(span.min, '%')} to ${formatQuantity(span.max, '%')}`;
  return (
    <div className="pictures">
      <Plot
        title={`Conversion ratio of the ${name}`}
        summary={
          collapse
            ? `With its losses it collapses beyond ${formatQuantity(collapse.x, '%')}, at a ratio of ${collapse.y.toPrecision(3)}. This design works from ${spanWords}.`
            : `This design works from ${spanWords}.`
        }
        x={DUTY}
        y={ratioAxis}
        traces={ratioTraces}
        span={here}
      />
      <Plot
        title="Continuous or discontinuous"
        summary={`${modes.places.filter((p) => p.mode === 'DCM').length} of ${modes.places.length} loaded corners stop each period.`}
        x={DUTY}
        y={modeAxis}
        traces={modeTraces}
      />
      <Plot
        title="Ripple that interleaving leaves"
        summary={`For one to eight phases; this design has ${phases} and works from ${spanWords}.`}
        x={DUTY}
        y={sum}
        traces={cancelTraces}
        span={here}
      />
      <Plot
        title={`Coupled windings over duty, ${coupled.phases} phases, coefficient ${coupled.coefficient}`}
        summary={`Winding and summed ripple of inverse and direct coupling; this design works from ${spanWords}.`}
        x={DUTY}
        y={relative}
        traces={overDuty}
        span={here}
      />
      <Plot
        title={`Coupled windings over coupling, at ${formatQuantity(coupled.duty, '%')}`}
        summary="Winding and summed ripple of inverse and direct coupling against the coefficient."
        x={coefficientAxis}
        y={relative}
        traces={overCoefficient}
        span={at}
      />
      <p className="soft picture-note">
        Duty limit {formatQuantity(maximumDuty, '%')}. The ratio’s curves are at nominal input and full load. On the map
        of modes a synchronous stage under forced PWM stays continuous below the boundary too, with negative current.
        Coupled curves are straight ramps of one self-inductance: inverse coupling usually sums to more ripple than
        uncoupled windings, and gains in transient inductance and core.
      </p>
    </div>
  );
}
