import { useRef, type MouseEvent, type ReactNode } from 'react';
import {
  formatQuantity,
  topologyModel,
  TOPOLOGY_WORDS,
  type CapacitorBank,
  type FiguresById,
  type OperatingPoint,
  type QuantityId,
  type CompleteDecisions,
} from '@yundro/core';
import { useWidth } from '../../app/useWidth.ts';
import { lostWords } from '../../app/words.ts';
import { useDocument, useSolved } from '../../stores/designStore.ts';
import { askWhy, useView } from '../../stores/viewStore.ts';
import { focusDecision } from '../../decisions/focus.ts';
import css from './stage.module.css';

/** A pressed figure opens its Why?; by keyboard the same figures are in the table of all corners. */
function askAbout(event: MouseEvent): void {
  const id = (event.target as Element).getAttribute('data-why');
  if (id !== null) askWhy(id as QuantityId);
}

/** A figure of the drawing in words, by its quantity; nothing where it has no value. */
const told = (drawn: FiguresById, id: QuantityId): string => {
  const figure = drawn[id];
  return figure ? formatQuantity(figure.value, figure.unit) : '';
};

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
      className={css['part']}
      data-lit={lit || undefined}
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
      <rect className={css['part-field']} x={x} y={y} width={width} height={height} rx="5" />
      {children}
    </g>
  );
}

const TOP = 62;
const BOTTOM = 146;
/** height of one further phase's row, above the first phase */
const ROW = 21;
/** half the length of a switch and of a coil that stand in the line */
const SWITCH_HALF = 52;
const COIL_HALF = 48;

