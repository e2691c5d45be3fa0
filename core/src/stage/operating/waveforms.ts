import type { Design } from '../../design/schema.ts';
import type { Cell, Device } from '../../network/circuit.ts';
import { inducedRow } from '../../network/follower.ts';
import { dot } from '../../numbers/linear.ts';
import { phaseAt } from '../../network/periodic.ts';
import { sampleFlow } from '../../numbers/trace.ts';
import { topologyModel, type SwitchNode } from '../../topology/index.ts';
import { stretchesOf } from './inputBank.ts';
import { solveCorner, type OperatingPoint } from './operatingPoint.ts';
import type { SteadyState } from './patterns.ts';
import type { Corner } from '../../design/corner.ts';
import { asBuilt, type CompleteDecisions } from '../../design/complete.ts';
import { branchOf } from '../../topology/ofDesign.ts';

/**
 * Periodic waveforms at one corner, from 0 to the asked number of periods; both sides of every edge are kept. All traces
 * lie in one buffer, which a worker hands over whole.
 */
export interface Waveforms {
  /** s */
  time: Float64Array;
  /** s, one period */
  period: number;
  /** 1 while phase 1's control switch is on; a boost leg's too where there is one */
  gate: Float64Array;
  boostGate: Float64Array | undefined;
  /** V, phase 1's switch nodes: one, or a four-switch stage's two */
  switchNode: Float64Array;
  boostNode: Float64Array | undefined;
  /** V across phase 1's inductance, winding resistance apart */
  inductorVoltage: Float64Array;
  /** A, one list a phase, and their sum */
  inductorCurrent: Float64Array[];
  inductorSum: Float64Array;
  /** A, phase 1's control switch and rectifier */
  controlCurrent: Float64Array;
  rectifierCurrent: Float64Array;
  boostControlCurrent: Float64Array | undefined;
  boostRectifierCurrent: Float64Array | undefined;
  /** A into the output bank */
  outputCapacitorCurrent: Float64Array;
  /** V at the load, about its average */
  outputRipple: Float64Array;
  /** A into the input bank */
  inputCapacitorCurrent: Float64Array;
  /** V about its average */
  inputRipple: Float64Array;
}

/** Halvings of any interval down to its samples: for ramps and settling. */
const HALVINGS = 4;
/** The same of a whole period, where inductances beside the windings may ring: a part of it takes fewer. */
const HALVINGS_RINGING = 6;
const WORD = Float64Array.BYTES_PER_ELEMENT;
/** Further halvings of a pause that is longer than half a period at full load. */
const MOST_LONGER = 5;

/** One corner as it is looked at: its operating point and its waveforms, from one solution. */
export interface CornerView {
  point: OperatingPoint | undefined;
  waveforms: Waveforms | undefined;
}

export function viewCorner(design: Design, decisions: CompleteDecisions, corner: Corner): CornerView {
  const built = asBuilt(design.decisions, decisions);
  const { point, state } = solveCorner(topologyModel(decisions.topology), design.brief, built, corner);
  return { point, waveforms: point && state && wavesOf(decisions, point, state, 2) };
}

/** The exact steady-state waveforms of a complete design; undefined where the corner has none (no load, no pulses). */
export function waveformsAt(
  design: Design,
  decisions: CompleteDecisions,
  corner: Corner,
  periods = 2,
): Waveforms | undefined {
  const { point, state } = solveCorner(topologyModel(decisions.topology), design.brief, decisions, corner);
  return point && state && wavesOf(decisions, point, state, periods);
}

