import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { over, plus, scaled, times, type Complex } from '../numbers/complex.ts';
import type { Unit } from '../quantity/index.ts';
import { currentNetwork, type Ready } from '../simulation/setup.ts';
import { transientFactor } from '../estimates/coupling.ts';
import { lumped } from '../estimates/outputBank.ts';
import { byCurrent } from './averaged.ts';
import { CompensatorResponse } from './compensator.ts';

/*
 * The textbook's transfer functions from control voltage to output: one bank with one ESR, no losses but the load's and what
 * damps the filter, continuous conduction. A witness beside the stage's own numbers, and the names of what bends the curve.
 * Source: Erickson and Maksimović, chapters 8 and 12; Ridley, 1990, for the sampling; recalled from memory.
 */

export interface Feature {
  kind: 'zero' | 'pole' | 'double pole' | 'right-half-plane zero' | 'sampling double pole' | 'resonance';
  name: string;
  /** Hz */
  frequency: number;
  /** of a double pole */
  q?: number;
  /** how it is computed, for the typesetter, and from which values */
  tex: string;
  from: { symbol: string; value: number; unit: Unit }[];
}

export interface Textbook {
  /** undefined where no textbook form holds: then `why` says so */
  plant: ((frequency: number) => Complex) | undefined;
  features: Feature[];
  why: string | undefined;
}

const TURN = 2 * Math.PI;