function Capacitor({ x }: { x: number }) {
  const middle = (TOP + BOTTOM) / 2;
  return (
    <path
      className={css['wire']}
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
  drawn: FiguresById;
  rms: QuantityId;
  ripple: QuantityId;
}

/** A capacitor bank with what it carries. */
function Bank({ id, name, x, banks, lever, drawn, rms, ripple }: BankProps) {
  const words = banks.map((b) => `${b.count} × ${formatQuantity(b.capacitance, 'F')}`).join(' + ');
  const parts = words.split(' + ');
  const lines =
    parts.length > 2 ? [`${parts.length} kinds,`, parts[0]!] : parts.map((part, i) => (i > 0 ? `+ ${part}` : part));
  return (
    <Part id={id} label={`${name}, ${words}`} levers={[lever]} box={[x - 18, 70, 118, 70]}>
      <Capacitor x={x} />
      {lines.map((line, i) => (
        <text key={line} className={css['cap']} x={x + 20} y={98 - 14 * (lines.length - 1 - i)}>
          {line}
        </text>
      ))}
      <text data-why={rms} className={css['cap']} data-kind="current" x={x + 20} y="114">
        {told(drawn, rms)} rms
      </text>
      <text data-why={ripple} className={css['cap']} data-kind="voltage" x={x + 20} y="130">
        {told(drawn, ripple)} p-p
      </text>
    </Part>
  );
}

/** A switch in a line (level) or from a line to return (upright), or a diode; the arrow of a diode points along `flow`. */
function Device({
  at: [x, y],
  upright,
  diode,
  flow = 1,
}: {
  at: [number, number];
  upright: boolean;
  diode: boolean;
  flow?: 1 | -1;
}) {
  // drawn level, pointing right; an upright diode points up, from return
  const turn = diode ? (upright ? -90 : flow === 1 ? 0 : 180) : upright ? 90 : 0;
  return (
    <g transform={`translate(${x} ${y}) rotate(${turn})`}>
      <path
        className={css['wire']}
        d={diode ? 'M-28 0h20M8 0h20M-8-9v18L8 0zM8-10v20' : 'M-28 0h12M16 0h12M-16 0 13-9M-16-3v6M16-6v12'}
      />
    </g>
  );
}

interface SwitchProps {
  id: string;
  name: string;
  words: string;
  rms: string;
  why: QuantityId;
  levers: string[];
  diode: boolean;
  flow?: 1 | -1;
  x: number;
  /** its words stand lower, clear of those under the inductor beside it */
  low?: boolean;
}

/** In the line at the top. */
function SeriesSwitch({ id, name, words, rms, why, levers, diode, flow = 1, x }: SwitchProps) {
  return (
    <Part id={id} label={`${name}, ${words}`} levers={levers} box={[x - SWITCH_HALF, 14, 2 * SWITCH_HALF, 56]}>
      <path className={css['wire']} d={`M${x - SWITCH_HALF} ${TOP}H${x - 28}M${x + 28} ${TOP}H${x + SWITCH_HALF}`} />
      <Device at={[x, TOP]} upright={false} diode={diode} flow={flow} />
      <text className={css['cap']} x={x} y="28" textAnchor="middle">
        {words}
      </text>
      <text data-why={why} className={css['cap']} data-kind="current" x={x} y="43" textAnchor="middle">
        {rms} rms
      </text>
    </Part>
  );
}

/** From the line to return. */
function ShuntSwitch({ id, name, words, rms, why, levers, diode, x, low = false }: SwitchProps) {
  const y = low ? 119 : 98;
  return (
    <Part id={id} label={`${name}, ${words}`} levers={levers} box={[x - 22, 72, 126, 68]}>
      <Device at={[x, 104]} upright diode={diode} />
      <path className={css['wire']} d={`M${x} ${TOP}V76M${x} 132V${BOTTOM}`} />
      <text className={css['cap']} x={x + 20} y={y}>
        {words}
      </text>
      <text data-why={why} className={css['cap']} data-kind="current" x={x + 20} y={y + 16}>
        {rms} rms
      </text>
    </Part>
  );
}

const COIL = 'a10 10 0 0 1 20 0'.repeat(4);

function InductorWords({ drawn, x, y }: { drawn: FiguresById; x: number; y: number }) {
  return (
    <>
      <text className={`${css['cap']} ${css['strong']}`} x={x} y={y} textAnchor="middle">
        {told(drawn, 'inductance')}
      </text>
      <text className={css['cap']} x={x} y={y + 14} textAnchor="middle">
        {told(drawn, 'windingResistance')}
      </text>
      <text data-why="inductorRipple" className={css['cap']} data-kind="current" x={x} y={y + 54} textAnchor="middle">
        {told(drawn, 'inductorRipple')} p-p
      </text>
      <text data-why="inductorPeak" className={css['cap']} data-kind="current" x={x} y={y + 69} textAnchor="middle">
        peak {told(drawn, 'inductorPeak')}
      </text>
    </>
  );
}

/** Where the parts of a topology stand along the line. */
interface Plan {
  control: { x: number; upright: boolean };
  rectifier: { x: number; upright: boolean; flow: 1 | -1 };
  inductor: { x: number; upright: boolean };
  boostControl?: number;
  boostRectifier?: number;
  /** places of the switch nodes */
  nodes: number[];
  output: number;
}

const PLANS: Readonly<Record<CompleteDecisions['topology'], Plan>> = {
  buck: {
    control: { x: 268, upright: false },
    rectifier: { x: 352, upright: true, flow: 1 },
    inductor: { x: 520, upright: false },
    nodes: [352],
    output: 630,
  },
  boost: {
    inductor: { x: 290, upright: false },
    control: { x: 388, upright: true },
    rectifier: { x: 560, upright: false, flow: 1 },
    nodes: [388],
    output: 660,
  },
  'inverting-buck-boost': {
    control: { x: 268, upright: false },
    inductor: { x: 372, upright: true },
    rectifier: { x: 560, upright: false, flow: -1 },
    nodes: [372],
    output: 660,
  },
  'four-switch-buck-boost': {
    control: { x: 258, upright: false },
    rectifier: { x: 326, upright: true, flow: 1 },
    inductor: { x: 490, upright: false },
    boostControl: 560,
    boostRectifier: 730,
    nodes: [326, 560],
    output: 830,
  },
};

/** Width of a letter of the captions, in the drawing's own units. */
const LETTER = 6.7;

/** The further phases, each a row above the first: its own switches, its coil, where it fires, whom it is paired with. */
function Phases({ decisions, from, to }: { decisions: CompleteDecisions; from: number; to: number }) {
  const { phases, coupling } = decisions;
  const paired =
    coupling !== undefined && coupling.coefficient > 0 && (coupling.arrangement === 'one-core' || phases % 2 === 0);
  const partner = (k: number): string =>
    !paired ? '' : coupling.arrangement === 'one-core' ? ', one core' : `, pair ${((k - 1) % (phases / 2)) + 1}`;
  const middle = (from + to) / 2;
  return Array.from({ length: phases - 1 }, (_, i) => {
    const phase = i + 2;
    const y = TOP - 44 - (i + 1) * ROW;
    return (
      <Part
        key={phase}
        id="inductor"
        label={`Phase ${phase}, fires ${formatQuantity((phase - 1) / phases, '%')} into the period${partner(phase)}`}
        levers={['phases']}
        box={[from + 4, y - 10, to - from - 8, ROW - 1]}
      >
        <path
          className={css['wire']}
          d={`M${from} ${y}H${middle - 96}m0-5h18v10h-18zm18 5H${middle - 40}${'a8 8 0 0 1 16 0'.repeat(4)}H${to}`}
        />
        <text className={css['cap']} x={middle - 104} y={y - 5} textAnchor="end">
          {middle - 104 - from < 8 * LETTER ? phase : `phase ${phase}`}
        </text>
        <text className={`${css['cap']} text-body-secondary`} x={middle + 34} y={y - 5}>
          +{Math.round(((phase - 1) / phases) * 360)}°{partner(phase)}
        </text>
      </Part>
    );
  });
}

/** Space beside the drawing for what stands at the source and at the load, and what the drawing may be scaled by. */
const SOURCE = 86;
const BESIDE = 92;
const SCALE = { least: 0.85, most: 1.15 };
const SPREAD = { least: 0.62, most: 1.35 };
/** Spread below which the words under an inductor reach those of the switch before it. */
const CROWDED = 0.85;

const within = (value: number, { least, most }: { least: number; most: number }): number =>
  Math.min(most, Math.max(least, value));

/** A plan moved apart or together along its line: text and symbols keep their size. */
function spread(plan: Plan, by: number): Plan {
  const x = (at: number): number => SOURCE + (at - SOURCE) * by;
  return {
    ...plan,
    control: { ...plan.control, x: x(plan.control.x) },
    rectifier: { ...plan.rectifier, x: x(plan.rectifier.x) },
    inductor: { ...plan.inductor, x: x(plan.inductor.x) },
    ...(plan.boostControl === undefined ? {} : { boostControl: x(plan.boostControl) }),
    ...(plan.boostRectifier === undefined ? {} : { boostRectifier: x(plan.boostRectifier) }),
    nodes: plan.nodes.map(x),
    output: x(plan.output),
  };
}

/** What stands in the line from source to load, from its left to its right end. */
function inLine({ control, rectifier, inductor, boostRectifier }: Plan): [left: number, right: number][] {
  const parts = [
    { ...control, half: SWITCH_HALF },
    { ...rectifier, half: SWITCH_HALF },
    { ...inductor, half: COIL_HALF },
    ...(boostRectifier === undefined ? [] : [{ x: boostRectifier, upright: false, half: SWITCH_HALF }]),
  ];
  return parts
    .filter(({ upright }) => !upright)
    .sort((a, b) => a.x - b.x)
    .map(({ x, half }) => [x - half, x + half]);
}

/** The stage drawn with its values at the corner in view: the map of the design. */
export function Schematic({
  decisions,
  point,
  drawn,
}: {
  decisions: CompleteDecisions;
  point: OperatingPoint;
  drawn: FiguresById;
}) {
  const of = (id: QuantityId): string => told(drawn, id);
  const name = useDocument((state) => state.document?.name ?? '');
  const scope = useSolved((state) => state.result?.lossScope.words);
  const svg = useRef<SVGSVGElement>(null);
  const given = useWidth(svg, 844);
  const { topology, phases, rectifier, controlSwitch, boostLeg, outputFilter, coupling } = decisions;
  const v = (value: number): string => formatQuantity(value, 'V');
  const ohm = (value: number): string => formatQuantity(value, 'Ω');
  const rectifierWords = (of: typeof rectifier): string =>
    of.kind === 'diode' ? `diode ${v(of.forwardVoltage ?? 0)}` : `sync ${ohm(of.onResistance ?? 0)}`;
  const extra = (phases - 1) * ROW;
  const beyond = outputFilter ? 262 : 150;
  const natural = PLANS[topology].output + beyond + BESIDE;
  const scale = within(given / natural, SCALE);
  const by = within((given / scale - SOURCE - BESIDE - beyond) / (natural - SOURCE - BESIDE - beyond), SPREAD);
  const plan = spread(PLANS[topology], by);
  const load = plan.output + beyond;
  const width = load + BESIDE;
  const switchOf = (
    id: string,
    title: string,
    words: string,
    why: QuantityId,
    levers: string[],
    place: { x: number; upright: boolean; flow?: 1 | -1 },
    diode: boolean,
  ): ReactNode => {
    const low = by < CROWDED;
    const shared = { low, id, name: title, words, rms: of(why), why, levers, diode, x: place.x };
    return place.upright ? <ShuntSwitch {...shared} /> : <SeriesSwitch {...shared} flow={place.flow ?? 1} />;
  };
  const sign = topologyModel(topology).inverts ? '−' : '';
  const line = inLine(plan);
  // bare wire from the source to the first part, from each to the next, and from the last to the load
  const wires = [...line, [outputFilter ? plan.output + 104 : load]].map(([to], k) => [line[k - 1]?.[1] ?? SOURCE, to]);
  const feed = plan.output - 24;
  const fork = SOURCE + (188 - SOURCE) * by;
  const runs = [
    point.region ? `${point.region} region, ` : '',
    phases > 1
      ? `phase 1 of ${phases}${coupling ? `, ${coupling.polarity} coupling ${coupling.coefficient}` : ''}, `
      : '',
    `${point.conductionMode}, ${of('duty')}${drawn.boostDuty ? ` and ${of('boostDuty')}` : ''}`,
    point.switchingFrequency > 0 ? ` of ${formatQuantity(1 / point.switchingFrequency, 's')}` : '',
  ].join('');
  const loses = `${of('lossTotal')} ${lostWords([scope])}, ${of('efficiency')}`;
  // both stand in one line where it is long enough for them
  const crowded = (runs.length + loses.length + 2) * LETTER > load + 84 - fork;
  const tall = (crowded ? 188 : 172) + extra;
  return (
    <svg
      ref={svg}
      className={css['schematic']}
      viewBox={`0 ${-extra} ${width} ${tall}`}
      role="group"
      data-testid="schematic"
      aria-label={`Schematic of ${name}: ${TOPOLOGY_WORDS[topology]}`}
      onClick={askAbout}
      height={tall * scale}
    >
      <path
        className={css['wire']}
        d={`M${SOURCE} ${BOTTOM}H${load}${wires.map(([from, to]) => `M${from} ${TOP}H${to}`).join('')}${
          phases > 1 ? `M${fork} ${TOP}V${TOP - 44 - extra}M${feed} ${TOP}V${TOP - 44 - extra}` : ''
        }`}
      />
      {phases > 1 ? <Phases decisions={decisions} from={fork} to={feed} /> : null}
      {plan.nodes.map((x) => (
        <circle key={x} className={css['node']} cx={x} cy={TOP} r="3" />
      ))}
      <text className={`${css['cap']} ${css['strong']}`} data-kind="voltage" x="78" y="98" textAnchor="end">
        {of('inputVoltage')}
      </text>
      <text data-why="inputAverage" className={css['cap']} data-kind="current" x="78" y="115" textAnchor="end">
        {of('inputAverage')}
      </text>
      <Bank
        id="input"
        name="Input bank"
        x={108}
        banks={decisions.inputCapacitors}
        lever="inputCapacitors"
        drawn={drawn}
        rms="inputCapacitorRms"
        ripple="inputRipple"
      />
      {switchOf(
        'control',
        'Control switch',
        `control ${of('controlResistance')}`,
        'controlRms',
        ['controlSwitch.onResistance'],
        plan.control,
        false,
      )}
      {switchOf(
        'rectifier',
        'Rectifier',
        rectifierWords(rectifier),
        'rectifierRms',
        ['rectifier'],
        plan.rectifier,
        rectifier.kind === 'diode',
      )}
      <Part
        id="inductor"
        label={`Inductor, ${of('inductance')}`}
        levers={['inductor.inductance']}
        box={plan.inductor.upright ? [plan.inductor.x - 16, 68, 118, 76] : [plan.inductor.x - 54, 14, 108, 92]}
      >
        {plan.inductor.upright ? (
          <>
            <path className={css['coil']} d={`M${plan.inductor.x} ${TOP}v6${'a9 9 0 0 1 0 18'.repeat(4)}V${BOTTOM}`} />
            <text className={`${css['cap']} ${css['strong']}`} x={plan.inductor.x + 18} y="84">
              {of('inductance')}
            </text>
            <text className={css['cap']} x={plan.inductor.x + 18} y="99">
              {of('windingResistance')}
            </text>
            <text data-why="inductorRipple" className={css['cap']} data-kind="current" x={plan.inductor.x + 18} y="115">
              {of('inductorRipple')} p-p
            </text>
            <text data-why="inductorPeak" className={css['cap']} data-kind="current" x={plan.inductor.x + 18} y="131">
              peak {of('inductorPeak')}
            </text>
          </>
        ) : (
          <>
            <path className={css['coil']} d={`M${plan.inductor.x - COIL_HALF} ${TOP}h8${COIL}h8`} />
            <InductorWords drawn={drawn} x={plan.inductor.x} y={30} />
          </>
        )}
      </Part>
      {plan.boostControl === undefined || plan.boostRectifier === undefined ? null : (
        <>
          {switchOf(
            'boostControl',
            'Boost leg’s control switch',
            `boost ${ohm(boostLeg?.controlSwitch?.onResistance ?? controlSwitch.onResistance)}`,
            'boostControlRms',
            ['boostLeg.controlSwitch.onResistance', 'controlSwitch.onResistance'],
            { x: plan.boostControl, upright: true },
            false,
          )}
          {switchOf(
            'boostRectifier',
            'Boost leg’s rectifier',
            rectifierWords(boostLeg?.rectifier ?? rectifier),
            'boostRectifierRms',
            ['boostLeg.rectifier.onResistance', 'rectifier'],
            { x: plan.boostRectifier, upright: false },
            (boostLeg?.rectifier ?? rectifier).kind === 'diode',
          )}
        </>
      )}
      <Bank
        id="output"
        name="Output bank"
        x={plan.output}
        banks={decisions.outputCapacitors}
        lever="outputCapacitors"
        drawn={drawn}
        rms="outputCapacitorRms"
        ripple="outputRipple"
      />
      {outputFilter ? (
        <Part
          id="output"
          label={`Second-stage filter, ${formatQuantity(outputFilter.inductance, 'H')}`}
          levers={['outputFilter']}
          box={[plan.output + 102, 14, 146, 126]}
        >
          <path className={css['coil']} d={`M${plan.output + 104} ${TOP}h8${'a8 8 0 0 1 16 0'.repeat(3)}h8`} />
          <path className={css['wire']} d={`M${plan.output + 168} ${TOP}H${load}`} />
          <Capacitor x={plan.output + 190} />
          <text className={css['cap']} x={plan.output + 136} y="30" textAnchor="middle">
            {formatQuantity(outputFilter.inductance, 'H')}
          </text>
          <text
            data-why="loadRipple"
            className={css['cap']}
            data-kind="voltage"
            x={plan.output + 182}
            y="134"
            textAnchor="end"
          >
            {of('loadRipple')} p-p
          </text>
        </Part>
      ) : null}
      <path className={css['wire']} d={`M${load} ${TOP}V88M${load - 9} 88h18v30h-18zM${load} 118V${BOTTOM}`} />
      <text
        data-why="outputVoltageAverage"
        className={`${css['cap']} ${css['strong']}`}
        data-kind="voltage"
        x={load + 16}
        y="98"
      >
        {sign}
        {of('outputVoltageAverage')}
      </text>
      <text className={css['cap']} data-kind="current" x={load + 16} y="115">
        {of('outputCurrent')}
      </text>
      <text data-why="duty" className={`${css['cap']} text-body-secondary`} x={fork} y="164">
        {runs}
      </text>
      <text
        data-why="efficiency"
        className={css['cap']}
        data-kind="power"
        x={load + 84}
        y={crowded ? 180 : 164}
        textAnchor="end"
      >
        {loses}
      </text>
    </svg>
  );
}