function wavesOf(decisions: CompleteDecisions, point: OperatingPoint, state: SteadyState, periods: number): Waveforms {
  const model = topologyModel(decisions.topology);
  const { periodic } = state;
  const { network, repeat, intervals } = periodic;
  const n = network.size;
  const { phases, source } = network.circuit;
  const rings = network.rings || network.circuit.filter !== undefined || source !== undefined;
  const stretches = stretchesOf(periodic, decisions.inputCapacitors.map(branchOf));
  // a pause of many periods is sampled as finely as each of them would be
  const nominal = 1 / decisions.switchingFrequency;
  const halvingsOf = (duration: number): number => {
    const periods = Math.log2(duration / nominal);
    const longer = Math.min(MOST_LONGER, Math.max(0, Math.ceil(periods + 1)));
    return rings ? Math.max(HALVINGS, Math.ceil(Math.min(0, periods) + HALVINGS_RINGING)) + longer : HALVINGS + longer;
  };
  const sampled = stretches.map(({ flow, interval, initial }) =>
    sampleFlow(flow, interval.duration, initial, halvingsOf(interval.duration)),
  );
  const inputLevel =
    intervals.reduce((sum, { configuration, integral }) => sum + dot(n, configuration.inputVoltage, integral), 0) /
    repeat;

  const fourSwitch = state.operation.region !== undefined;
  const count = sampled.reduce((sum, { times }) => sum + times.length, 0) * periods * phases;
  const buffer = new ArrayBuffer(count * (phases + (fourSwitch ? 15 : 11)) * WORD);
  let taken = 0;
  const trace = (): Float64Array => {
    const made = new Float64Array(buffer, taken * WORD, count);
    taken += count;
    return made;
  };
  const optional = (): Float64Array | undefined => (fourSwitch ? trace() : undefined);
  const out: Waveforms = {
    time: trace(),
    period: periodic.period,
    gate: trace(),
    boostGate: optional(),
    switchNode: trace(),
    boostNode: optional(),
    inductorVoltage: trace(),
    inductorCurrent: Array.from({ length: phases }, trace),
    inductorSum: trace(),
    controlCurrent: trace(),
    rectifierCurrent: trace(),
    boostControlCurrent: optional(),
    boostRectifierCurrent: optional(),
    outputCapacitorCurrent: trace(),
    outputRipple: trace(),
    inputCapacitorCurrent: trace(),
    inputRipple: trace(),
  };
  // every phase does what the one before did, a part of the period later; and every period what the one before did
  const block = sampled.reduce((sum, { times }) => sum + times.length, 0);
  let to = -1;
  for (let part = 0; part < phases; part += 1) {
    stretches.forEach(({ interval, bank }, index) => {
      const { times, states } = sampled[index]!;
      const { configuration } = interval;
      const first = phaseAt(0, part, phases);
      const cell = network.cell(configuration.cells[first]!);
      const { blocked, fromInput, toOutput, drop } = cell;
      const induced = blocked ? inducedRow(network, configuration, first) : undefined;
      const levels = model.switchNodes.map((kind) => levelOf(kind, cell));
      const resistance = cell.resistance + network.circuit.windingResistance;
      const [onControl, onBoost] = [channelOn(cell, 'control'), channelOn(cell, 'boostControl')];
      const through = (device: Device): number => (carries(cell, device) ? 1 : 0);
      const [control, rectifier] = [through('control'), through('rectifier')];
      const [boostControl, boostRectifier] = [through('boostControl'), through('boostRectifier')];
      for (let i = 0; i < times.length; i += 1) {
        const at = states[i]!;
        const node = dot(n, configuration.outputVoltage, at);
        const vin = dot(n, configuration.inputVoltage, at);
        const current = at[first]!;
        to += 1;
        out.time[to] = part * repeat + interval.start + times[i]!;
        let sum = 0;
        for (let phase = 0; phase < phases; phase += 1) {
          const phaseCurrent = at[phaseAt(phase, part, phases)]!;
          out.inductorCurrent[phase]![to] = phaseCurrent;
          sum += phaseCurrent;
        }
        out.inductorSum[to] = sum;
        const apart = induced ? dot(n, induced, at) : 0;
        const level = (k: number): number => {
          if (blocked) return restingLevel(model.switchNodes[k]!, state.operation.region, vin, node, apart);
          const { input, output, lost, constant } = levels[k]!;
          return input * vin + output * node + lost * current + constant;
        };
        out.switchNode[to] = level(0);
        if (out.boostNode) out.boostNode[to] = level(1);
        out.inductorVoltage[to] = blocked ? apart : fromInput * vin - toOutput * node - drop - resistance * current;
        out.gate[to] = onControl;
        if (out.boostGate) out.boostGate[to] = onBoost;
        out.controlCurrent[to] = control * current;
        out.rectifierCurrent[to] = rectifier * current;
        if (out.boostControlCurrent) out.boostControlCurrent[to] = boostControl * current;
        if (out.boostRectifierCurrent) out.boostRectifierCurrent[to] = boostRectifier * current;
        // nodes and banks do not know which phase it is
        if (part > 0) continue;
        out.outputCapacitorCurrent[to] = dot(n, configuration.bankCurrent, at);
        out.outputRipple[to] = dot(n, configuration.loadVoltage, at) - point.outputVoltage.average;
        if (bank) {
          out.inputCapacitorCurrent[to] = dot(at.length, bank.into, at);
          out.inputRipple[to] = dot(at.length, bank.node, at);
        } else {
          out.inputCapacitorCurrent[to] = configuration.inputBranchCurrents.reduce(
            (total, row) => total + dot(n, row, at),
            0,
          );
          out.inputRipple[to] = vin - inputLevel;
        }
      }
    });
  }
  const whole = block * phases;
  for (const shared of [out.outputCapacitorCurrent, out.outputRipple, out.inputCapacitorCurrent, out.inputRipple])
    for (let part = 1; part < phases; part += 1) shared.copyWithin(part * block, 0, block);
  const traces = Array.from({ length: taken / count }, (_, k) => new Float64Array(buffer, k * count * WORD, count));
  for (let period = 1; period < periods; period += 1)
    for (const one of traces) one.copyWithin(period * whole, 0, whole);
  for (let k = whole; k < count; k += 1) out.time[k]! += Math.floor(k / whole) * phases * repeat;
  return out;
}

