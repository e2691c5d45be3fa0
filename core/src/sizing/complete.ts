import { chooseInputBank, chooseOutputBank, type Sized } from './banks.ts';
import { choosePhases } from './phases.ts';
import type { Brief, CapacitorBank, Decisions, Design, RippleSchool, Topology } from '../design/schema.ts';
import { dutyLimits, type CompleteDecisions } from '../operating/stage.ts';
import { solveCorner } from '../operating/operatingPoint.ts';
import { formatQuantity, preferredDown, preferredNearest, preferredUp } from '../quantity/index.ts';
import { topologyModel, type TopologyModel } from '../topology/index.ts';
import { coupledRipple, transientFactor } from './coupling.ts';
import { deliveredSlew, estimate, losslessConditions, tellingInputs, type Estimate, type Setting } from './estimate.ts';
import { chooseFrequency, USUAL_FREQUENCY, type FrequencyChoice } from './frequency.ts';
import { SCHOOLS, wantedSaturation } from './inductor.ts';
import { assumedCrossover } from './outputBank.ts';
import { zeroVoltageValley } from './zeroVoltage.ts';

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

/** Shares of the loss the brief allows; the rest is for switching, gate drive, core and control. Our own starting point. */
const SHARE = { control: 0.15, rectifier: 0.15, winding: 0.2 };
const ASSUMED_EFFICIENCY = 0.9;

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

  const topology = decide<Topology>('topology', given.topology, () => chooseTopology(brief));
  const model = topologyModel(topology);
  const phases = decide('phases', given.phases, () => choosePhases(brief, model, given.coupling));
  const lightLoad = decide('lightLoad', given.lightLoad, () => ({
    value: 'forced-pwm' as const,
    rule: 'fixed frequency at every load until a policy is chosen',
  }));
  const control = completeControl(given, brief, topology, decide);
  const { inputVoltage, outputVoltage } = brief;
  const critical = given.conduction === 'critical';
  const inputs = once(() => tellingInputs(model, brief, phases));
  const settingOf = (frequency: number, inductance: number): Setting =>
    settingFor(control, phases, frequency, inductance);
  const coupled = { phases, coupling: given.coupling };
  const corners = (frequency: number, inductance: number): Estimate[] =>
    inputs().flatMap((input) => cornerEstimates(model, brief, input, settingOf(frequency, inductance), coupled));

  const switchingFrequency = decide('switchingFrequency', given.switchingFrequency, () => {
    const { choice, low, high } = frequencyChoice(brief, model, phases, control);
    const words = {
      wish: 'usual for integrated silicon, low for efficiency',
      'on-time': `on-time at ${formatQuantity(low.input, 'V')} a quarter above its limit`,
      'off-time': `off-time at ${formatQuantity(high.input, 'V')} a quarter above its limit`,
      band: 'the highest whose harmonics stay out of the bands to keep clear',
    };
    return { value: choice.frequency, rule: words[choice.limitedBy] };
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
  // what is held needs no estimates: they are made when the first free decision asks
  const unit = once(() => corners(switchingFrequency, 1));
  const largestCurrent = once(() => Math.max(...unit().map((at) => at.inductorAverage)));
  const inductance = decide('inductor.inductance', given.inductor?.inductance, () => {
    if (critical) {
      const least = Math.min(...unit().map((at) => at.inductorRipple / (2 * at.inductorAverage)));
      return {
        value: preferredDown(Math.max(1e-12, least), 'E6'),
        rule: `critical conduction: at full load no slower than ${formatQuantity(switchingFrequency, 'Hz')} over the line, next E6 down`,
      };
    }
    const worst = worstRipple(unit());
    return {
      value: preferredNearest(Math.max(1e-12, worst.inductorRipple / (rippleRatio * largestCurrent())), 'E6'),
      rule:
        `${Math.round(rippleRatio * 100)} % ripple at ${formatQuantity(worst.inputVoltage, 'V')}` +
        `${topology === 'buck' ? '' : ` of the ${formatQuantity(largestCurrent(), 'A')} it carries at most`}, nearest E6`,
    };
  });
  const at = once(() => corners(switchingFrequency, inductance));
  const ripple = (): number =>
    critical ? 2 * largestCurrent() : Math.max(...at().map((corner) => corner.inductorRipple));
  const largest = (of: (corner: Estimate) => number): Estimate => at().reduce((a, b) => (of(b) > of(a) ? b : a));

  const allowedLoss =
    outputVoltage * brief.outputCurrent.max * (1 / (brief.efficiency ?? ASSUMED_EFFICIENCY) - 1 || 0.01);
  const legs = topology === 'four-switch-buck-boost' ? 2 : 1;
  const share = (part: number, square: number): number => tidyResistance((part * allowedLoss) / phases / legs / square);
  const square = once(() => largestCurrent() ** 2 + ripple() ** 2 / 12);
  const resistance = decide('inductor.resistance', given.inductor?.resistance, () => ({
    value: tidyResistance((SHARE.winding * allowedLoss) / phases / square()),
    rule: `winding takes ${SHARE.winding * 100} % of the loss allowed`,
  }));
  const saturationCurrent = decide('inductor.saturationCurrent', given.inductor?.saturationCurrent, () => {
    const peak = critical ? 2 * largestCurrent() : Math.max(...at().map((corner) => corner.peak));
    return {
      value: preferredUp(wantedSaturation(largestCurrent(), peak), 'E24'),
      rule: '1.35 × load and 1.2 × peak, next E24 up',
    };
  });

  const onControl = once(() => largest((corner) => corner.controlRms));
  const onRectifier = once(() => largest((corner) => corner.rectifierRms));
  const controlSwitch = {
    ...given.controlSwitch,
    onResistance: decide('controlSwitch.onResistance', given.controlSwitch?.onResistance, () => ({
      value: share(SHARE.control, legs === 2 ? square() : Math.max(onControl().controlRms ** 2, 0.02 * square())),
      rule: `conduction at ${formatQuantity(onControl().inputVoltage, 'V')} takes ${SHARE.control * 100} % of the loss allowed`,
    })),
  };
  const rectifier = completeRectifier(
    given,
    decide,
    () => share(SHARE.rectifier, legs === 2 ? square() : Math.max(onRectifier().rectifierRms ** 2, 0.02 * square())),
    { at: () => onRectifier().inputVoltage, blocked: model.switchStress(inputVoltage.max, outputVoltage).rectifier },
  );
  const boostLeg = given.boostLeg && {
    ...given.boostLeg,
    controlSwitch: { onResistance: controlSwitch.onResistance, ...given.boostLeg.controlSwitch },
    rectifier: given.boostLeg.rectifier
      ? given.boostLeg.rectifier.kind === 'diode'
        ? { forwardVoltage: 0.45, resistance: 0, ...given.boostLeg.rectifier }
        : { onResistance: controlSwitch.onResistance, ...given.boostLeg.rectifier }
      : rectifier,
  };

  const slew = (direction: 'up' | 'down'): number =>
    Math.min(
      ...inputs().map((input) =>
        deliveredSlew(
          model,
          losslessConditions(brief, input, settingOf(switchingFrequency, inductance * transientFactor(coupled))),
          direction,
          control.maximumDuty,
        ),
      ),
    );
  const stage = (): Sized => ({
    at: at(),
    phases,
    frequency: switchingFrequency,
    crossover: assumedCrossover(
      switchingFrequency,
      Math.min(...at().map((corner) => corner.rightHalfPlaneZero ?? Infinity)),
    ),
  });
  const valley = given.critical?.nodeCapacitance;
  const criticalDecisions =
    critical && valley !== undefined && rectifier.kind === 'synchronous'
      ? {
          ...given.critical,
          valleyCurrent: decide('critical.valleyCurrent', given.critical?.valleyCurrent, () => ({
            value: zeroVoltageValley(topology, inputVoltage.max, outputVoltage, inductance, valley),
            rule: `what swings the node over at ${formatQuantity(inputVoltage.max, 'V')}`,
          })),
        }
      : given.critical;

  const assemble = (banks: Pick<CompleteDecisions, 'outputCapacitors' | 'inputCapacitors'>): CompleteDecisions => ({
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
    ...(boostLeg ? { boostLeg } : {}),
    ...(criticalDecisions ? { critical: criticalDecisions } : {}),
    ...banks,
    control,
  });
  const inputCapacitors = decide('inputCapacitors', given.inputCapacitors, () => chooseInputBank(brief, stage()));
  /** V, exact, at the inputs that are the worst by estimate: unlike banks ring with one another as no estimate tells */
  const exactRipple = (outputCapacitors: CapacitorBank[], worst: readonly number[]): number =>
    Math.max(
      ...worst.map((inputVoltage) => {
        const corner = { inputVoltage, outputCurrent: brief.outputCurrent.max };
        const { point } = solveCorner(model, brief, assemble({ outputCapacitors, inputCapacitors }), corner);
        return point?.outputCapacitor.ripple ?? 0;
      }),
    );
  const outputCapacitors = decide('outputCapacitors', given.outputCapacitors, () =>
    chooseOutputBank(brief, stage(), { on: slew('up'), off: slew('down') }, exactRipple),
  );

  return { decided, decisions: assemble({ outputCapacitors, inputCapacitors }) };
}

/** Part of its lossless reach in duty that a stage may lose to resistances. Our own starting point. */
const LOST_REACH = 0.07;

/** Every telling corner of a design by estimate. */
export function sizingCorners(brief: Brief, decisions: CompleteDecisions, inductance: number): Estimate[] {
  const { topology, phases, control, switchingFrequency } = decisions;
  const model = topologyModel(topology);
  const setting = settingFor(control, phases, switchingFrequency, inductance);
  return tellingInputs(model, brief, phases).flatMap((input) =>
    cornerEstimates(model, brief, input, setting, decisions),
  );
}

/** One input's estimates; a four-switch stage whose losses may carry it into its transition there has that one too. */
function cornerEstimates(
  model: TopologyModel,
  brief: Brief,
  input: number,
  setting: Setting,
  coupled: Pick<Decisions, 'coupling'> & { phases: number },
): Estimate[] {
  const lossless = estimate(model, losslessConditions(brief, input, setting));
  if (lossless.region !== 'buck') return [withCoupling(lossless, coupled)];
  const lossy = { ...setting, largestDuty: setting.largestDuty * (1 - LOST_REACH) };
  const other = estimate(model, losslessConditions(brief, input, lossy));
  return (other.region === 'buck' ? [lossless] : [lossless, other]).map((at) => withCoupling(at, coupled));
}

/** An estimate with what coupled windings do to their own ripple, to its sum, and to what moves together. */
function withCoupling(at: Estimate, { phases, coupling }: Pick<Decisions, 'coupling'> & { phases: number }): Estimate {
  const transient = transientFactor({ phases, coupling });
  if (!coupling || transient === 1 || !(at.duty > 0 && at.duty < 1)) return at;
  const { winding } = coupledRipple(phases, coupling, at.duty);
  // a sum that cancels at the lossless duty does not at the real one beside it
  const sums = [0.9, 1, 1.1].map((part) => coupledRipple(phases, coupling, Math.min(0.98, at.duty * part)).sum);
  return {
    ...at,
    inductorRipple: at.inductorRipple * winding,
    summedRipple: at.inductorRipple * Math.max(...sums),
    peak: at.inductorAverage + (at.inductorRipple * winding) / 2,
    rightHalfPlaneZero: at.rightHalfPlaneZero === undefined ? undefined : at.rightHalfPlaneZero / transient,
  };
}

/** The corner whose volt-seconds across the inductor are the largest. */
export function worstRipple(corners: readonly Estimate[]): Estimate {
  return corners.reduce((a, b) => (b.inductorRipple > a.inductorRipple ? b : a));
}

export function settingFor(
  control: CompleteDecisions['control'],
  phases: number,
  switchingFrequency: number,
  inductance: number,
): Setting {
  return {
    phases,
    switchingFrequency,
    inductance,
    ...dutyLimits(control, switchingFrequency, control.deadTime),
  };
}

/** Frequency from the ideal duties over the line, and the inputs at which the smallest and the largest stand. */
export function frequencyChoice(
  brief: Brief,
  model: TopologyModel,
  phases: number,
  control: CompleteDecisions['control'],
): { choice: FrequencyChoice; low: { input: number; duty: number }; high: { input: number; duty: number } } {
  // duties of a leg that switches between its limits; a stage that passes its input through has none
  const duties = tellingInputs(model, brief, phases)
    .map((input) => estimate(model, losslessConditions(brief, input, settingFor(control, phases, USUAL_FREQUENCY, 1))))
    .filter(({ region, duty }) => region !== 'buck-boost' && duty > 0)
    .map(({ inputVoltage: input, duty }) => ({ input, duty }));
  const low = duties.reduce(
    (a, b) => (b.duty < a.duty ? b : a),
    duties[0] ?? { input: brief.inputVoltage.max, duty: 1 },
  );
  const high = duties.reduce(
    (a, b) => (b.duty > a.duty ? b : a),
    duties[0] ?? { input: brief.inputVoltage.min, duty: 0 },
  );
  const fourSwitch = model.id === 'four-switch-buck-boost'; // its transition takes over near full duty
  const choice = chooseFrequency(
    low.duty,
    fourSwitch ? 0 : high.duty,
    fourSwitch ? 0 : control.minimumOnTime,
    control.minimumOffTime,
    brief.keepClear,
  );
  return { choice, low, high };
}

/** Made at the first asking, then kept. */
function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}

