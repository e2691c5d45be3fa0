import type { Brief } from '../design/index.ts';
import type { OperatingPoint } from './operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { formatQuantity } from '../quantity/index.ts';
import { sensesCurrent } from '../control/compensator.ts';
import { AT_SECTION } from '../control/crossoverLimit.ts';
import { sectionOf } from '../control/secondSection.ts';
import { lumped } from '../estimates/outputBank.ts';
import { intermediateVoltage, LARGEST_STEP_DOWN, LARGEST_STEP_UP } from '../estimates/ratio.ts';
import { allowedOutputRipple } from './sizing/banks.ts';
import { SCHOOLS } from './sizing/inductor.ts';
import { edgeTimes } from '../losses/overlap.ts';
import { SMALL_CURRENT } from './sizing/mode.ts';
import type { Notice } from '../verdict/notice.ts';

/*
 * What no target forbids and no one who has built a stage would let pass: each with the trade's reason. The thresholds
 * are common practice, no source, unless one is named.
 */

/** Times a school's upper end, and part of its lower one, beyond which a ripple is outside any guideline. */
const FAR_ABOVE = 1.5;
const FAR_BELOW = 0.5;
/** A that one inductor, its pads and one pair of switches carry before another phase is the better way. */
const MOST_IN_A_PHASE = 40;
/** Part of the output's own voltage beyond which its ripple is no ripple. */
const LARGEST_RIPPLE = 0.2;
/** F; beyond it a bank is a storage element whose ripple the arithmetic's digits no longer hold beside its voltage. */
const LARGEST_BANK = 1e4;

const volts = (value: number): string => formatQuantity(value, 'V');
const amperes = (value: number): string => formatQuantity(value, 'A');
const percent = (value: number): string => formatQuantity(value, '%', { digits: 2 });

/** Why a comparator of the output runs a buck alone. */
export const LATCHES =
  'A hysteretic comparator of the output cannot run this stage: while the control switch is on the output falls, so that it is never let go. A method with a clock or the current runs it, and a fixed on-time where the current stops.';

/** Whether a hysteretic comparator keeps the control switch on for ever: only a buck's output rises while it is on. */
export function latches(
  { topology, control }: Pick<CompleteDecisions, 'topology' | 'control'>,
  regions: readonly OperatingPoint['region'][],
): boolean {
  const raises =
    topology === 'buck' || (topology === 'four-switch-buck-boost' && regions.every((one) => one === 'buck'));
  return control.method === 'hysteretic' && !raises;
}

/**
 * Points at which a fixed on-time's pulses come in bursts: they are timed by a ripple that rises with the inductor's current,
 * and only an output that is not chopped shows one.
 */
export const burstsAt = (
  { topology, control }: Pick<CompleteDecisions, 'topology' | 'control'>,
  points: readonly OperatingPoint[],
): readonly OperatingPoint[] =>
  control.method !== 'constant-on-time' || topology === 'buck'
    ? []
    : points.filter(({ conductionMode, region }) => conductionMode === 'CCM' && region !== 'buck');

function valleyBursts(decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const flows = burstsAt(decisions, points);
  if (flows.length === 0) return [];
  const { inputVoltage, outputCurrent } = flows.reduce((a, b) => (b.outputCurrent < a.outputCurrent ? b : a));
  return [
    {
      id: 'valley-bursts',
      message: `Constant on-time times its pulses by the output’s valley, and this stage’s output falls while its inductor’s current rises: where the current does not stop, from ${volts(inputVoltage)} and ${amperes(outputCurrent)} on, its pulses come in bursts, and what a load step does is not predicted. Peak current mode runs it.`,
    },
  ];
}

