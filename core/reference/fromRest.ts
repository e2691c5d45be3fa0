import type { Design } from '../src/design/index.ts';
import { Simulator } from '../src/simulation/engine.ts';
import { Meter } from '../src/simulation/meter.ts';
import { ramp } from '../src/simulation/run.ts';
import { conductanceOf, ready } from '../src/simulation/setup.ts';
import { completeDecisions } from '../src/stage/sizing/complete.ts';

/** A transconductance amplifier with its network. */
export const OTA = {
  amplifier: 'ota',
  type: 2,
  transconductance: 1e-3,
  feedbackResistor: 12000,
  feedbackCapacitor: 2.2e-9,
  shuntCapacitor: 47e-12,
};

/** A closed loop from rest. */
export interface FromRest {
  design: Design;
  /** A at the load, and V that the output holds already */
  iout: number;
  prebias: number;
  cycles: number;
  /** A from a clock on, at 1 MA/s; V of the source, at 0.5 V/µs */
  step?: [cycle: number, to: number] | undefined;
  line?: [cycle: number, to: number] | undefined;
}

const LOAD_SLEW = 1e6;
const LINE_SLEW = 5e5;
/** Part of the output within which it counts as settled. */
const BAND = 0.02;

/** The simulator's run, and what a reference is asked of the same. */
export function runFromRest({ design, iout, prebias, cycles, step, line }: FromRest) {
  const { decisions } = completeDecisions(design);
  const vin = design.brief.inputVoltage.nominal;
  const period = 1 / decisions.switchingFrequency;
  const first = {
    at: -1,
    conductance: conductanceOf(design.brief, decisions, iout),
    current: 0,
    currentSlope: 0,
    source: vin,
    sourceSlope: 0,
  };
  const corner = { inputVoltage: vin, outputCurrent: iout };
  const run = { design, decisions, corner, options: { scenario: 'load-step' as const }, assumed: [] };
  const { setup } = ready(design, decisions, corner, [
    first,
    ...(step ? ramp(run, iout, step[1], LOAD_SLEW, step[0] * period) : []),
    ...(line
      ? [
          { ...first, at: line[0] * period, sourceSlope: Math.sign(line[1] - vin) * LINE_SLEW },
          { ...first, at: line[0] * period + Math.abs(line[1] - vin) / LINE_SLEW, source: line[1] },
        ]
      : []),
  ]);
  const simulator = new Simulator(setup);
  const still = simulator.network.stateAt(prebias, 0);
  for (let k = decisions.phases; k < simulator.places.states; k += 1) simulator.state[k] = still[k]!;
  simulator.startSoftly();
  simulator.begin([], true);
  const band = { target: design.brief.outputVoltage, within: BAND * design.brief.outputVoltage };
  const meter = new Meter(decisions.phases, { waveforms: false, controls: false, band });
  simulator.run(cycles * period, meter);
  const { places, state } = simulator;
  const c = decisions.compensator;
  const { rectifier, control, inductor } = decisions;
  const diode = rectifier.kind === 'diode';
  const { modulator } = setup;
  return {
    decisions,
    simulator,
    meter,
    states: [...state.slice(0, places.states), ...state.slice(places.firstOwn, places.one)],
    request: {
      period,
      topology: decisions.topology,
      L: inductor.inductance,
      curve: inductor.inductanceCurve,
      RL: inductor.resistance,
      Rc: decisions.controlSwitch.onResistance,
      Rr: (diode ? rectifier.resistance : rectifier.onResistance) ?? 0,
      Vf: diode ? rectifier.forwardVoltage : 0,
      diode,
      deadTime: control.deadTime,
      banks: decisions.outputCapacitors.map(({ capacitance, esr, esl, count }) => ({
        C: capacitance,
        esr,
        esl,
        count,
      })),
      vin,
      vout: design.brief.outputVoltage,
      iout,
      prebias,
      duration: cycles * period,
      band,
      step: step && { at: step[0] * period, to: step[1], slew: LOAD_SLEW },
      line: line && { at: line[0] * period, to: line[1], slew: LINE_SLEW },
      amplifier:
        setup.amplifier && c
          ? {
              kind: c.amplifier,
              gm: c.transconductance,
              ilimit: c.outputCurrentLimit,
              top: c.dividerTop,
              bottom: c.dividerBottom,
              R2: c.feedbackResistor,
              C1: c.feedbackCapacitor,
              shunt: c.shuntCapacitor,
              lead: c.type === 3 ? { R: c.inputResistor, C: c.inputCapacitor } : undefined,
              low: c.outputMinimum,
              high: c.outputMaximum,
              gbw: c.gainBandwidth,
              slew: c.slewRate,
              gain: c.openLoopGain,
            }
          : undefined,
      modulator: {
        ...modulator,
        currentLimit: Number.isFinite(modulator.currentLimit) ? modulator.currentLimit : undefined,
        // several times the output is never met
        overVoltage: modulator.overVoltage < 2 * design.brief.outputVoltage ? modulator.overVoltage : undefined,
        currentAmplifier: control.currentAmplifier,
        ratio: setup.tapRatio,
        top: c?.dividerTop,
        bottom: c?.dividerBottom,
        injection: control.rippleInjection && {
          R: control.rippleInjection.resistor,
          C: control.rippleInjection.capacitor,
          Cc: control.rippleInjection.coupling,
        },
      },
    },
  };
}

