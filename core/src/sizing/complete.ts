import type { Brief, CapacitorBank, Decisions, Design, RippleSchool, Topology } from '../design/schema.ts';
import type { CompleteDecisions } from '../operating/stage.ts';
import { formatQuantity, preferredDown, preferredNearest, preferredUp } from '../quantity/index.ts';
import { topologyModel } from '../topology/index.ts';
import { chooseFrequency } from './frequency.ts';
import { buckInductance, SCHOOLS, wantedSaturation } from './inductor.ts';
import { inputRippleCapacitive, interleavedInputRms, worstInputDuty } from './inputBank.ts';
import {
  ASSUMED_CROSSOVER,
  bulkFor,
  ceramicFor,
  loopExcursion,
  lumped,
  slewExcursion,
  triangleRipple,
} from './outputBank.ts';

/** Why a free decision came out as it did. */
export interface DecidedBy {
  /** the decision, as a path below `decisions` */
  path: string;
  rule: string;
}

export interface Completion {
  decisions: CompleteDecisions;
  decided: DecidedBy[];
}

/** A per phase above which another phase is cheaper than thicker copper. Common practice, no source. */
const PHASE_CURRENT = 25;
/** Shares of the loss the brief allows; the rest is for switching, gate drive, core and control. Our own starting point. */
const SHARE = { control: 0.15, rectifier: 0.15, winding: 0.2 };
const ASSUMED_EFFICIENCY = 0.9;
/** Part of a limit that a decided bank uses, so that its verdict is "met" and not "marginal". */
const USE = 0.8;
const MOST_CERAMICS = 16;
const MOST_BULK = 100;
/** Share of the nominal input allowed as ripple when the brief does not say. Common practice, no source. */
export const INPUT_RIPPLE_SHARE = 0.01;

/** A load step to start from: a quarter to three quarters of full load, 3 % of the output. Common practice, no source. */
export function suggestLoadStep({ outputCurrent, outputVoltage }: Brief): NonNullable<Brief['loadStep']> {
  return { from: outputCurrent.max / 4, to: (3 * outputCurrent.max) / 4, deviation: 0.03 * outputVoltage };
}

/** Output ripple that the brief allows, V peak to peak; 1 % of the output when it does not say. Common practice, no source. */
export function allowedOutputRipple(brief: Brief): number {
  return brief.outputRipple ?? 0.01 * brief.outputVoltage;
}

export function allowedInputRipple(brief: Brief): number {
  return brief.inputRipple ?? INPUT_RIPPLE_SHARE * brief.inputVoltage.nominal;
}