/** A switch whose edge takes longer than the state it leads into is never fully on or off. */
function slowEdges({ controlSwitch, control }: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const edges = edgeTimes(controlSwitch, control);
  const switching = points.filter(({ onTime, offTime }) => onTime > 0 && offTime > 0);
  if (!edges || switching.length === 0) return [];
  return [
    { way: 'on', edge: edges.rise, left: Math.min(...switching.map(({ onTime }) => onTime)) },
    { way: 'off', edge: edges.fall, left: Math.min(...switching.map(({ offTime }) => offTime)) },
  ].flatMap(({ way, edge, left }) =>
    edge < left
      ? []
      : [
          {
            id: 'slow-edge',
            message: `The control switch takes ${formatQuantity(edge, 's')} to turn ${way} with this drive, and is ${way} for ${formatQuantity(left, 's')} at the shortest: it never comes to be ${way} altogether, and no figure here holds. A stronger drive, a smaller switch or a lower frequency.`,
          },
        ],
  );
}

/** Every such remark on a solved design. */
export function sanityOf(brief: Brief, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  if (points.length === 0) return [];
  const fullest = points.filter(({ outputCurrent }) => outputCurrent === brief.outputCurrent.max);
  return [
    ...slowEdges(decisions, points),
    ...rippleGuideline(decisions, fullest),
    ...phaseCurrent(decisions, points),
    ...phaseSharing(decisions, fullest),
    ...outputRipple(brief, points),
    ...conversionRatio(brief, decisions),
    ...droop(brief, decisions, fullest),
    ...outputSpikes(brief, decisions, fullest),
    ...rings(decisions),
    ...dividerVoltage(brief, decisions),
    ...hysteresis(decisions, points),
    ...valleyBursts(decisions, points),
    ...resolution(decisions),
  ];
}

function hysteresis(decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const regions = points.map(({ region }) => region);
  return latches(decisions, regions) ? [{ id: 'method-latches', message: LATCHES }] : [];
}

function rippleGuideline(decisions: CompleteDecisions, fullest: readonly OperatingPoint[]): Notice[] {
  if (decisions.conduction === 'critical') return [];
  // a stage meant to be discontinuous has its pulse, not a ripple
  const running = fullest.filter((point) => point.conductionMode === 'CCM' && point.inductorCurrent.average > 0);
  if (running.length === 0) return [];
  const carried = Math.max(...running.map((point) => point.inductorCurrent.average));
  const worst = running.reduce((a, b) => (b.inductorCurrent.ripple > a.inductorCurrent.ripple ? b : a));
  const ratio = worst.inductorCurrent.ripple / Math.max(carried, SMALL_CURRENT); // parts for less hardly exist
  const { name, low, high } = SCHOOLS[decisions.rippleSchool];
  const guideline = `the ${name} guideline is ${percent(low)} to ${percent(high)}`;
  const words = `The inductor’s ripple of ${amperes(worst.inductorCurrent.ripple)} at ${volts(worst.inputVoltage)} is ${percent(ratio)} of the ${amperes(carried)} it carries, and ${guideline}`;
  if (ratio > FAR_ABOVE * high)
    return [
      {
        id: 'ripple-guideline',
        message: `${words}: core, winding and ESR losses grow with its square and the peak needs a larger core. Raise the inductance or the frequency.`,
      },
    ];
  if (ratio < FAR_BELOW * low)
    return [
      {
        id: 'ripple-guideline',
        message: `${words}: the inductor is larger and slower in a load step than it needs to be. Lower the inductance or the frequency.`,
      },
    ];
  return [];
}

/** Part of a pulse by which phases without a current sense are easily apart. */
const APART = 0.01;