type Decide = <T>(path: string, held: T | undefined, make: () => { value: T; rule: string }) => T;

/** Part of the input that a buck must have left above its output, for drops and minimum off-time. Common practice, no source. */
const HEADROOM = 1.06;

function chooseTopology(brief: Brief): { value: Topology; rule: string } {
  const { inputVoltage, outputVoltage } = brief;
  const volts = (value: number): string => formatQuantity(value, 'V');
  if (brief.outputPolarity === 'negative') return { value: 'inverting-buck-boost', rule: 'the output is below return' };
  if (inputVoltage.min >= outputVoltage * HEADROOM)
    return { value: 'buck', rule: `the input stays above the output, ${volts(inputVoltage.min)} at its lowest` };
  if (inputVoltage.max * HEADROOM <= outputVoltage)
    return { value: 'boost', rule: `the input stays below the output, ${volts(inputVoltage.max)} at its highest` };
  return {
    value: 'four-switch-buck-boost',
    rule: `the input, ${volts(inputVoltage.min)} to ${volts(inputVoltage.max)}, lies on both sides of the output`,
  };
}

function completeControl(
  given: Decisions,
  brief: Brief,
  topology: Topology,
  decide: Decide,
): CompleteDecisions['control'] {
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
      rule:
        topology === 'boost'
          ? 'an over-driven boost only shorts its source: its duty is limited short of 1'
          : 'what a bootstrapped high side leaves to recharge itself',
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
  worst: { at: () => number; blocked: number },
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
        rule: `conduction at ${formatQuantity(worst.at(), 'V')} takes ${SHARE.rectifier * 100} % of the loss allowed`,
      })),
    };
  }
  return {
    ...rectifier,
    forwardVoltage: decide('rectifier.forwardVoltage', rectifier.forwardVoltage, () =>
      worst.blocked <= 60 ? { value: 0.45, rule: 'Schottky' } : { value: 0.9, rule: 'fast silicon above 60 V' },
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
