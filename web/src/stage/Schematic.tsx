import type { MouseEvent, ReactNode } from 'react';
import { formatQuantity, type CapacitorBank, type OperatingPoint, type QuantityId, type Result } from '@yundro/core';
import { useDesign } from '../stores/designStore.ts';
import { askWhy, useView } from '../stores/viewStore.ts';
import { focusDecision } from '../design/focus.ts';

/** A pressed figure opens its Why?; by keyboard the same figures are in the table of all corners. */
function askAbout(event: MouseEvent): void {
  const id = (event.target as Element).getAttribute('data-why');
  if (id !== null) askWhy(id as QuantityId);
}

interface PartProps {
  id: string;
  label: string;
  levers: string[];
  box: [x: number, y: number, width: number, height: number];
  children: ReactNode;
}

/** A part that can be pointed at (its waveforms light up) and pressed (its decision comes to hand). */
function Part({ id, label, levers, box: [x, y, width, height], children }: PartProps) {
  const lit = useView((state) => state.part === id);
  const point = (part: string | undefined): void => useView.setState({ part });
  const go = (): void => focusDecision(levers);
  return (
    <g
      className={`part${lit ? ' lit' : ''}`}
      role="button"
      tabIndex={0}
      aria-label={label}
      onPointerEnter={() => point(id)}
      onPointerLeave={() => point(undefined)}
      onFocus={() => point(id)}
      onBlur={() => point(undefined)}
      onClick={(event) => {
        // the drawing itself opens the Why? of a figure
        if (!(event.target as Element).hasAttribute('data-why')) go();
      }}
      onKeyDown={(event) => {
        if (event.key === 'Enter' || event.key === ' ') {
          event.preventDefault();
          go();
        }
      }}
    >
      <rect className="part-field" x={x} y={y} width={width} height={height} rx="5" />
      {children}
    </g>
  );
}

const TOP = 62;
const BOTTOM = 146;

function Capacitor({ x }: { x: number }) {
  const middle = (TOP + BOTTOM) / 2;
  return (
    <path
      className="wire"
      d={`M${x} ${TOP}V${middle - 4}M${x - 13} ${middle - 4}h26M${x - 13} ${middle + 4}h26M${x} ${middle + 4}V${BOTTOM}`}
    />
  );
}

interface BankProps {
  id: string;
  name: string;
  x: number;
  banks: readonly CapacitorBank[];
  lever: string;
  rms: number;
  ripple: number;
}

/** A capacitor bank with what it carries. */
function Bank({ id, name, x, banks, lever, rms, ripple }: BankProps) {
  const words = banks.map((b) => `${b.count} × ${formatQuantity(b.capacitance, 'F')}`).join(' + ');
  return (
    <Part id={id} label={`${name}, ${words}`} levers={[lever]} box={[x - 18, 70, 118, 70]}>
      <Capacitor x={x} />
      <text className="cap" x={x + 20} y="98">
        {words}
      </text>
      <text
        data-why={id === 'input' ? 'inputCapacitorRms' : 'outputCapacitorRms'}
        className="cap kind-current"
        x={x + 20}
        y="114"
      >
        {formatQuantity(rms, 'A')} rms
      </text>
      <text data-why={id === 'input' ? 'inputRipple' : 'outputRipple'} className="cap kind-voltage" x={x + 20} y="130">
        {formatQuantity(ripple, 'V')} p-p
      </text>
    </Part>
  );
}

function Switch({ at: [x, y], upright = false }: { at: [number, number]; upright?: boolean }) {
  return (
    <g transform={`translate(${x} ${y})${upright ? ' rotate(90)' : ''}`}>
      <path className="wire" d="M-28 0h12M16 0h12M-16 0 13-9M-16-3v6M16-6v12" />
    </g>
  );
}

function Diode({ at: [x, y] }: { at: [number, number] }) {
  return (
    <path
      className="wire"
      d={`M${x} ${y + 28}V${y + 8}M${x} ${y - 28}V${y - 8}M${x - 9} ${y + 8}h18l-9-16zM${x - 10} ${y - 8}h20`}
    />
  );
}