/** A pulse that is longer drives more current, until the phase’s own resistance takes the difference. */
function phaseSharing(
  { phases, control, inductor, controlSwitch, rectifier }: CompleteDecisions,
  fullest: readonly OperatingPoint[],
): Notice[] {
  if (phases === 1 || sensesCurrent(control)) return [];
  const released = (rectifier.kind === 'diode' ? rectifier.resistance : rectifier.onResistance) ?? 0;
  const extra = fullest.flatMap(({ conductionMode, duty, boostDuty = 0, controlSwitch: { blockingVoltage } }) => {
    const part = boostDuty > 0 ? boostDuty : duty;
    const ohms = inductor.resistance + part * controlSwitch.onResistance + (1 - part) * released;
    return conductionMode === 'CCM' && ohms > 0 ? [(APART * part * blockingVoltage) / ohms] : [];
  });
  if (extra.length === 0) return [];
  const carried = Math.max(...fullest.map((point) => Math.abs(point.inductorCurrent.average)));
  return [
    {
      id: 'phase-sharing',
      message: `No phase’s current is sensed: the ${phases} share by their resistances alone, and a pulse that is ${percent(APART)} longer in one drives ${amperes(Math.max(...extra))} more there, beside the ${amperes(carried)} that each should carry. Peak or average current mode makes them share.`,
    },
  ];
}

function phaseCurrent({ phases }: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const most = Math.max(...points.map((point) => Math.abs(point.inductorCurrent.average)));
  if (most <= MOST_IN_A_PHASE) return [];
  return [
    {
      id: 'phase-current',
      message: `${amperes(most)} in ${phases === 1 ? 'one phase' : 'each phase'} is more than an inductor, its copper and one pair of switches usually carry (about ${amperes(MOST_IN_A_PHASE)}): ${phases < 8 ? 'take more phases' : 'split the load over several stages'}.`,
    },
  ];
}

function outputRipple({ outputVoltage }: Brief, points: readonly OperatingPoint[]): Notice[] {
  const worst = points.reduce((a, b) => (b.outputCapacitor.ripple > a.outputCapacitor.ripple ? b : a));
  if (worst.outputCapacitor.ripple <= LARGEST_RIPPLE * outputVoltage) return [];
  return [
    {
      id: 'ripple-near-output',
      message: `The output bank’s ripple of ${volts(worst.outputCapacitor.ripple)} at ${volts(worst.inputVoltage)} is near the output of ${volts(outputVoltage)} itself: this bank does not hold the output through a period. Estimates that take the output as constant do not apply.`,
    },
  ];
}

function conversionRatio(brief: Brief, decisions: CompleteDecisions): Notice[] {
  const { min, max } = brief.inputVoltage;
  const up = brief.outputVoltage / min;
  const down = max / brief.outputVoltage;
  const stepsUp = decisions.topology !== 'buck' && up > LARGEST_STEP_UP;
  const stepsDown = decisions.topology !== 'boost' && down > LARGEST_STEP_DOWN;
  if (!stepsUp && !stepsDown) return [];
  const ratio = stepsUp ? up : down;
  const between = intermediateVoltage(brief);
  return [
    {
      id: 'conversion-ratio',
      message: `${volts(brief.outputVoltage)} from ${volts(stepsUp ? min : max)} is a ratio of 1 to ${Math.round(ratio)}: the switches carry the larger current and block the larger voltage at once, and the duty is at an end of its range. A transformer, a tapped inductor or two stages${between === undefined ? '' : ` with ${volts(between)} between them`} are usual there.`,
    },
  ];
}

/** Part of the output by which a load may stand lower than what is held without a word. Common practice, no source. */
const UNSAID_DROOP = 0.002;

function droop(
  { outputVoltage }: Brief,
  { outputFilter }: CompleteDecisions,
  fullest: readonly OperatingPoint[],
): Notice[] {
  if (outputFilter?.feedback !== 'before') return [];
  const load = Math.min(...fullest.map((point) => point.outputVoltage.average));
  if (!(outputVoltage - load > UNSAID_DROOP * outputVoltage)) return [];
  return [
    {
      id: 'sensed-before-filter',
      message: `The output is sensed before the second-stage filter: its ${formatQuantity(outputFilter.resistance, 'Ω')} leave the load ${volts(load)} at full load, ${volts(outputVoltage - load)} below what is held.`,
    },
  ];
}

/** s of an edge where the switch's own is not known. Common practice, no source. */
const USUAL_EDGE = 10e-9;
/** s below which no current changes over: the leads of gate and source see to that, whatever charge and driver say. Common practice, no source. */
const LEAST_EDGE = 1e-9;
/** Part of the ripple allowed from which on a spike beside it is said. */
const SAID_SPIKE = 0.5;