/** Decides everything the design leaves open. Held decisions pass through untouched; each free one says by which rule. */
export function completeDecisions(design: Design): Completion {
  const { brief, decisions: given } = design;
  const decided: DecidedBy[] = [];
  const decide = <T>(path: string, held: T | undefined, make: () => { value: T; rule: string }): T => {
    if (held !== undefined) return held;
    const { value, rule } = make();
    decided.push({ path, rule });
    return value;
  };

  const topology = decide<Topology>('topology', given.topology, () => ({
    value: 'buck',
    rule: 'the topology this release solves',
  }));
  const phases = decide('phases', given.phases, () => choosePhases(brief));
  const lightLoad = decide('lightLoad', given.lightLoad, () => ({
    value: 'forced-pwm' as const,
    rule: 'fixed frequency at every load until a policy is chosen',
  }));
  const control = completeControl(given, brief, decide);
  const model = topologyModel(topology) ?? topologyModel('buck')!;
  const { inputVoltage, outputVoltage, outputCurrent } = brief;
  const smallest = Math.min(1, model.idealDuty(outputVoltage / inputVoltage.max));
  const largest = Math.min(1, model.idealDuty(outputVoltage / inputVoltage.min));

  const switchingFrequency = decide('switchingFrequency', given.switchingFrequency, () => {
    const choice = chooseFrequency(smallest, largest, control.minimumOnTime, control.minimumOffTime);
    const words = {
      wish: 'usual for integrated silicon, low for efficiency',
      'on-time': `on-time at ${formatQuantity(inputVoltage.max, 'V')} a quarter above its limit`,
      'off-time': `off-time at ${formatQuantity(inputVoltage.min, 'V')} a quarter above its limit`,
    };
    const value = choice.limitedBy === 'wish' ? choice.frequency : preferredDown(choice.frequency, 'E24');
    return { value, rule: words[choice.limitedBy] };
  });

  const rippleSchool = decide<RippleSchool>('rippleSchool', given.rippleSchool, () => {
    const value =
      control.method === 'peak-current-mode' || control.method === 'constant-on-time' ? control.method : 'general';
    return { value, rule: 'the school of the control method' };
  });
  const rippleRatio = decide('rippleRatio', given.rippleRatio, () => ({
    value: SCHOOLS[rippleSchool].ratio,
    rule: `${SCHOOLS[rippleSchool].name} school: ${SCHOOLS[rippleSchool].reason}`,
  }));
  const phaseCurrent = outputCurrent.max / phases;
  const inductance = decide('inductor.inductance', given.inductor?.inductance, () => ({
    value: preferredNearest(
      buckInductance(outputVoltage, Math.min(smallest, 0.98), rippleRatio * phaseCurrent, switchingFrequency),
      'E6',
    ),
    rule: `${Math.round(rippleRatio * 100)} % ripple at ${formatQuantity(inputVoltage.max, 'V')}, nearest E6`,
  }));
  const ripple = (outputVoltage * Math.max(0.02, 1 - smallest)) / (inductance * switchingFrequency);

  const allowedLoss = outputVoltage * outputCurrent.max * (1 / (brief.efficiency ?? ASSUMED_EFFICIENCY) - 1 || 0.01);
  const share = (part: number, square: number): number => tidyResistance((part * allowedLoss) / phases / square);
  const square = phaseCurrent ** 2 + ripple ** 2 / 12;
  const resistance = decide('inductor.resistance', given.inductor?.resistance, () => ({
    value: share(SHARE.winding, square),
    rule: `winding takes ${SHARE.winding * 100} % of the loss allowed`,
  }));
  const saturationCurrent = decide('inductor.saturationCurrent', given.inductor?.saturationCurrent, () => ({
    value: preferredUp(wantedSaturation(phaseCurrent, phaseCurrent + ripple / 2), 'E24'),
    rule: '1.35 × load and 1.2 × peak, next E24 up',
  }));

  const controlSwitch = {
    ...given.controlSwitch,
    onResistance: decide('controlSwitch.onResistance', given.controlSwitch?.onResistance, () => ({
      value: share(SHARE.control, square * Math.max(largest, 0.02)),
      rule: `conduction at ${formatQuantity(inputVoltage.min, 'V')} takes ${SHARE.control * 100} % of the loss allowed`,
    })),
  };
  const rectifier = completeRectifier(
    given,
    decide,
    () => share(SHARE.rectifier, square * Math.max(0.02, 1 - smallest)),
    inputVoltage.max,
  );

  const stepSlew = {
    down: (Math.max(0, inputVoltage.min * control.maximumDuty - outputVoltage) * phases) / inductance,
    up: (outputVoltage * phases) / inductance,
  };
  const outputCapacitors = decide('outputCapacitors', given.outputCapacitors, () =>
    chooseOutputBank(brief, { ripple, phases, frequency: switchingFrequency, duty: smallest, slew: stepSlew }),
  );
  const inputCapacitors = decide('inputCapacitors', given.inputCapacitors, () =>
    chooseInputBank(brief, { smallest, largest, phases, frequency: switchingFrequency }),
  );

  return {
    decided,
    decisions: {
      ...given,
      topology,
      phases,
      switchingFrequency,
      lightLoad,
      rippleSchool,
      rippleRatio,
      inductor: { ...given.inductor, inductance, resistance, saturationCurrent },
      controlSwitch,
      rectifier,
      outputCapacitors,
      inputCapacitors,
      control,
    },
  };
}

type Decide = <T>(path: string, held: T | undefined, make: () => { value: T; rule: string }) => T;

function choosePhases({ outputCurrent }: Brief): { value: number; rule: string } {
  const value = Math.min(8, Math.max(1, Math.ceil(outputCurrent.max / PHASE_CURRENT)));
  return {
    value,
    rule:
      value === 1 ? `${formatQuantity(outputCurrent.max, 'A')} needs no more` : `at most ${PHASE_CURRENT} A a phase`,
  };
}

function completeControl(given: Decisions, brief: Brief, decide: Decide): CompleteDecisions['control'] {
  const { control } = given;
  return {
    ...control,
    method: decide('control.method', control?.method, () => ({
      value: 'voltage-mode',
      rule: 'the simplest to reason about; the Loop rung weighs the others',
    })),
    referenceVoltage: decide('control.referenceVoltage', control?.referenceVoltage, () => ({
      value: Math.min(0.8, brief.outputVoltage),
      rule: 'usual for integrated controllers',
    })),
    minimumOnTime: decide('control.minimumOnTime', control?.minimumOnTime, () => ({
      value: 80e-9,
      rule: 'usual for integrated controllers',
    })),
    minimumOffTime: decide('control.minimumOffTime', control?.minimumOffTime, () => ({
      value: 120e-9,
      rule: 'usual for integrated controllers',
    })),
    maximumDuty: decide('control.maximumDuty', control?.maximumDuty, () => ({
      value: 0.97,
      rule: 'usual for a bootstrapped high side',
    })),
    deadTime: decide('control.deadTime', control?.deadTime, () => ({
      value: 0,
      rule: 'no driver chosen yet: its loss is left out until it is known',
    })),
  };
}