/** Part of the output by which a beginning is moved, to see what a loop makes of it. */
const MOVED = 1e-9;

/** Times a small change at the beginning is found again at the end, in parts of the output; a chaotic loop's is large. */
export function growthOf(loop: FromRest, states: readonly number[]): number {
  const by = MOVED * loop.design.brief.outputVoltage;
  const other = runFromRest({ ...loop, prebias: loop.prebias + by });
  return Math.max(...other.states.map((value, k) => Math.abs(value - states[k]!))) / by;
}

/** What simulate_ode.py tells of a run beside its state. */
export interface Said {
  state: number[];
  peak: number;
  average: number;
  pulses: number;
  min: number;
  max: number;
  outputRms: number;
  currentRms: number;
  /** s, when the output was last outside a band a little wider and a little narrower than ours */
  outside: [number, number];
}

/**
 * The measurements of a run that a reference has differently, in words.
 * @param times what else is allowed
 */
export function measuredApart({ meter, request }: ReturnType<typeof runFromRest>, said: Said, times = 1): string[] {
  const output = meter.output.measured;
  const current = meter.currents[0]!.measured;
  const { vout, period } = request;
  const pairs: [string, number, number, number][] = [
    ['average', output.average, said.average, 1e-6 * vout],
    ['lowest', output.min, said.min, 2e-6 * vout],
    ['highest', output.max, said.max, 2e-6 * vout],
    ['RMS', output.rms, said.outputRms, 1e-6 * vout],
    ['current’s RMS', current.rms, said.currentRms, 1e-6 * said.peak],
    ['current’s peak', current.max, said.peak, 1e-5 * said.peak],
  ];
  const [wider, narrower] = said.outside;
  const late = times * 1e-6 * period;
  const outside = meter.lastOutside >= wider - late && meter.lastOutside <= narrower + late;
  return [
    ...pairs
      .filter(([, ours, theirs, allowed]) => !(Math.abs(ours - theirs) < times * allowed))
      .map(([name, ours, theirs]) => `${name}: ${ours} against ${theirs}`),
    ...(outside ? [] : [`last outside its band at ${meter.lastOutside}, not between ${wider} and ${narrower}`]),
  ];
}

/** The states that a reference found elsewhere, in words. */
export const apart = (ours: readonly number[], theirs: readonly number[], allowed: number): string[] =>
  theirs
    .map((value, k) => `state ${k}: ${ours[k]} against ${value}`)
    .filter((_, k) => !(Math.abs(theirs[k]! - ours[k]!) < allowed));