function carries(cell: Cell, device: Device): boolean {
  return cell.conducting.some((conduction) => conduction.device === device);
}

function channelOn(cell: Cell, device: Device): number {
  return cell.conducting.some((conduction) => conduction.device === device && !conduction.dead) ? 1 : 0;
}

/** V of a switch node from the devices that tie it: parts of input and output voltage, Ω times the current, and V. */
function levelOf(kind: SwitchNode, cell: Cell): { input: number; output: number; lost: number; constant: number } {
  const { conducting, fromInput, toOutput } = cell;
  const ofBoost = conducting.some(({ device }) => device === 'boostControl' || device === 'boostRectifier');
  const far = kind !== 'near' && kind !== 'between';
  const tying: readonly Device[] = far && ofBoost ? ['boostControl', 'boostRectifier'] : ['control', 'rectifier'];
  const sign = far ? 1 : -1;
  let [lost, constant] = [0, 0];
  for (const { device, resistance, drop } of conducting)
    if (tying.includes(device)) {
      lost += sign * resistance;
      constant += sign * drop;
    }
  return { input: far ? 0 : fromInput, output: kind === 'near' ? 0 : far ? toOutput : -toOutput, lost, constant };
}

/**
 * V of a switch node while no current flows: the level of whatever the inductor's other end is tied to, and the voltage
 * that coupled windings induce in it.
 */
function restingLevel(kind: SwitchNode, region: string | undefined, vin: number, vo: number, induced: number): number {
  if (region === 'buck-boost') return 0;
  if (region === 'buck') return kind === 'near' ? vo + induced : vo;
  if (region === 'boost') return kind === 'near' ? vin : vin - induced;
  if (kind === 'between') return induced;
  return kind === 'near' ? vo + induced : vin - induced;
}
