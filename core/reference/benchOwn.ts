import { Meter } from '../src/simulation/meter.ts';
import { conductanceOf, ready } from '../src/simulation/setup.ts';
import { steadyState } from '../src/simulation/steady.ts';
import { completeDecisions } from '../src/stage/sizing/complete.ts';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';

declare const performance: { now(): number };

const parts = TYPE_3;

/** The simulator on the circuit of `bench_ode.py`, from the steady state with its bank disturbed: pace, and the state after some cycles. */
export function benchOwn(
  cycles: number,
  compared: number,
): { circuit: Record<string, number>; start: number[]; end: number[]; seconds: number; measured: number } {
  const design = designWith({
    outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }],
    control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5, deadTime: 0 },
    compensator: { amplifier: 'op-amp', ...parts },
  });
  const { decisions } = completeDecisions(design);
  const corner = { inputVoltage: 24, outputCurrent: 6 };
  const segment = {
    at: -1,
    conductance: conductanceOf(design.brief, decisions, 6),
    current: 0,
    currentSlope: 0,
    source: 24,
    sourceSlope: 0,
  };
  const made = ready(design, decisions, corner, [segment]);
  const { period } = made.setup;
  const begin = (): ReturnType<typeof steadyState> => {
    const steady = steadyState(made);
    steady.simulator.state[1]! += 0.05;
    return steady;
  };
  const own = ({ simulator: { state, places } }: ReturnType<typeof steadyState>): number[] => [
    ...state.slice(0, places.states),
    ...state.slice(places.firstOwn, places.one),
  ];
  const timed = (meter?: Meter): number => {
    const { simulator } = begin();
    const from = performance.now();
    simulator.run(simulator.time + cycles * period, meter);
    return (performance.now() - from) / 1e3;
  };
  // the machine's compiler first
  timed();
  const trial = begin();
  const start = own(trial);
  trial.simulator.run(trial.simulator.time + compared * period);
  const { inductor, controlSwitch, rectifier } = decisions;
  return {
    circuit: {
      L: inductor.inductance,
      RL: inductor.resistance,
      RON: controlSwitch.onResistance,
      RR: (rectifier.kind === 'synchronous' ? rectifier.onResistance : 0) ?? 0,
      C: 94e-6,
      ESR: 0.004,
      R: 3.3 / 6,
      VIN: 24,
      VREF: 0.8,
      VR: 1.5,
      T: period,
      RT: parts.dividerTop,
      RB: parts.dividerBottom,
      RF: parts.feedbackResistor,
      CF: parts.feedbackCapacitor,
      CS: parts.shuntCapacitor,
      RI: parts.inputResistor,
      CI: parts.inputCapacitor,
    },
    start,
    end: own(trial),
    seconds: timed(),
    measured: timed(new Meter(1, { waveforms: false, period, controls: true })),
  };
}