/** A current that is chopped at the output steps in its bank's inductance: what that adds while an edge lasts is in no ripple. */
function outputSpikes(brief: Brief, decisions: CompleteDecisions, fullest: readonly OperatingPoint[]): Notice[] {
  const { topology, outputCapacitors, controlSwitch, boostLeg, control } = decisions;
  const stepping = fullest.filter(({ region }) => topology !== 'buck' && region !== 'buck');
  if (stepping.length === 0 || outputCapacitors.some(({ esl }) => esl === 0)) return [];
  const inductance = 1 / outputCapacitors.reduce((sum, { esl, count }) => sum + count / esl, 0);
  const own = edgeTimes(boostLeg?.controlSwitch ?? controlSwitch, control);
  const edge = own ? Math.max(LEAST_EDGE, Math.min(own.rise, own.fall)) : USUAL_EDGE;
  const step = Math.max(...stepping.map((point) => point.inductorCurrent.peak));
  const spike = (inductance * step) / edge;
  if (spike <= SAID_SPIKE * allowedOutputRipple(brief)) return [];
  return [
    {
      id: 'output-esl',
      message: `The output ripple leaves out what an edge of ${formatQuantity(edge, 's')}${own ? '' : ' (assumed)'} makes of ${amperes(step)} in the bank’s ${formatQuantity(inductance, 'H')}: spikes of ${volts(spike)} beside it. More and smaller ceramics at the switches, a slower edge, or a second section take them down.`,
    },
  ];
}

/** Part of the switching frequency to which a second section may hold the loop unsaid. Our own: a fifth of what a loop usually has. */
const UNSAID_SECTION = 0.02;
/** Quality from which a second section rings. */
const RINGS = 2;

function rings({ outputFilter, outputCapacitors, switchingFrequency }: CompleteDecisions): Notice[] {
  if (!outputFilter || outputFilter.feedback === 'before') return [];
  const { resonance, sharpness, quality } = sectionOf(outputFilter).ringing(lumped(outputCapacitors));
  const limit = (AT_SECTION * resonance) / sharpness;
  if (quality <= RINGS || limit > UNSAID_SECTION * switchingFrequency) return [];
  return [
    {
      id: 'second-section-rings',
      message: `The second-stage filter rings at ${formatQuantity(resonance, 'Hz')} with a quality of ${quality.toPrecision(2)}: a loop that senses behind it has to cross over below ${formatQuantity(limit, 'Hz')}. A capacitor with some resistance across its bank damps it.`,
    },
  ];
}

/** V that one usual chip resistor stands. Common practice, no source. */
const RESISTOR_VOLTAGE = 150;

function dividerVoltage({ outputVoltage }: Brief, { compensator, control }: CompleteDecisions): Notice[] {
  const across = outputVoltage - control.referenceVoltage;
  const { dividerTop } = compensator ?? {};
  if (dividerTop === undefined || across <= RESISTOR_VOLTAGE) return [];
  const count = Math.ceil(across / RESISTOR_VOLTAGE);
  return [
    {
      id: 'divider-voltage',
      message: `${volts(across)} stand across the feedback divider’s upper ${formatQuantity(dividerTop, 'Ω')}, which lose ${formatQuantity(across ** 2 / dividerTop, 'W')}: ${count} resistors in series, for one usually stands ${RESISTOR_VOLTAGE} V. Where one of them opens the output runs away.`,
    },
  ];
}

function resolution(decisions: CompleteDecisions): Notice[] {
  const largest = Math.max(
    ...[...decisions.outputCapacitors, ...decisions.inputCapacitors].map((b) => b.capacitance * b.count),
  );
  if (largest <= LARGEST_BANK) return [];
  return [
    {
      id: 'resolution',
      message: `A bank of ${formatQuantity(largest, 'F')} leaves a ripple so far below the voltage itself that the last digits of these figures are rounding.`,
    },
  ];
}