/** The stage drawn with its values at the corner in view: the map of the design. */
export function Schematic({ result, point }: { result: Result; point: OperatingPoint }) {
  const name = useDesign((state) => state.document?.name ?? '');
  const { decisions } = result;
  const v = (value: number): string => formatQuantity(value, 'V');
  const a = (value: number): string => formatQuantity(value, 'A');
  const ohm = (value: number): string => formatQuantity(value, 'Ω');
  const { rectifier } = decisions;
  const diode = rectifier.kind === 'diode';
  return (
    <svg
      className="schematic"
      viewBox="0 0 840 172"
      role="group"
      aria-label={`Schematic of ${name}`}
      onClick={askAbout}
    >
      <path className="wire" d={`M86 ${TOP}H180M236 ${TOP}H404M500 ${TOP}H752M86 ${BOTTOM}H752`} />
      <circle className="node" cx="306" cy={TOP} r="3" />
      <text className="cap kind-voltage strong" x="78" y="98" textAnchor="end">
        {v(point.inputVoltage)}
      </text>
      <text data-why="inputAverage" className="cap kind-current" x="78" y="115" textAnchor="end">
        {a(point.inputCurrent.average)}
      </text>
      <Bank
        id="input"
        name="Input bank"
        x={118}
        banks={decisions.inputCapacitors}
        lever="inputCapacitors"
        rms={point.inputCapacitor.rmsCurrent}
        ripple={point.inputCapacitor.ripple}
      />
      <Part
        id="control"
        label={`Control switch, ${ohm(decisions.controlSwitch.onResistance)}`}
        levers={['controlSwitch.onResistance']}
        box={[158, 14, 104, 56]}
      >
        <Switch at={[208, TOP]} />
        <text className="cap" x="210" y="28" textAnchor="middle">
          control {ohm(decisions.controlSwitch.onResistance)}
        </text>
        <text data-why="controlRms" className="cap kind-current" x="210" y="43" textAnchor="middle">
          {a(point.controlSwitch.rmsCurrent)} rms
        </text>
      </Part>
      <Part id="rectifier" label="Rectifier" levers={['rectifier']} box={[284, 72, 126, 68]}>
        {diode ? <Diode at={[306, 104]} /> : <Switch at={[306, 104]} upright />}
        <path className="wire" d={`M306 ${TOP}V76M306 132V${BOTTOM}`} />
        <text className="cap" x="326" y="98">
          {diode ? `diode ${v(rectifier.forwardVoltage ?? 0)}` : `sync ${ohm(rectifier.onResistance ?? 0)}`}
        </text>
        <text data-why="rectifierRms" className="cap kind-current" x="326" y="114">
          {a(point.rectifier.rmsCurrent)} rms
        </text>
      </Part>
      <Part
        id="inductor"
        label={`Inductor, ${formatQuantity(decisions.inductor.inductance, 'H')}`}
        levers={['inductor.inductance']}
        box={[398, 14, 108, 92]}
      >
        <path className="coil" d={`M404 ${TOP}h8${'a10 10 0 0 1 20 0'.repeat(4)}h8`} />
        <text className="cap strong" x="452" y="30" textAnchor="middle">
          {formatQuantity(decisions.inductor.inductance, 'H')}
        </text>
        <text className="cap" x="452" y="44" textAnchor="middle">
          {ohm(decisions.inductor.resistance)}
        </text>
        <text data-why="inductorRipple" className="cap kind-current" x="452" y="84" textAnchor="middle">
          {a(point.inductorCurrent.ripple)} p-p
        </text>
        <text data-why="inductorPeak" className="cap kind-current" x="452" y="99" textAnchor="middle">
          peak {a(point.inductorCurrent.peak)}
        </text>
      </Part>
      <Bank
        id="output"
        name="Output bank"
        x={572}
        banks={decisions.outputCapacitors}
        lever="outputCapacitors"
        rms={point.outputCapacitor.rmsCurrent}
        ripple={point.outputCapacitor.ripple}
      />
      <path className="wire" d={`M752 ${TOP}V88M743 88h18v30h-18zM752 118V${BOTTOM}`} />
      <text data-why="outputVoltageAverage" className="cap kind-voltage strong" x="772" y="98">
        {v(point.outputVoltage.average)}
      </text>
      <text className="cap kind-current" x="772" y="115">
        {a(point.outputCurrent)}
      </text>
      <text data-why="duty" className="cap soft" x="306" y="164" textAnchor="middle">
        switch node, {point.conductionMode}, {formatQuantity(point.duty, '%')} of{' '}
        {formatQuantity(1 / point.switchingFrequency, 's')}
      </text>
      <text data-why="efficiency" className="cap kind-power" x="560" y="164" textAnchor="middle">
        {formatQuantity(point.losses.total, 'W')} lost, {formatQuantity(point.efficiency, '%')}
      </text>
    </svg>
  );
}