function completeRectifier(
  given: Decisions,
  decide: Decide,
  onResistance: () => number,
  blocked: number,
): CompleteDecisions['rectifier'] {
  const rectifier = decide('rectifier', given.rectifier, () => ({
    value: { kind: 'synchronous' as const },
    rule: 'a switch loses less than a diode’s drop',
  }));
  if (rectifier.kind === 'synchronous') {
    return {
      ...rectifier,
      onResistance: decide('rectifier.onResistance', rectifier.onResistance, () => ({
        value: onResistance(),
        rule: `conduction at ${formatQuantity(blocked, 'V')} takes ${SHARE.rectifier * 100} % of the loss allowed`,
      })),
    };
  }
  return {
    ...rectifier,
    forwardVoltage: decide('rectifier.forwardVoltage', rectifier.forwardVoltage, () =>
      blocked <= 60 ? { value: 0.45, rule: 'Schottky' } : { value: 0.9, rule: 'fast silicon above 60 V' },
    ),
    resistance: decide('rectifier.resistance', rectifier.resistance, () => ({
      value: 0,
      rule: 'flat drop until a part is chosen',
    })),
  };
}

function tidyResistance(value: number): number {
  return preferredDown(Math.min(10, Math.max(2e-4, value)), 'E24');
}

/** Times `unit` in parallel. */
function of(unit: CapacitorBank, count: number): CapacitorBank {
  return { ...unit, count };
}

function chooseOutputBank(
  brief: Brief,
  stage: { ripple: number; phases: number; frequency: number; duty: number; slew: { down: number; up: number } },
): { value: CapacitorBank[]; rule: string } {
  const { outputVoltage, loadStep } = brief;
  const rippleLimit = USE * allowedOutputRipple(brief);
  const stepLimit = loadStep ? USE * (loadStep.deviation ?? 0.03 * outputVoltage) : Infinity;
  const step = loadStep ? Math.abs(loadStep.to - loadStep.from) : 0;
  const period = 1 / stage.frequency;
  // interleaving divides the ripple at least by N in frequency; its cancellation is left as reserve
  const rippleOf = (banks: CapacitorBank[]): number => {
    const { capacitance, resistance } = lumped(banks);
    const duty = Math.min(0.98, Math.max(0.02, stage.duty));
    return triangleRipple(
      stage.ripple,
      (duty * period) / stage.phases,
      ((1 - duty) * period) / stage.phases,
      capacitance,
      resistance,
    );
  };
  const stepOf = (banks: CapacitorBank[]): number => {
    const { capacitance, resistance } = lumped(banks);
    return step === 0
      ? 0
      : Math.max(
          loopExcursion(step, ASSUMED_CROSSOVER * stage.frequency, capacitance, resistance),
          slewExcursion(step, Math.min(stage.slew.down, stage.slew.up), capacitance, resistance),
        );
  };
  const fits = (banks: CapacitorBank[]): boolean => rippleOf(banks) <= rippleLimit && stepOf(banks) <= stepLimit;
  const ruleFor = (banks: CapacitorBank[]): string =>
    stepOf(banks) / stepLimit > rippleOf(banks) / rippleLimit ? 'the load step rules, not ripple' : 'ripple rules';

  const ceramic = ceramicFor(outputVoltage);
  for (let count = 1; count <= MOST_CERAMICS; count += 1) {
    const banks = [of(ceramic, count)];
    if (fits(banks)) return { value: banks, rule: ruleFor(banks) };
  }
  const bulk = bulkFor(outputVoltage);
  for (let count = 1; count <= MOST_BULK; count += 1) {
    const banks = [of(ceramic, Math.min(MOST_CERAMICS, 4 + count)), of(bulk, count)];
    if (fits(banks)) return { value: banks, rule: `${ruleFor(banks)}; bulk joins the ceramics` };
  }
  return {
    value: [of(ceramic, MOST_CERAMICS), of(bulk, MOST_BULK)],
    rule: 'no bank of sensible size meets this brief: more frequency, phases or allowance is needed',
  };
}

function chooseInputBank(
  brief: Brief,
  stage: { smallest: number; largest: number; phases: number; frequency: number },
): { value: CapacitorBank[]; rule: string } {
  const { inputVoltage, outputCurrent } = brief;
  const unit = { ...ceramicFor(inputVoltage.max), esl: 0 }; // the input ripple is figured without it
  const worst = worstInputDuty(stage.smallest, stage.largest, stage.phases);
  const rms = interleavedInputRms(outputCurrent.max, worst, stage.phases);
  const byRms = rms / ((unit.rippleCurrentRating ?? Infinity) * USE);
  const limit = USE * allowedInputRipple(brief);
  const share = outputCurrent.max / stage.phases;
  const peakDuty = Math.min(0.5, Math.max(stage.smallest, Math.min(stage.largest, 0.5)));
  const byRipple = inputRippleCapacitive(share, peakDuty, stage.frequency, unit.capacitance) / limit;
  const count = Math.min(1000, Math.max(1, Math.ceil(Math.max(byRms, byRipple, (share * unit.esr) / limit))));
  return {
    value: [of(unit, count)],
    rule: byRms > byRipple ? `${formatQuantity(rms, 'A')} RMS at its worst duty rules` : 'input ripple rules',
  };
}
