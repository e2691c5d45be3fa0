import type { Brief, CapacitorBank, Decisions, Design, RippleSchool, Topology } from '../../design/schema.ts';
import { dutyLimits, type CompleteDecisions, type InjectionNetwork } from '../operating/stage.ts';
import { bankRippleAt } from '../operating/cornerState.ts';
import type { BankStock } from '../../parts/capacitors.ts';
import { windingFor } from '../../parts/inductors.ts';
import { diodeClassFor, switchClassFor } from '../../parts/switches.ts';
import { formatQuantity, preferredDown, preferredNearest, preferredUp } from '../../quantity/index.ts';
import { topologyModel, type TopologyModel } from '../../topology/index.ts';
import { allowedLoss, chooseInputBank, chooseOutputBank, type Sized } from './banks.ts';
import { chooseMethod, completeLimits } from './control.ts';
import { settingFor, sizingCorners, worstRipple } from './corners.ts';
import { transientFactor } from './coupling.ts';
import { decider, once, type Decide, type DecidedBy } from '../../design/decide.ts';
import { estimate, likelyOperation, losslessConditions, tellingInputs, type Estimate } from './estimate.ts';
import { chooseFrequency, USUAL_FREQUENCY, usualFrequency, type FrequencyChoice } from './frequency.ts';
import { SCHOOLS, wantedSaturation } from './inductor.ts';
import { blindClimb } from './start.ts';
import { chooseLightLoad, chooseRectifier, meansPulses, PULSED_DUTY, SMALL_CURRENT } from './mode.ts';
import { chooseCompensator, dividerFor, hasAmplifier, hasNetwork, modulatorFor } from './compensator.ts';
import { rampAt } from './placing.ts';
import { chooseInjection, dividerOf, liftUsed } from './injection.ts';
import { sensedByRamp, slowestCritical } from './critical.ts';
import { chooseDigital } from './digital.ts';
import { lumped, RECOVERS, type Lumped } from './outputBank.ts';
import { modulates, reachOf, sectionOf } from './reach.ts';
import { choosePhases } from './phases.ts';
import { deliveredSlew, lateCurrent, latest, PROMPT, uncutCrossover, type Direction, type Late } from './slew.ts';
import { needsOf, siliconOf, sizeSwitches } from './switches.ts';
import type { SizedSwitch } from './switchLoss.ts';
import { zeroVoltageValley } from './zeroVoltage.ts';

export interface Completion {
  decisions: CompleteDecisions;
  decided: DecidedBy[];
}

export interface CompletionOptions {
  /** m² of die that all switches share, where stages are compared; the rule of least loss when absent */
  silicon?: number | undefined;
  /** Hz, at which a network that is decided crosses over; as high as can be had when absent */
  crossover?: number | undefined;
  /** capacitors that can be had, where they are chosen from a shelf */
  stock?: { output?: BankStock | undefined; input?: BankStock | undefined } | undefined;
}

/** Part of the loss allowed that windings may take, and that switches and windings together may; the rest is for core, controller and banks. Our own starting point. */
const WINDING_SHARE = 0.3;
const POWER_SHARE = 0.8;