/** @param ready of the corner's steady state */
export function textbookAt({ brief }: Design, { setup, solved, decisions }: Ready, corner: Corner): Textbook {
  const { topology, phases, control, inductor } = decisions;
  const { point } = solved;
  const { state } = solved;
  const features: Feature[] = [];
  const bank = lumped(decisions.outputCapacitors);
  const { capacitance: c, resistance: esr } = bank;
  const r = brief.outputVoltage / corner.outputCurrent;
  // what the load itself answers a change of its voltage with
  const load = brief.load === 'resistive' ? 1 / r : 0;
  const l = (inductor.inductance * transientFactor(decisions)) / phases;
  const put = (feature: Feature): void => {
    if (Number.isFinite(feature.frequency) && feature.frequency > 0) features.push(feature);
  };
  put({
    kind: 'zero',
    name: 'ESR zero',
    frequency: 1 / (TURN * esr * c),
    tex: '\\frac{1}{2\\pi R_C C}',
    from: [
      { symbol: 'R_C', value: esr, unit: 'Ω' },
      { symbol: 'C', value: c, unit: 'F' },
    ],
  });
  const { outputFilter } = decisions;
  if (outputFilter) {
    const behind = lumped(outputFilter.capacitors);
    const both = 1 / (1 / c + 1 / behind.capacitance);
    put({
      kind: 'resonance',
      name: 'second section',
      frequency: 1 / (TURN * Math.sqrt(outputFilter.inductance * both)),
      tex: '\\frac{1}{2\\pi\\sqrt{L_2 \\left(C_1 C_2 / (C_1 + C_2)\\right)}}',
      from: [
        { symbol: 'L_2', value: outputFilter.inductance, unit: 'H' },
        { symbol: 'C_1', value: c, unit: 'F' },
        { symbol: 'C_2', value: behind.capacitance, unit: 'F' },
      ],
    });
  }
  const none = (why: string): Textbook => ({ plant: undefined, features, why });
  if (!state || !point) return none('The corner has no steady state.');
  if (state.mode !== 'CCM') return none('The textbook form here is that of continuous conduction.');
  if (state.operation.region === 'buck-boost')
    return none('No textbook form is shown while both legs of a four-switch stage switch.');
  const region = state.operation.region ?? topology;
  const steps = region === 'boost' ? 'boost' : region === 'buck' ? 'buck' : 'both';
  // lossless duties: the textbook's own
  const { inputVoltage: vg } = corner;
  const v = brief.outputVoltage;
  const duty = steps === 'boost' ? 1 - vg / v : steps === 'buck' ? v / vg : v / (v + vg);
  const rest = steps === 'buck' ? 1 : 1 - duty;
  const { method } = control;
  const zero = steps === 'buck' ? Infinity : (rest ** 2 * r) / (TURN * l * (steps === 'both' ? duty : 1));
  put({
    kind: 'right-half-plane zero',
    name: 'right-half-plane zero',
    frequency: zero,
    tex: steps === 'both' ? "\\frac{D'^2 R}{2\\pi D L}" : "\\frac{D'^2 R}{2\\pi L}",
    from: [
      { symbol: "D'", value: rest, unit: '' },
      ...(steps === 'both' ? [{ symbol: 'D', value: duty, unit: '' as const }] : []),
      { symbol: 'R', value: r, unit: 'Ω' },
      { symbol: 'L', value: l, unit: 'H' },
    ],
  });
  const s = (frequency: number): Complex => [0, TURN * frequency];
  const first = (frequency: number, at: number, sign = 1): Complex =>
    Number.isFinite(at) ? [1, (sign * frequency) / at] : [1, 0];
  const zeros = (frequency: number): Complex =>
    times(first(frequency, 1 / (TURN * esr * c)), first(frequency, zero, -1));
  const quadratic = (frequency: number, at: number, q: number): Complex => [
    1 - (frequency / at) ** 2,
    frequency / at / q,
  ];
  if (method === 'voltage-mode' || method === 'voltage-mode-feedforward' || method === 'average-current-mode') {
    const f0 = rest / (TURN * Math.sqrt(l * c));
    const released =
      decisions.rectifier.kind === 'diode' ? decisions.rectifier.resistance : decisions.rectifier.onResistance;
    const series =
      (inductor.resistance + duty * decisions.controlSwitch.onResistance + (1 - duty) * (released ?? 0)) / phases;
    const z0 = Math.sqrt(l / c) / rest;
    const q = 1 / (z0 * load + (series / rest ** 2 + esr) / z0);
    put({
      kind: 'double pole',
      name: 'output filter',
      frequency: f0,
      q,
      tex: steps === 'buck' ? '\\frac{1}{2\\pi\\sqrt{LC}}' : "\\frac{D'}{2\\pi\\sqrt{LC}}",
      from: [
        { symbol: 'L', value: l, unit: 'H' },
        { symbol: 'C', value: c, unit: 'F' },
        ...(steps === 'buck' ? [] : [{ symbol: "D'", value: rest, unit: '' as const }]),
      ],
    });
    const gain = (steps === 'buck' ? vg : v / rest / (steps === 'both' ? duty : 1)) * modulatorGain(setup, corner);
    const byDuty = (frequency: number): Complex => scaled(over(zeros(frequency), quadratic(frequency, f0, q)), gain);
    if (method !== 'average-current-mode') return { plant: byDuty, features, why: undefined };
    // what a winding carries: the switched voltage into the load's admittance, and what the duty takes from the output
    const { modulator, period } = setup;
    const switched = steps === 'buck' ? vg : v / (steps === 'both' ? duty : 1);
    const taken = steps === 'buck' ? 0 : corner.outputCurrent;
    const sensed = (frequency: number): Complex => {
      const admittance = plus([load, 0], scaled(s(frequency), c));
      const drawn = scaled(plus(scaled(admittance, switched), [taken, 0]), 1 / rest ** 2 / phases);
      return scaled(over(drawn, quadratic(frequency, f0, q)), modulator.currentSenseGain / modulator.rampAmplitude);
    };
    const { inputResistor = 1, feedbackResistor = 0 } = control.currentAmplifier ?? {};
    put({
      kind: 'pole',
      name: 'current’s own loop',
      frequency:
        ((feedbackResistor / inputResistor) * modulator.currentSenseGain * switched) /
        (TURN * inductor.inductance * modulator.rampAmplitude),
      tex: '\\frac{R_f}{R_1}\\,\\frac{R_\\mathrm{i} V_\\mathrm{s}}{2\\pi L V_\\mathrm{m}}',
      from: [
        { symbol: 'R_f', value: feedbackResistor, unit: 'Ω' },
        { symbol: 'R_1', value: inputResistor, unit: 'Ω' },
        { symbol: 'R_\\mathrm{i}', value: modulator.currentSenseGain, unit: 'V/A' },
        { symbol: 'V_\\mathrm{s}', value: switched, unit: 'V' },
        { symbol: 'L', value: inductor.inductance, unit: 'H' },
        { symbol: 'V_\\mathrm{m}', value: modulator.rampAmplitude, unit: 'V' },
      ],
    });
    const amplifier = new CompensatorResponse(currentNetwork(control.currentAmplifier), period);
    return {
      plant: (frequency) => byCurrent(amplifier.at(frequency), byDuty(frequency), sensed(frequency)),
      features,
      why: undefined,
    };
  }
  if (method !== 'peak-current-mode') return none('No textbook form is shown for this control method.');
  const { modulator, period } = setup;
  const rising = steps === 'boost' ? vg : steps === 'buck' ? vg - v : vg;
  const slope = (rising / inductor.inductance) * modulator.currentSenseGain;
  const mc = 1 + modulator.slopeCompensation / slope;
  const k = mc * (1 - duty) - 0.5;
  const q = 1 / (Math.PI * k);
  const half = 1 / (2 * period);
  put({
    kind: 'sampling double pole',
    name: 'sampling',
    frequency: half,
    q,
    tex: "\\tfrac12 f_s,\\; Q = \\frac{1}{\\pi(m_c D' - \\tfrac12)}",
    from: [
      { symbol: 'm_c', value: mc, unit: '' },
      { symbol: "D'", value: 1 - duty, unit: '' },
    ],
  });
  // the load's pole, moved by what the finite slopes take from the current source
  const taken = (k * period * rest ** (steps === 'buck' ? 0 : 3)) / l;
  const conductance = load + (steps === 'buck' ? 0 : steps === 'boost' ? 1 : duty) / r + taken;
  const pole = conductance / (TURN * c);
  put({
    kind: 'pole',
    name: 'load with the bank',
    frequency: pole,
    tex:
      steps === 'buck'
        ? "\\frac{1}{2\\pi C}\\left(\\frac1R + \\frac{m_c D' - 0.5}{L f_s}\\right)"
        : steps === 'boost'
          ? "\\frac{1}{2\\pi C}\\left(\\frac2R + \\frac{D'^3 (m_c D' - 0.5)}{L f_s}\\right)"
          : "\\frac{1}{2\\pi C}\\left(\\frac{1 + D}{R} + \\frac{D'^3 (m_c D' - 0.5)}{L f_s}\\right)",
    from: [
      { symbol: 'R', value: r, unit: 'Ω' },
      { symbol: 'C', value: c, unit: 'F' },
      { symbol: 'L', value: l, unit: 'H' },
      { symbol: 'f_s', value: 1 / period, unit: 'Hz' },
    ],
  });
  const gain = (rest * phases) / modulator.currentSenseGain / conductance;
  return {
    plant: (frequency) =>
      scaled(
        over(
          zeros(frequency),
          times(plus([1, 0], scaled(s(frequency), 1 / (TURN * pole))), quadratic(frequency, half, q)),
        ),
        gain,
      ),
    features,
    why: undefined,
  };
}

function modulatorGain({ modulator }: Ready['setup'], { inputVoltage }: Corner): number {
  return modulator.method === 'voltage-mode-feedforward'
    ? 1 / (modulator.rampGain * inputVoltage)
    : 1 / modulator.rampAmplitude;
}
