import type { Design } from '../design/schema.ts';
import { dot } from '../network/linear.ts';
import { phaseAt, sampleInterval } from '../network/periodic.ts';
import { topologyModel } from '../topology/index.ts';
import { inputBankResponse } from './inputBank.ts';
import { solveCorner } from './operatingPoint.ts';
import { branchOf, type CompleteDecisions, type Corner } from './stage.ts';

/** Periodic waveforms at one corner, from 0 to the asked number of periods; both sides of every edge are kept. */
export interface Waveforms {
  /** s */
  time: number[];
  /** V, phase 1's switch node */
  switchNode: number[];
  /** A, one list a phase */
  inductorCurrent: number[][];
  /** A into the output bank */
  outputCapacitorCurrent: number[];
  /** V about its average */
  outputRipple: number[];
  /** A into the input bank */
  inputCapacitorCurrent: number[];
  /** V about its average */
  inputRipple: number[];
}

const SAMPLES = 16;

/** The exact steady-state waveforms of a complete design; undefined where the corner has none (no load, no pulses). */
export function waveformsAt(
  design: Design,
  decisions: CompleteDecisions,
  corner: Corner,
  periods = 2,
): Waveforms | undefined {
  const model = topologyModel(decisions.topology);
  if (!model) return undefined;
  const { point, state } = solveCorner(model, design.brief, decisions, corner);
  if (!state || !point) return undefined;
  const { periodic } = state;
  const { network, repeat, intervals } = periodic;
  const n = network.size;
  const { phases } = network.circuit;
  const sampled = intervals.map((interval) => sampleInterval(periodic, interval, SAMPLES));
  const average = intervals.reduce((sum, interval, index) => {
    const states = sampled[index]!.states;
    // Simpson's rule over the even samples (the finer ones at a stiff edge carry no area)
    const even = [states[0]!, ...states.slice(-SAMPLES)];
    const weighted = even.reduce((total, state, i) => {
      const weight = i === 0 || i === SAMPLES ? 1 : i % 2 === 1 ? 4 : 2;
      return total + weight * dot(n, interval.configuration.inputCurrent, state);
    }, 0);
    return sum + (weighted * interval.duration) / (3 * SAMPLES);
  }, 0);
  const bank = inputBankResponse(periodic, decisions.inputCapacitors.map(branchOf), average / repeat);

  const out: Waveforms = {
    time: [],
    switchNode: [],
    inductorCurrent: Array.from({ length: phases }, () => []),
    outputCapacitorCurrent: [],
    outputRipple: [],
    inputCapacitorCurrent: [],
    inputRipple: [],
  };
  for (let part = 0; part < periods * phases; part += 1) {
    intervals.forEach((interval, index) => {
      const samples = sampled[index]!;
      const { configuration } = interval;
      const input = bank.samples[index]!;
      samples.times.forEach((time, i) => {
        const state = samples.states[i]!;
        const output = dot(n, configuration.outputVoltage, state);
        out.time.push(part * repeat + interval.start + time);
        for (let phase = 0; phase < phases; phase += 1) {
          out.inductorCurrent[phase]!.push(state[phaseAt(phase, part, phases)]!);
        }
        const first = phaseAt(0, part, phases);
        const cell = network.circuit.cells[configuration.cells[first]!];
        const onInput = cell.fromInput * point.inputVoltage - cell.resistance * state[first]! - cell.drop;
        out.switchNode.push(cell.blocked ? output : onInput);
        out.outputCapacitorCurrent.push(dot(n, configuration.bankCurrent, state));
        out.outputRipple.push(output - point.outputVoltage.average);
        out.inputCapacitorCurrent.push(interpolate(input.times, input.current, time));
        out.inputRipple.push(interpolate(input.times, input.voltage, time));
      });
    });
  }
  return out;
}

function interpolate(times: readonly number[], values: readonly number[], time: number): number {
  const step = times[1]! - times[0]!;
  const at = Math.min(times.length - 2, Math.max(0, Math.floor(time / step)));
  const part = (time - times[at]!) / step;
  return values[at]! + (values[at + 1]! - values[at]!) * part;
}
