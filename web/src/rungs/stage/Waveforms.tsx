import { useCallback, useMemo } from 'react';
import Button from 'react-bootstrap/Button';
import { formatQuantity, type Balance, type QuantityId, type Unit, type Waveforms } from '@yundro/core';
import { markDrawn } from '../../app/mark.ts';
import { Quiet } from '../../app/Quiet.tsx';
import { extentOf } from '../../plots/model.ts';
import { Plot, type Lane, type Trace } from '../../plots/Plot.tsx';
import { useSolved } from '../../stores/designStore.ts';
import { askWhy, toggleAreas, toggleLane, useView } from '../../stores/viewStore.ts';
import css from './stage.module.css';

interface Kind {
  id: string;
  name: string;
  unit: Unit;
  kind: 'voltage' | 'current';
  part: string;
  traces: (waveforms: Waveforms) => readonly (Float64Array | undefined)[];
  /** the quantity that its span at rest is, where there is one */
  quantity?: QuantityId;
}

const voltage = (id: string, name: string, part: string, traces: Kind['traces'], quantity?: QuantityId): Kind => ({
  id,
  name,
  unit: 'V',
  kind: 'voltage',
  part,
  traces,
  ...(quantity ? { quantity } : {}),
});
const current = (id: string, name: string, part: string, traces: Kind['traces'], quantity?: QuantityId): Kind => ({
  ...voltage(id, name, part, traces, quantity),
  unit: 'A',
  kind: 'current',
});

/** Every node and branch that can be shown; one without traces at a stage is not offered there. */
const KINDS: readonly Kind[] = [
  { ...voltage('gate', 'gate', 'control', (w) => [w.gate]), unit: '' },
  { ...voltage('gate2', 'boost gate', 'boostControl', (w) => [w.boostGate]), unit: '' },
  voltage('sw', 'switch node', 'control', (w) => [w.switchNode]),
  voltage('sw2', 'second switch node', 'boostControl', (w) => [w.boostNode]),
  voltage('vl', 'inductor voltage', 'inductor', (w) => [w.inductorVoltage]),
  current('il', 'inductor', 'inductor', (w) => w.inductorCurrent, 'inductorRipple'),
  current('sum', 'sum of phases', 'inductor', (w) => (w.inductorCurrent.length > 1 ? [w.inductorSum] : [])),
  current('iq', 'control switch', 'control', (w) => [w.controlCurrent]),
  current('ir', 'rectifier', 'rectifier', (w) => [w.rectifierCurrent]),
  current('iq2', 'boost control', 'boostControl', (w) => [w.boostControlCurrent]),
  current('ir2', 'boost rectifier', 'boostRectifier', (w) => [w.boostRectifierCurrent]),
  current('co', 'output bank', 'output', (w) => [w.outputCapacitorCurrent]),
  voltage('vo', 'output ripple', 'output', (w) => [w.outputRipple], 'outputRipple'),
  current('ci', 'input bank', 'input', (w) => [w.inputCapacitorCurrent]),
  voltage('vi', 'input ripple', 'input', (w) => [w.inputRipple], 'inputRipple'),
];

/** Lanes on whose zero line the balance areas are shaded. */
const BALANCED = ['vl', 'co'];

const given = (kind: Kind, waveforms: Waveforms): Float64Array[] =>
  kind.traces(waveforms).filter((values) => values !== undefined);

function tracesOf(kind: Kind, waveforms: Waveforms, ghost: Waveforms | undefined, areas: boolean): Trace[] {
  const ink = kind.kind === 'voltage' ? '--volt' : '--amp';
  return [
    ...(ghost ? given(kind, ghost) : []).map((y): Trace => ({ name: '', x: ghost!.time, y, ink, ghost: true })),
    ...given(kind, waveforms).map((y, i, all): Trace => ({
      name: all.length > 1 ? `${kind.name}, phase ${i + 1}` : kind.name,
      x: waveforms.time,
      y,
      ink,
      dash: i === 0 ? [] : [6 - Math.min(4, i), 2 + (i % 3)],
      areas: areas && i === 0 && BALANCED.includes(kind.id),
    })),
  ];
}

