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
import { chosenFor } from '../../workers/filled.ts';
import { drive, type Long } from '../../workers/long.ts';
import type { Standing } from '../../workers/standing.ts';
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
  /** s: where a step of the load is seen best, a fifth of it before the step */
  event?: { from: number; to: number };
  /** V between which the brief lets the output move meanwhile */
  allowed?: { low: number; high: number };
  warnings: string[];
  /** what a rule decided where the design says nothing: no warning */
  assumed: string[];
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

/** Of what is shown of an event, before it; times its settling that is shown after it; and periods at least. */
const BEFORE = 1 / 5;
const AFTER = 1.3;
const LEAST_PERIODS = 16;
/** Periods that stand before an event at most. */
const MOST_BEFORE = 400;

/** The run with its steady state before it, as many whole periods as `lead` (s) takes. */
function ledBy(run: ScopeRun, { waveforms, duration: period }: Simulation, lead: number): ScopeRun {
  const periods = Math.min(MOST_BEFORE, Math.ceil(lead / period));
  if (!waveforms || periods < 1) return run;
  const one = tracesOf(waveforms);
  const count = one.time.length;
  const length = periods * count;
  const before = (values: Float64Array | undefined, after: Float64Array): Float64Array => {
    const whole = new Float64Array(length + after.length);
    for (let k = 0; k < periods && values; k += 1) whole.set(values, k * count);
    whole.set(after, length);
    return whole;
  };
  const { traces } = run;
  const time = before(one.time, traces.time);
  for (let k = 0; k < periods; k += 1)
    for (let i = 0; i < count; i += 1) time[k * count + i] = one.time[i]! - (periods - k) * period;
  return {
    ...run,
    traces: {
      time,
      outputVoltage: before(one.outputVoltage, traces.outputVoltage),
      inputCurrent: before(one.inputCurrent, traces.inputCurrent),
      controlVoltage: traces.controlVoltage && before(one.controlVoltage, traces.controlVoltage),
      inductorCurrent: traces.inductorCurrent.map((after, at) => before(one.inductorCurrent[at], after)),
      switchNode: traces.switchNode.map((after, at) => before(one.switchNode[at], after)),
    },
  };
}

/** Opens a step of the load on its event: what stood before it, the stretch that shows it, and what is allowed. */
function onEvent(design: Design, ask: ScopeAsk, answer: ScopeAnswer): ScopeAnswer {
  const step = ask.step ?? design.brief.loadStep;
  const first = answer.runs[0];
  if (ask.scenario !== 'load-step' || !step || !first) return answer;
  const standing = answer.runs.flatMap(({ inputVoltage }) => {
    try {
      return [
        drive(
          simulating(design, {
            scenario: 'steady-state',
            at: { inputVoltage, outputCurrent: step.from },
            assume: true,
          }),
          () => undefined,
        ),
      ];
    } catch (error) {
      if (error instanceof SimulationError) return [];
      throw error;
    }
  });
  if (standing.length < answer.runs.length) return answer;
  const settled = answer.runs.map(({ measurements }) => measurements.settlingTime ?? 0);
  const period = Math.max(...standing.map(({ duration }) => duration));
  const shown = Math.max(LEAST_PERIODS * period, ...settled.filter(Number.isFinite).map((time) => AFTER * time));
  const to = Math.min(first.duration, shown);
  const lead = Math.min((to * BEFORE) / (1 - BEFORE), MOST_BEFORE * period);
  const { deviation } = design.brief.loadStep ?? {};
  const average = standing[0]!.measurements.outputVoltage.average;
  return {
    ...answer,
    runs: answer.runs.map((run, at) => ledBy(run, standing[at]!, lead)),
    event: { from: -lead, to },
    ...(deviation === undefined ? {} : { allowed: { low: average - deviation, high: average + deviation } }),
  };
}

/** Ids of what is taken by rule, and of steps that are assumed. */
/** Between one sentence and the next. */
const SENTENCES = /(?<=\.) (?=[A-Z])/u;
const ASSUMED = /^assumed-|^instant-step$/u;

const EMPTY: SimulatedWaveforms = {
  time: [],
  outputVoltage: [],
  inputCurrent: [],
  inductorCurrent: [],
  switchNode: [],
};

/** Shorter ones: a run as a whole, and a capture read. */
export const scopeAnswers = {
  capture(text: string, name: string): CaptureRead {
    return readCapture(text, name);
  },
};

/** Of another state of the design, filled as this shelf fills it. */
export const scopeShelfAnswers = {
  scopeOf(given: Design, parts: readonly Part[], ask: ScopeAsk): ScopeAnswer {
    const { design } = chosenFor(given, parts);
    return drive(scopeLongAnswers.scope(design, undefined, ask), () => undefined);
  },
};

export const scopeLongAnswers = {
  *scope(design: Design, _standing: Standing | undefined, ask: ScopeAsk): Long<ScopeAnswer> {
    const answer: ScopeAnswer = {
      scenario: ask.scenario,
      runs: [],
      warnings: [],
      assumed: [],
      cautions: [],
      trouble: undefined,
    };
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
            for (const { id, message } of next.value.warnings) {
              const assumed = ASSUMED.test(id);
              const list = assumed ? answer.assumed : answer.warnings;
              // of what is assumed most is the same at every input
              for (const words of assumed ? message.split(SENTENCES) : [message])
                if (!list.includes(words)) list.push(words);
            }
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
    return onEvent(design, ask, answer);
  },
};