/** Decides everything the design leaves open. Held decisions pass through untouched; each free one says by which rule. */
export function completeDecisions(design: Design, options: CompletionOptions = {}): Completion {
  const { brief, decisions: given } = design;
  const decided: DecidedBy[] = [];
  const decide = decider(decided);

  const topology = decide<Topology>('topology', given.topology, () => chooseTopology(brief));
  const model = topologyModel(topology);
  const limits = completeLimits(given, brief, topology, decide);
  const pulsed = meansPulses(brief, given, topology);
  const phases = decide('phases', given.phases, () =>
    pulsed
      ? { value: 1, rule: 'one pulse a period' }
      : choosePhases(brief, model, given, dutyLimits(limits, given.switchingFrequency ?? USUAL_FREQUENCY, 0)),
  );
  const kind = decide('rectifier', given.rectifier, () => chooseRectifier(brief, given, topology, phases, pulsed));
  const control: CompleteDecisions['control'] = {
    ...limits,
    method: decide('control.method', limits.method, () =>
      chooseMethod(given, brief, { topology, phases, rectifier: kind.kind }),
    ),
  };
  const rippleSchool = decide<RippleSchool>('rippleSchool', given.rippleSchool, () => {
    const value =
      control.method === 'peak-current-mode' || control.method === 'constant-on-time' ? control.method : 'general';
    return { value, rule: 'the school of the control method' };
  });
  const rippleRatio = decide('rippleRatio', given.rippleRatio, () => ({
    value: SCHOOLS[rippleSchool].ratio,
    rule: `${SCHOOLS[rippleSchool].name} school: ${SCHOOLS[rippleSchool].reason}`,
  }));

  const shape: StageShape = {
    brief,
    model,
    phases,
    control,
    rippleSchool,
    rippleRatio,
    pulsed,
    synchronous: kind.kind === 'synchronous',
    given,
  };
  const switchingFrequency = decide('switchingFrequency', given.switchingFrequency, () => decideFrequency(shape));
  const base = { topology, phases, control, switchingFrequency, coupling: given.coupling };
  const corners = (inductance: number): Estimate[] => sizingCorners(brief, base, inductance, pulsed);
  const unit = once(() => sizingCorners(brief, base, 1));
  const largestCurrent = once(() => Math.max(...unit().map((at) => at.inductorAverage)));
  const curve = given.inductor?.inductanceCurve;
  const inductance = decide('inductor.inductance', given.inductor?.inductance, () =>
    curve
      ? { value: curve[0]![1], rule: 'the beginning of its curve over current' }
      : decideInductance(shape, switchingFrequency, unit, largestCurrent),
  );
  const lightLoad = decide('lightLoad', given.lightLoad, () =>
    chooseLightLoad(
      brief,
      given,
      { topology, rectifier: kind.kind, inductorCurrent: largestCurrent() },
      {
        shortestPulse: () => shortestPulse(shape, switchingFrequency, inductance),
        minimumOnTime: control.minimumOnTime,
      },
    ),
  );
  const critical = given.conduction === 'critical';
  const at = once(() => corners(inductance));
  const ripple = (): number =>
    critical ? 2 * largestCurrent() : Math.max(...at().map((corner) => corner.inductorRipple));
  const peak = (): number =>
    critical
      ? 2 * largestCurrent()
      : Math.max(
          ...at().map((corner) => Math.max(corner.peak, lightLoad === 'forced-pwm' ? 0 : corner.inductorRipple)),
        );
  const saturationCurrent = decide('inductor.saturationCurrent', given.inductor?.saturationCurrent, () => ({
    value: preferredUp(
      wantedSaturation(
        pulsed ? peak() : largestCurrent(),
        peak(),
        topology === 'boost' ? 0 : blindClimb(brief, inductance, control),
      ),
      'E24',
    ),
    rule: '1.35 × load, and above the peak as much as the current limit with its tolerance and a short circuit need, next E24 up',
  }));
  const rms = (): number =>
    pulsed
      ? Math.max(...at().map((corner) => Math.hypot(corner.controlRms, corner.rectifierRms)))
      : Math.hypot(largestCurrent(), ripple() / Math.sqrt(12));
  const resistance = decide('inductor.resistance', given.inductor?.resistance, () => {
    const wound = windingFor(inductance, saturationCurrent, rms(), (WINDING_SHARE * allowedLoss(brief)) / phases);
    return {
      value: preferredNearest(wound.resistance, 'E24'),
      rule:
        wound.size > 1.05
          ? `what a part of ${formatQuantity(inductance, 'H')} and ${formatQuantity(saturationCurrent, 'A')} has in ${wound.size.toPrecision(2)} times the usual size, for its heat`
          : `what a part of ${formatQuantity(inductance, 'H')} and ${formatQuantity(saturationCurrent, 'A')} usually has`,
    };
  });

  const needs = once(() => needsOf(brief, topology, at()));
  const switches = once(() =>
    sizeSwitches(needs(), switchingFrequency, phases, kind.kind === 'synchronous', options.silicon),
  );
  const silicon = options.silicon !== undefined;
  const controlSwitch = {
    ...given.controlSwitch,
    onResistance: decide('controlSwitch.onResistance', given.controlSwitch?.onResistance, () => ({
      value: stockResistance(switches().control.resistance, silicon),
      rule: switchRule(switches().control, silicon),
    })),
    voltageRating: decide('controlSwitch.voltageRating', given.controlSwitch?.voltageRating, () =>
      ratingOf(needs().control.blocked),
    ),
  };
  const rectifier = completeRectifier(given, kind.kind, decide, {
    blocked: () => needs().rectifier.blocked,
    average: () => (pulsed ? needs().rectifier.rms : brief.outputCurrent.max / phases),
    sized: () => switches().rectifier,
    silicon,
  });
  const boostLeg = given.boostLeg && {
    ...given.boostLeg,
    controlSwitch: given.boostLeg.controlSwitch
      ? { onResistance: controlSwitch.onResistance, ...given.boostLeg.controlSwitch }
      : controlSwitch,
    rectifier: given.boostLeg.rectifier
      ? given.boostLeg.rectifier.kind === 'diode'
        ? { forwardVoltage: 0.45, resistance: 0, ...given.boostLeg.rectifier }
        : { onResistance: controlSwitch.onResistance, ...given.boostLeg.rectifier }
      : rectifier,
  };

  // H, of all phases together, as the loop sees it
  const seen = (inductance * transientFactor(base)) / phases;
  const stage = (): Sized => ({
    at: at(),
    phases,
    frequency: switchingFrequency,
    skips: lightLoad === 'pulse-skipping' || lightLoad === 'ultrasonic',
    section,
    crossover: (bank) => reach()(bank).slowest,
    recovers: hasAmplifier(control) || control.method === 'digital' ? RECOVERS : 1,
    ...(control.method === 'constant-on-time' && topology === 'buck' && phases === 1 && !given.control?.rippleInjection
      ? {
          lift: (bank: Lumped) =>
            liftUsed(
              brief,
              control,
              switchingFrequency,
              inductance,
              kind.kind === 'diode' || lightLoad !== 'forced-pwm',
              bank,
            ),
        }
      : {}),
  });
  const section = sectionOf(given.outputFilter);
  const slowest = once(() =>
    critical ? slowestCritical(at(), switchingFrequency, criticalDecisions?.valleyCurrent ?? 0) : switchingFrequency,
  );
  const asSensed = once(() =>
    critical && modulates(control.method)
      ? sensedByRamp(at(), (inputVoltage) => rampAt(modulated, inputVoltage))
      : undefined,
  );
  const reach = once(() =>
    reachOf(
      asSensed() === undefined ? control.method : 'peak-current-mode',
      { switchingFrequency: slowest(), phases },
      at(),
      seen,
      section,
      control.method === 'digital' ? uncut() : undefined,
    ),
  );
  const modulated = modulatorFor(model, control, brief, at, switchingFrequency, inductance, decide);
  const nodeCapacitance = given.critical?.nodeCapacitance;
  const criticalDecisions =
    critical && nodeCapacitance !== undefined && rectifier.kind === 'synchronous'
      ? {
          ...given.critical,
          valleyCurrent: decide('critical.valleyCurrent', given.critical?.valleyCurrent, () => ({
            value: zeroVoltageValley(
              topology,
              brief.inputVoltage.max,
              brief.outputVoltage,
              inductance,
              nodeCapacitance,
            ),
            rule: `what swings the node over at ${formatQuantity(brief.inputVoltage.max, 'V')}`,
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
    control: modulated,
  });
  const inputCapacitors = decide('inputCapacitors', given.inputCapacitors, () =>
    chooseInputBank(brief, stage(), options.stock?.input),
  );
  /** V, exact, at the inputs that are the worst by estimate: unlike banks ring with one another as no estimate tells */
  const exactRipple = (outputCapacitors: CapacitorBank[], at: readonly number[]): number =>
    Math.max(
      0,
      ...at.map((inputVoltage) => {
        const corner = { inputVoltage, outputCurrent: brief.outputCurrent.max };
        return bankRippleAt(model, brief, assemble({ outputCapacitors, inputCapacitors }), corner);
      }),
    );
  const unbanked = once(() => assemble({ outputCapacitors: [], inputCapacitors }));
  const uncut = once(() => {
    const over = tellingInputs(model, brief, phases).map((input) => uncutCrossover(brief, unbanked(), input));
    return (bank: Lumped) => Math.min(...over.map((at) => at(bank)));
  });
  const answer = (): { on: number; off: number; late: Late } => {
    const over = <T>(of: (input: number) => T): T[] => tellingInputs(model, brief, phases).map(of);
    const slew = (direction: Direction): number =>
      Math.min(...over((input) => deliveredSlew(brief, unbanked(), input, direction).slew));
    return {
      on: slew('up'),
      off: slew('down'),
      late: latest(over((input) => lateCurrent(brief, unbanked(), input))),
    };
  };
  const outputCapacitors = decide('outputCapacitors', given.outputCapacitors, () =>
    chooseOutputBank(
      brief,
      stage(),
      // a current that starts from nothing in each period has no inertia
      pulsed ? { on: Infinity, off: Infinity, late: PROMPT } : answer(),
      exactRipple,
      options.stock?.output,
    ),
  );

  const decisions = assemble({ outputCapacitors, inputCapacitors });
  if (hasAmplifier(control)) {
    const found = reach()(lumped(outputCapacitors));
    const { crossover } = options;
    const placing = {
      brief,
      decisions: {
        ...decisions,
        switchingFrequency: slowest(),
        ...(asSensed() === undefined
          ? {}
          : { control: { ...decisions.control, method: 'peak-current-mode' as const, currentSenseGain: asSensed() } }),
      },
      corners: at(),
      reach: crossover === undefined ? found : { ...found, crossover },
      inductance: seen,
    };
    const network = given.compensator;
    decisions.compensator = {
      // a network without a divider is one for this output
      ...dividerFor(brief, control.referenceVoltage, network),
      ...decide('compensator', hasNetwork(network) ? network : undefined, () => chooseCompensator(placing, network)),
    };
  }
  const network = given.control?.rippleInjection;
  if (network || control.method === 'constant-on-time') {
    // a file that gives its bank and no network is taken at its word: its comparator sees what that bank shows it, but
    // for a controller from the shelf, whose small parts it need not name; and of several phases one node's ripple says
    // nothing of the others
    const open = !given.outputCapacitors || control.partId !== undefined;
    const chosen =
      network || (topology === 'buck' && phases === 1 && open)
        ? chooseInjection(brief, decisions, network !== undefined)
        : undefined;
    if (chosen) {
      const { value, rule } = chosen;
      const each = (key: keyof InjectionNetwork): number =>
        decide(`control.rippleInjection.${key}`, network?.[key], () => ({ value: value[key], rule }));
      decisions.control = {
        ...decisions.control,
        rippleInjection: { resistor: each('resistor'), capacitor: each('capacitor'), coupling: each('coupling') },
      };
    }
    const divided =
      topology === 'buck' && phases === 1 && open && !given.compensator
        ? dividerOf(brief, decisions, decisions.control.rippleInjection)
        : undefined;
    if (divided) decisions.compensator = decide('compensator', undefined, () => divided);
  }
  if (control.method === 'digital') {
    const placing = {
      brief,
      decisions,
      corners: at(),
      reach: reach()(lumped(outputCapacitors)),
      inductance: seen,
    };
    const digital = decide('control.digital', control.digital, () => chooseDigital(placing));
    decisions.control = { ...decisions.control, digital };
  }
  return { decided, decisions };
}

/** m² of die in all switches of a complete design, by the class that each needs. */
export function siliconIn({ brief, decisions: given }: Design, decisions: CompleteDecisions): number {
  const pulsed = meansPulses(brief, given, decisions.topology);
  const at = sizingCorners(brief, decisions, decisions.inductor.inductance, pulsed);
  const { controlSwitch, rectifier, phases, topology } = decisions;
  return siliconOf(needsOf(brief, topology, at), phases, {
    control: controlSwitch.onResistance,
    rectifier: rectifier.kind === 'synchronous' ? rectifier.onResistance : undefined,
  });
}

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

/** What is known of a stage before its frequency is. */
export interface StageShape {
  brief: Brief;
  model: TopologyModel;
  phases: number;
  control: CompleteDecisions['control'];
  rippleSchool: RippleSchool;
  rippleRatio: number;
  pulsed: boolean;
  synchronous: boolean;
  given: Decisions;
}

/** The inputs at which the smallest and the largest ideal duty stand, of a leg that switches between its limits. */
export function dutyEnds({
  brief,
  model,
  phases,
  control,
}: Pick<StageShape, 'brief' | 'model' | 'phases' | 'control'>): {
  low: { input: number; duty: number };
  high: { input: number; duty: number };
} {
  // a stage that passes its input through has none
  const duties = tellingInputs(model, brief, phases)
    .map((input) => estimate(model, losslessConditions(brief, input, settingFor(control, phases, USUAL_FREQUENCY, 1))))
    .filter(({ region, duty }) => region !== 'buck-boost' && duty > 0)
    .map(({ inputVoltage: input, duty }) => ({ input, duty }));
  return {
    low: duties.reduce((a, b) => (b.duty < a.duty ? b : a), duties[0] ?? { input: brief.inputVoltage.max, duty: 1 }),
    high: duties.reduce((a, b) => (b.duty > a.duty ? b : a), duties[0] ?? { input: brief.inputVoltage.min, duty: 0 }),
  };
}

/** V that a phase switches at most. */
export function switchedVoltage({ brief, model }: Pick<StageShape, 'brief' | 'model'>): number {
  const { control, rectifier } = model.switchStress(brief.inputVoltage.max, brief.outputVoltage);
  return Math.max(control, rectifier);
}

/** The choice of a free frequency from the stage's shape, with the losses that a first sizing at each expects. */
export function frequencyFor(shape: StageShape): FrequencyChoice {
  const { brief, model, control, pulsed, rippleSchool } = shape;
  const { low, high } = dutyEnds(shape);
  const fourSwitch = model.switches === 4; // its transition takes over near full duty
  return chooseFrequency({
    usual: usualFrequency(switchedVoltage(shape), pulsed, rippleSchool === 'small-and-fast'),
    smallestDuty: low.duty,
    largestDuty: fourSwitch || pulsed ? 0 : high.duty,
    minimumOnTime: fourSwitch || pulsed ? 0 : control.minimumOnTime,
    minimumOffTime: control.minimumOffTime,
    keepClear: brief.keepClear,
    // what a stage this small loses is its controller’s own current
    loss: isSmall(shape)
      ? undefined
      : { at: (frequency) => expectedLoss(shape, frequency), allowed: POWER_SHARE * allowedLoss(brief) },
  });
}

function isSmall({ brief, model, phases, control, given }: StageShape): boolean {
  const base = { topology: model.id, phases, control, switchingFrequency: USUAL_FREQUENCY, coupling: given.coupling };
  return sizingCorners(brief, base, 1).every((at) => at.inductorAverage < SMALL_CURRENT);
}

function decideFrequency(shape: StageShape): { value: number; rule: string } {
  const { frequency, limitedBy } = frequencyFor(shape);
  const { low, high } = dutyEnds(shape);
  const words = {
    wish: 'usual for integrated silicon, low for efficiency',
    voltage: `usual where ${formatQuantity(switchedVoltage(shape), 'V', { digits: 2 })} are switched${shape.pulsed ? ', in pulses' : ''}`,
    loss: 'the highest at which switches and windings are expected to stay within their share of the loss, or lose least',
    'on-time': `on-time at ${formatQuantity(low.input, 'V')} a quarter above its limit`,
    'off-time': `off-time at ${formatQuantity(high.input, 'V')} a quarter above its limit`,
    band: 'the nearest whose harmonics stay out of the bands to keep clear',
  };
  return { value: frequency, rule: words[limitedBy] };
}

/** W that switches and windings of a stage sized for a frequency are expected to lose at worst, by the parts that can be had. */
function expectedLoss(shape: StageShape, frequency: number): number {
  const { brief, model, phases, control, pulsed, given } = shape;
  const base = { topology: model.id, phases, control, switchingFrequency: frequency, coupling: given.coupling };
  const unit = (): Estimate[] => sizingCorners(brief, base, 1);
  const largest = (): number => Math.max(...unit().map((at) => at.inductorAverage));
  const inductance = given.inductor?.inductance ?? decideInductance(shape, frequency, unit, largest).value;
  const at = sizingCorners(brief, base, inductance, pulsed);
  const peak = Math.max(...at.map((corner) => corner.peak));
  const average = Math.max(...at.map((corner) => corner.inductorAverage));
  const rms = pulsed
    ? Math.max(...at.map((corner) => Math.hypot(corner.controlRms, corner.rectifierRms)))
    : Math.max(...at.map((corner) => Math.hypot(corner.inductorAverage, corner.inductorRipple / Math.sqrt(12))));
  const climb = model.id === 'boost' ? 0 : blindClimb(brief, inductance, control);
  const saturation = wantedSaturation(average, peak, climb);
  const winding = windingFor(inductance, saturation, rms, (WINDING_SHARE * allowedLoss(brief)) / phases);
  const needs = needsOf(brief, model.id, at);
  const sized = sizeSwitches(needs, frequency, phases, true);
  const of = ({ conduction, switching }: SizedSwitch): number => conduction + needs.legs * switching;
  const second = shape.synchronous ? of(sized.rectifier) : 0; // a diode’s loss is the same at any frequency
  return phases * (rms ** 2 * winding.resistance + of(sized.control) + second);
}

function decideInductance(
  shape: StageShape,
  frequency: number,
  unit: () => Estimate[],
  largestCurrent: () => number,
): { value: number; rule: string } {
  const { brief, model, rippleRatio, given, pulsed } = shape;
  if (pulsed) {
    const { inputVoltage, outputVoltage, outputCurrent } = brief;
    return {
      value: preferredDown(pulsedInductance(shape, frequency), 'E6'),
      rule:
        `pulses that stop in each period: a duty of ${PULSED_DUTY * 100} % at ${formatQuantity(inputVoltage.min, 'V')} and full load, next E6 down ` +
        `(${formatQuantity(outputVoltage, 'V')}, ${formatQuantity(outputCurrent.max, 'A')})`,
    };
  }
  if (given.conduction === 'critical') {
    const least = Math.min(...unit().map((at) => at.inductorRipple / (2 * at.inductorAverage)));
    return {
      value: preferredDown(Math.max(1e-12, least), 'E6'),
      rule: `critical conduction: at full load no slower than ${formatQuantity(frequency, 'Hz')} over the line, next E6 down`,
    };
  }
  const worst = worstRipple(unit());
  const carried = Math.max(largestCurrent(), SMALL_CURRENT);
  const words =
    carried > largestCurrent()
      ? `of ${formatQuantity(carried, 'A')}, for which parts are made: a larger one resonates with itself`
      : model.id === 'buck'
        ? undefined
        : `of the ${formatQuantity(carried, 'A')} it carries at most`;
  return {
    value: preferredNearest(Math.max(1e-12, worst.inductorRipple / (rippleRatio * carried)), 'E6'),
    rule: `${Math.round(rippleRatio * 100)} % ripple at ${formatQuantity(worst.inputVoltage, 'V')}${words ? ` ${words}` : ''}, nearest E6`,
  };
}

/**
 * H: discontinuous conduction with the duty {@link PULSED_DUTY} at the least input and full load.
 * Source: Erickson and Maksimović, chapter 5; recalled from memory.
 */
export function pulsedInductance({ brief, model }: Pick<StageShape, 'brief' | 'model'>, frequency: number): number {
  const { inputVoltage, outputVoltage, outputCurrent } = brief;
  const fall = model.inverts ? outputVoltage : outputVoltage - inputVoltage.min;
  return (PULSED_DUTY * inputVoltage.min) ** 2 / (2 * outputCurrent.max * frequency * fall);
}

/** s; on-time in discontinuous conduction at the lightest load, where it is shortest over the line. */
function shortestPulse({ brief, model, phases, control }: StageShape, frequency: number, inductance: number): number {
  const setting = settingFor(control, phases, frequency, inductance);
  return Math.min(
    ...[brief.inputVoltage.min, brief.inputVoltage.max].map((input) => {
      const { forms, conditions } = likelyOperation(
        model,
        losslessConditions(brief, input, setting, brief.outputCurrent.min),
      );
      return forms.dcmDuties(conditions).duty / frequency;
    }),
  );
}

/** The next stock value; where silicon is shared out to compare, the very share. */
function stockResistance(value: number, exact: boolean): number {
  return exact ? value : preferredUp(value, 'E24');
}

function switchRule(sized: SizedSwitch, silicon: boolean): string {
  const of = `${formatQuantity(sized.class.rating, 'V')} ${sized.class.technology === 'silicon' ? 'silicon' : 'wide-bandgap'}`;
  return silicon
    ? `its share of the silicon compared, in ${of}`
    : `${of}: half as much again as the resistance at which conduction and switching lose least`;
}

function ratingOf(blocked: number): { value: number; rule: string } {
  const { rating } = switchClassFor(blocked);
  return { value: rating, rule: `the class above ${formatQuantity(blocked, 'V')} and what rings on top of it` };
}

function completeRectifier(
  given: Decisions,
  kind: 'synchronous' | 'diode',
  decide: Decide,
  need: { blocked: () => number; average: () => number; sized: () => SizedSwitch; silicon: boolean },
): CompleteDecisions['rectifier'] {
  const { rectifier } = given;
  if (kind === 'synchronous') {
    const held = rectifier?.kind === 'synchronous' ? rectifier : undefined;
    return {
      ...held,
      kind: 'synchronous',
      onResistance: decide('rectifier.onResistance', held?.onResistance, () => ({
        value: stockResistance(need.sized().resistance, need.silicon),
        rule: switchRule(need.sized(), need.silicon),
      })),
      voltageRating: decide('rectifier.voltageRating', held?.voltageRating, () => ratingOf(need.blocked())),
    };
  }
  const held = rectifier?.kind === 'diode' ? rectifier : undefined;
  const of = once(() => diodeClassFor(need.blocked()));
  return {
    ...held,
    kind: 'diode',
    forwardVoltage: decide('rectifier.forwardVoltage', held?.forwardVoltage, () => ({
      value: of().forwardVoltage,
      rule: `${of().kind} of ${formatQuantity(of().rating, 'V')}`,
    })),
    resistance: decide('rectifier.resistance', held?.resistance, () =>
      held?.forwardVoltage === undefined
        ? {
            value: preferredNearest(Math.max(1e-4, of().slope / need.average()), 'E12'),
            rule: `usual for a die made for ${formatQuantity(need.average(), 'A')}`,
          }
        : { value: 0, rule: 'flat drop, as its forward voltage was given alone' },
    ),
    voltageRating: decide('rectifier.voltageRating', held?.voltageRating, () => ({
      value: of().rating,
      rule: `the class above ${formatQuantity(need.blocked(), 'V')} and what rings on top of it`,
    })),
  };
}