const ACROSS = { name: 'time', unit: 's' } as const;

/** Two periods of the exact steady state, stacked on one time axis. */
export function WaveformStack({ waveforms, ghost }: { waveforms: Waveforms; ghost: Waveforms | undefined }) {
  const balance = useSolved((state) => state.balance);
  const part = useView((state) => state.part);
  const shown = useView((state) => state.lanes);
  const areas = useView((state) => state.areas);
  const offered = KINDS.filter((kind) => given(kind, waveforms).length > 0);
  const wanted = new Set(areas ? [...shown, ...BALANCED] : shown);
  const key = offered
    .filter(({ id }) => wanted.has(id))
    .map(({ id }) => id)
    .join();
  const lanes = useMemo(
    () =>
      key
        .split(',')
        .flatMap((id) => KINDS.find((kind) => kind.id === id) ?? [])
        .map((kind): Lane => ({
          id: kind.id,
          name: kind.name,
          unit: kind.unit,
          kind: kind.kind,
          lit: part === kind.part,
          traces: tracesOf(kind, waveforms, ghost, areas),
          rest: <Span kind={kind} waveforms={waveforms} />,
        })),
    [key, waveforms, ghost, areas, part],
  );
  const end = waveforms.time[waveforms.time.length - 1]!;
  const across = useMemo(() => ({ ...ACROSS, min: 0, max: end }), [end]);
  const toggle = useCallback((id: string) => () => toggleLane(id), []);
  return (
    <>
      <div className={css['lane-picks']} role="group" aria-label="Waveforms shown">
        {offered.map((kind) => (
          <Button
            key={kind.id}
            variant="link"
            className={css['lane-pick']}
            data-kind={kind.kind}
            aria-pressed={wanted.has(kind.id)}
            onClick={toggle(kind.id)}
          >
            {kind.name}
          </Button>
        ))}
        <Button variant="link" className={css['lane-pick']} aria-pressed={areas} onClick={toggleAreas}>
          balance areas
        </Button>
      </div>
      <Plot
        title="Waveforms"
        untitled
        stacked
        summary="Two periods of the steady state."
        link="time"
        across={across}
        lanes={lanes}
        height={Math.max(300, 26 + lanes.length * (lanes.length > 7 ? 46 : 58))}
        onDrawn={markDrawn}
      />
      {areas && balance ? <BalanceWords {...balance} /> : null}
    </>
  );
}

/** The two areas that balance in each period, in this design's own figures. */
function BalanceWords({ voltSeconds, charge }: { voltSeconds: Balance; charge: Balance }) {
  const pair = (balance: Balance, unit: Unit, of: string): string =>
    `+${formatQuantity(balance.positive, unit)}${of} and −${formatQuantity(-balance.negative, unit)}${of}`;
  return (
    <p className={css['balance']} data-testid="balance">
      In one period the inductor is given <span className="font-monospace">{pair(voltSeconds, 'V', '·s')}</span>: equal,
      or its current would not come back. The output bank takes{' '}
      <span className="font-monospace">{pair(charge, 'A', '·s')}</span>: equal, or its voltage would drift.
    </p>
  );
}

/** Peak to peak over the periods shown: with its Why? where that is a quantity of its own. */
function Span({ kind, waveforms }: { kind: Kind; waveforms: Waveforms }) {
  const { min, max } = extentOf([given(kind, waveforms)[0]!])!;
  const text = `${formatQuantity(max - min, kind.unit)} p-p`;
  const { quantity } = kind;
  return quantity === undefined ? (
    text
  ) : (
    <Quiet title="Why?" onClick={() => askWhy(quantity)}>
      {text}
    </Quiet>
  );
}
