import {
  scenarioCautions,
  simulating,
  SimulationError,
  type Design,
  type LoadStep,
  type Part,
  type Scenario,
  type SimulatedWaveforms,
  type Simulation,
} from '@yundro/core';
import { drive, type Long } from '../../workers/long.ts';
import { readCapture, type CaptureRead } from './capture.ts';
import { rippleThrough, riseOf, type Rise } from './measures.ts';

/** What is asked of the simulator. */
export interface ScopeAsk {
  scenario: Scenario;
  /** V, each a run of its own */
  inputs: readonly number[];
  /** A; full load where absent */
  outputCurrent?: number | undefined;
  /** s */
  duration?: number | undefined;
  /** of the open loop */
  duty?: number | undefined;
  /** Hz, of a step train */
  rate?: number | undefined;
  /** of the load, another than the brief's */
  step?: LoadStep | undefined;
  release?: boolean | undefined;
}

/** A run's traces, one array each. */
export interface Traces {
  time: Float64Array;
  outputVoltage: Float64Array;
  inputCurrent: Float64Array;
  controlVoltage: Float64Array | undefined;
  inductorCurrent: Float64Array[];
  switchNode: Float64Array[];
}

export interface ScopeRun {
  inputVoltage: number;
  duration: number;
  cycles: number;
  measurements: Simulation['measurements'];
  steadyState: Simulation['steadyState'];
  train: Simulation['train'];
  /** V peak to peak through a 20 MHz limit */
  limitedRipple: number;
  rise: Rise | undefined;
  traces: Traces;
}

export interface ScopeAnswer {
  scenario: Scenario;
  runs: ScopeRun[];
  warnings: string[];
  cautions: string[];
  /** why there is no run, or no more of them, and what of the file it is about */
  trouble: { words: string; path: string | undefined } | undefined;
}

function tracesOf({ time, outputVoltage, inputCurrent, controlVoltage, ...rest }: SimulatedWaveforms): Traces {
  const packed = (list: readonly number[]): Float64Array => Float64Array.from(list);
  return {
    time: packed(time),
    outputVoltage: packed(outputVoltage),
    inputCurrent: packed(inputCurrent),
    controlVoltage: controlVoltage && packed(controlVoltage),
    inductorCurrent: rest.inductorCurrent.map(packed),
    switchNode: rest.switchNode.map(packed),
  };
}

/** Times by which the traces have to have grown before they are sent again. */
const GROWN = 1.6;

function runOf(inputVoltage: number, made: Simulation, before: ScopeRun | undefined): ScopeRun {
  const waves = made.waveforms;
  const { measurements, steadyState, train, duration, cycles } = made;
  const enough = before && (!waves || waves.time.length < GROWN * before.traces.time.length);
  const traces = enough ? before.traces : tracesOf(waves ?? EMPTY);
  return {
    inputVoltage,
    duration,
    cycles,
    measurements,
    steadyState,
    train,
    limitedRipple: enough ? before.limitedRipple : rippleThrough(traces.time, traces.outputVoltage),
    rise: enough ? before.rise : riseOf(traces.time, traces.outputVoltage),
    traces,
  };
}

const EMPTY: SimulatedWaveforms = {
  time: [],
  outputVoltage: [],
  inputCurrent: [],
  inductorCurrent: [],
  switchNode: [],
};

/** Shorter ones: a run as a whole, and a capture read. */
export const scopeAnswers = {
  scopeOf(design: Design, ask: ScopeAsk): ScopeAnswer {
    return drive(scopeLongAnswers.scope(design, [], ask), () => undefined);
  },
  capture(text: string, name: string): CaptureRead {
    return readCapture(text, name);
  },
};

export const scopeLongAnswers = {
  *scope(design: Design, _parts: readonly Part[], ask: ScopeAsk): Long<ScopeAnswer> {
    const answer: ScopeAnswer = { scenario: ask.scenario, runs: [], warnings: [], cautions: [], trouble: undefined };
    const { inputs, ...rest } = ask;
    for (const [at, inputVoltage] of inputs.entries()) {
      const { scenario, outputCurrent, duration, duty, rate, step, release } = rest;
      const going = simulating(design, {
        scenario,
        at: { inputVoltage, ...(outputCurrent === undefined ? {} : { outputCurrent }) },
        duration,
        duty,
        rate,
        step,
        release,
        assume: true,
      });
      try {
        let last: ScopeRun | undefined;
        for (;;) {
          const next = going.next();
          if (next.done) {
            last = runOf(inputVoltage, next.value, undefined);
            answer.warnings = [...new Set([...answer.warnings, ...next.value.warnings.map(({ message }) => message)])];
          } else last = runOf(inputVoltage, next.value.soFar, last);
          answer.runs = [...answer.runs.slice(0, at), last];
          if (next.done) break;
          yield { part: (at + next.value.part) / inputs.length, soFar: { ...answer } };
        }
      } catch (error) {
        if (!(error instanceof SimulationError)) throw error;
        answer.trouble = { words: error.words, path: error.path };
        break;
      }
      yield { part: (at + 1) / inputs.length, soFar: { ...answer } };
    }
    const highest = Math.max(0, ...answer.runs.map(({ measurements }) => measurements.outputVoltage.max));
    const surge = Math.max(0, ...answer.runs.map(({ measurements }) => measurements.inputCurrent.max));
    answer.cautions = scenarioCautions(ask.scenario, design, { highest, surge });
    return answer;
  },
};
