import type { Brief, Design } from '../design/index.ts';
import { AUDIBLE_LIMIT, harmonicIn } from './sizing/frequency.ts';
import { zeroVoltageValley } from '../estimates/zeroVoltage.ts';
import { likeBranches, MOST_BRANCHES } from '../network/circuit.ts';
import { LONGEST_DEAD_SHARE } from '../topology/ofDesign.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { branchOf, couplingOf } from '../topology/ofDesign.ts';
import { devicesOf, type HeatPlace } from './operating/heat.ts';
import { heldVoltage, type OperatingPoint } from './operating/operatingPoint.ts';
import { formatQuantity } from '../quantity/index.ts';
import { sanityOf } from './sanity.ts';
import { DEFER, type Notice } from '../verdict/notice.ts';
import { TOPOLOGY_WORDS } from '../topology/words.ts';
import type { Target } from '../verdict/target.ts';
import type { StageFound } from './scene.ts';
import { REGULATED } from './targets.ts';

const PLACE_WORDS: Readonly<Record<HeatPlace, string>> = {
  controlSwitch: 'control switch',
  rectifier: 'rectifier',
  boostControlSwitch: 'boost leg’s control switch',
  boostRectifier: 'boost leg’s rectifier',
  inductor: 'inductor',
};

/** A place whose heat does not settle: its loss grows with temperature faster than the heat can leave. */
function runaway(decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const devices = devicesOf(decisions);
  return (Object.keys(devices) as HeatPlace[]).flatMap((place) => {
    const { resistance } = devices[place]!;
    const hottest = points.find(({ temperatures, losses }) => losses.total > 0 && temperatures?.[place] === undefined);
    return resistance === undefined || !hottest || hottest.duty === 0
      ? []
      : [
          {
            id: 'thermal-runaway',
            message: `The ${PLACE_WORDS[place]} runs away at ${formatQuantity(hottest.inputVoltage, 'V')}, ${formatQuantity(hottest.outputCurrent, 'A')}: its loss rises with temperature faster than ${formatQuantity(resistance, '')} K/W let the heat leave. Its temperature has no end there; the figures take its resistance as given.`,
          },
        ];
  });
}

/** What keeps the design from working, or makes a figure doubtful, in words with the number. */
export function stageWarnings(
  { brief }: Design,
  {
    decisions,
    operatingPoints: points,
    corners,
    spent,
  }: Pick<StageFound, 'decisions' | 'operatingPoints' | 'corners' | 'spent'>,
  targets: readonly Target[],
): Notice[] {
  const warnings: Notice[] = [];
  const unsolved = corners - spent - points.length;
  if (unsolved > 0) {
    warnings.push({
      id: 'not-solved',
      message: `${unsolved} of ${corners} corners have no periodic state among those tried (or the arithmetic cannot resolve it with these values); they are left out.`,
    });
  }
  if (spent > 0) {
    warnings.push({
      id: 'too-much-work',
      message: `${spent} of ${corners} corners take more work than one may (many unlike capacitors, or values many orders of magnitude apart); they are left out.`,
    });
  }
  warnings.push(...reach(brief, decisions, points), ...runaway(decisions, points));
  if (decisions.inductor.inductanceCurve) {
    if (couplingOf(decisions) !== undefined)
      warnings.push({
        id: 'inductance-curve',
        message: `The inductance over current that is given does not bend the waveforms with coupled windings: there everything is solved with ${formatQuantity(decisions.inductor.inductance, 'H')} at every current.`,
      });
  }
  // in critical conduction the frequency is what comes out, and the inductance what sets it
  const slower = decisions.conduction === 'critical' ? 'Raise the inductance.' : 'Lower the frequency.';
  const words: Record<string, (target: Target) => string> = {
    minimumOnTime: (t) =>
      `The on-time of ${formatQuantity(t.predicted, 's')} at ${formatQuantity(t.at.inputVoltage, 'V')} is shorter than the controller’s ${formatQuantity(t.required, 's')}: it will skip pulses. ${slower}`,
    minimumOffTime: (t) =>
      `The off-time of ${formatQuantity(t.predicted, 's')} at ${formatQuantity(t.at.inputVoltage, 'V')} is shorter than the controller’s ${formatQuantity(t.required, 's')}: the output will sag. ${slower}`,
    maximumDuty: (t) =>
      `The duty of ${formatQuantity(t.predicted, '%')} at ${formatQuantity(t.at.inputVoltage, 'V')} is past the controller’s limit of ${formatQuantity(t.required, '%')}.`,
    gateSupply: (t) =>
      `The gates’ ${formatQuantity(t.required, 'V')} cannot be made from ${formatQuantity(t.predicted, 'V')}, the least that its supply gives.`,
    inductorSaturation: (t) =>
      `The inductor peaks at ${formatQuantity(t.predicted, 'A')}, above its saturation current of ${formatQuantity(t.required, 'A')}.`,
  };
  for (const target of targets) {
    const say = words[target.id];
    if (say && target.verdict === 'missed') warnings.push({ id: target.id, message: say(target) });
  }
  const light = points.find((point) => point.conductionMode === 'DCM' && point.outputCurrent > 0);
  if (light) {
    warnings.push({
      id: 'discontinuous',
      message: `At ${formatQuantity(light.inputVoltage, 'V')} and ${formatQuantity(light.outputCurrent, 'A')} the stage is discontinuous (DCM): continuous-mode formulas do not hold there.`,
    });
  }
  const longest = LONGEST_DEAD_SHARE / decisions.switchingFrequency;
  if (points.length > 0 && decisions.rectifier.kind === 'synchronous' && decisions.control.deadTime > longest) {
    warnings.push({
      id: 'dead-time',
      message: `A dead time of ${formatQuantity(decisions.control.deadTime, 's')} is more than an eighth of the period: the stage is solved with ${formatQuantity(longest, 's')}.`,
    });
  }
  warnings.push(...particular(brief, decisions, points), ...sanityOf(brief, decisions, points));
  for (const [name, banks] of [
    ['output', decisions.outputCapacitors],
    ['input', decisions.inputCapacitors],
    ['second-stage filter’s', decisions.outputFilter?.capacitors ?? []],
  ] as const) {
    const unlike = likeBranches(banks.map(branchOf)).length;
    if (unlike > MOST_BRANCHES)
      warnings.push({
        id: 'like-banks',
        message: `The ${name} bank has ${unlike} unlike capacitors: the nearest in R·C and L·C are taken together, as ${MOST_BRANCHES}.`,
      });
  }
  if (decisions.inputCapacitors.some((bank) => bank.esl > 0)) {
    warnings.push({
      id: 'input-esl',
      message:
        'The input ripple leaves the bank’s series inductance out: with ideal switching edges its spike has no width.',
    });
  }
  return warnings;
}

/** Corners where the output is not the one wanted. */
function reach(brief: Brief, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const notices: Notice[] = [];
  const volts = (value: number): string => formatQuantity(value, 'V');
  /** with as many digits as tell it from the output wanted */
  const apart = (value: number): string => {
    const digits = [3, 4, 5, 6, 7].find(
      (count) =>
        formatQuantity(value, 'V', { digits: count }) !== formatQuantity(brief.outputVoltage, 'V', { digits: count }),
    );
    return formatQuantity(value, 'V', { digits: digits ?? 7 });
  };
  const short = points.filter((point) => heldVoltage(point) < brief.outputVoltage * (1 - REGULATED));
  if (short.length > 0) {
    const worst = short.reduce((a, b) => (heldVoltage(b) < heldVoltage(a) ? b : a));
    const limit =
      worst.duty === 1
        ? 'with the control switch always on'
        : decisions.topology === 'buck'
          ? `the dead times leave a duty of ${formatQuantity(worst.duty, '%')} at most, with which`
          : `its resistances let the output collapse beyond a duty of ${formatQuantity(worst.duty, '%')}, where`;
    notices.push({
      id: 'out-of-reach',
      message:
        `A ${TOPOLOGY_WORDS[decisions.topology]} cannot give ${volts(brief.outputVoltage)} from ${volts(worst.inputVoltage)} ` +
        `at ${formatQuantity(worst.outputCurrent, 'A')}: ${limit} it reaches ${apart(heldVoltage(worst))}.`,
    });
  }
  const over = points.filter((point) => heldVoltage(point) > brief.outputVoltage * (1 + REGULATED));
  if (over.length > 0) {
    const worst = over.reduce((a, b) => (heldVoltage(b) > heldVoltage(a) ? b : a));
    notices.push({
      id: 'passes-through',
      message: `A ${TOPOLOGY_WORDS[decisions.topology]} cannot hold ${volts(brief.outputVoltage)} from ${volts(worst.inputVoltage)}: the input passes through its rectifier and the output stands at ${apart(heldVoltage(worst))}.`,
    });
  }
  return notices;
}

function rangeOf(low: number, high: number): string {
  const [from, to] = [formatQuantity(low, 'Hz'), formatQuantity(high, 'Hz')];
  return from === to ? `is ${from} at` : `runs from ${from} to ${to} over`;
}

/** What belongs to one topology, mode or arrangement. */
function particular(brief: Brief, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Notice[] {
  const notices: Notice[] = [];
  const { topology, coupling, phases, critical, conduction, switchingFrequency } = decisions;
  if (coupling && coupling.arrangement !== 'one-core' && phases % 2 === 1) {
    notices.push({
      id: 'odd-phases',
      message: `Coupled pairs need an even number of phases, and there ${phases === 1 ? 'is 1' : `are ${phases}`}: the windings are solved uncoupled.`,
    });
  }
  if (topology === 'inverting-buck-boost') {
    const span = brief.inputVoltage.max + brief.outputVoltage;
    const peak = Math.max(0, ...points.map((point) => point.inductorCurrent.peak));
    notices.push({
      id: 'negative-rail',
      message: `A buck controller used here has its ground on the negative output: it must stand ${formatQuantity(span, 'V')} (input and output together), its current limit must pass the inductor’s ${formatQuantity(peak, 'A')} and not only the load’s ${formatQuantity(brief.outputCurrent.max, 'A')}, enable and power-good need level shifting, and at start-up the output is pulled slightly above return.`,
    });
  }
  if (conduction === 'critical' && points.length > 0) {
    const frequencies = points
      .filter((point) => point.conductionMode === 'CRM')
      .map((point) => point.switchingFrequency);
    if (frequencies.length > 0) {
      notices.push({
        id: 'frequency-range',
        message: `Critical conduction: the frequency ${rangeOf(Math.min(...frequencies), Math.max(...frequencies))} these corners${phases > 1 ? '; the phases must be kept in step' : ''}.`,
      });
    }
    const { nodeCapacitance, valleyCurrent = 0 } = critical ?? {};
    if (nodeCapacitance !== undefined) {
      const need = points.map((point) => ({
        point,
        valley: zeroVoltageValley(
          topology,
          point.inputVoltage,
          brief.outputVoltage,
          decisions.inductor.inductance,
          nodeCapacitance,
        ),
      }));
      const worst = need.reduce((a, b) => (b.valley > a.valley ? b : a));
      if (worst.valley > valleyCurrent * (1 + 1e-9)) {
        notices.push({
          id: 'zero-voltage',
          message: `Zero-voltage switching is lost at ${formatQuantity(worst.point.inputVoltage, 'V')}: the node needs ${formatQuantity(worst.valley, 'A')} of negative current to swing over and has ${formatQuantity(valleyCurrent, 'A')}.`,
        });
      }
    }
  }
  const slowest = points.filter((point) => point.onTime > 0).map((point) => point.switchingFrequency);
  const heard = Math.min(...slowest);
  if (slowest.length > 0 && heard < AUDIBLE_LIMIT) {
    notices.push({
      id: 'audible',
      message: `The stage switches at ${formatQuantity(heard, 'Hz')} at its slowest, which can be heard (below ${formatQuantity(AUDIBLE_LIMIT, 'Hz')}).`,
    });
  }
  const inBand = conduction === 'critical' ? undefined : harmonicIn(switchingFrequency, brief.keepClear ?? []);
  if (inBand) {
    const { harmonic, band } = inBand;
    notices.push({
      id: 'band',
      message: `${harmonic === 1 ? 'The switching frequency' : `Harmonic ${harmonic} of the switching frequency`}, ${formatQuantity(harmonic * switchingFrequency, 'Hz')}, falls into the band to keep clear from ${formatQuantity(band.min, 'Hz')} to ${formatQuantity(band.max, 'Hz')}.`,
    });
  }
  return notices;
}

/** V DC; limit of energy source class ES1. Source: IEC 62368-1 (recalled from memory). */
const TOUCH_LIMIT = 60;
/** V DC above which a source is taken as hazardous in itself; limit of energy source class ES2. Source: IEC 62368-1 (recalled from memory). */
const ISOLATION_LIMIT = 120;
/** W in one part that makes it hot enough to burn without a heat sink. Common practice, no source. */
const HOT_PART = 1;

/** The hazards that apply to this design. */
export function stageCautions(
  { brief }: Design,
  { topology }: Pick<CompleteDecisions, 'topology'>,
  points: readonly OperatingPoint[],
): Notice[] {
  const cautions: Notice[] = [];
  const inverts = topology === 'inverting-buck-boost';
  const highest = inverts
    ? brief.inputVoltage.max + brief.outputVoltage
    : Math.max(brief.outputVoltage, brief.inputVoltage.max);
  if (topology !== 'buck') {
    cautions.push({
      id: 'open-feedback',
      message: `With its feedback open this stage has no ceiling of its own and can reach hundreds of volts: limit the duty and fit over-voltage protection. ${DEFER}`,
    });
  }
  if (topology === 'boost') {
    cautions.push({
      id: 'short-circuit-path',
      message: `Nothing in a boost breaks the way from its input through inductor and rectifier: into a short circuit, and into its empty bank as the input is applied, only the source and a fuse limit the current. Fit a fuse, and a switch before the stage where the load may short. ${DEFER}`,
    });
  }
  if (highest > TOUCH_LIMIT) {
    cautions.push({
      id: 'touch-voltage',
      message: `${formatQuantity(highest, 'V')} is above the 60 V DC that is usually taken as safe to touch: cover it, discharge the capacitors before working, never work alone. ${DEFER}`,
    });
  }
  if (brief.inputVoltage.max > ISOLATION_LIMIT) {
    cautions.push({
      id: 'isolation',
      message:
        brief.outputVoltage <= TOUCH_LIMIT && !inverts && topology !== 'boost'
          ? `This stage has no isolation: if its control switch fails short, ${formatQuantity(brief.inputVoltage.max, 'V')} stand on an output of ${formatQuantity(brief.outputVoltage, 'V')} that people and other circuits take as safe. Off such a source an isolated stage is usually the right answer, and this one is for qualified hands. ${DEFER}`
          : `Nothing isolates this stage’s output from a source of ${formatQuantity(brief.inputVoltage.max, 'V')}: all of it is as dangerous as the source. For qualified hands only; where people or other circuits can reach the output, an isolated stage is usually the right answer. ${DEFER}`,
    });
  }
  const parts: [string, (point: OperatingPoint) => number][] = [
    ['control switch', (point) => point.losses.controlSwitchConduction],
    ['boost leg’s control switch', (point) => point.losses.boostControlSwitchConduction ?? 0],
    ['boost leg’s rectifier', (point) => point.losses.boostRectifierConduction ?? 0],
    ['rectifier', (point) => point.losses.rectifierConduction + (point.losses.deadTimeConduction ?? 0)],
    ['inductor', (point) => point.losses.windingConduction],
  ];
  const hot = parts
    .map(([name, loss]) => ({ name, loss: Math.max(0, ...points.map(loss)) }))
    .filter(({ loss }) => loss > HOT_PART);
  if (hot.length > 0) {
    const list = hot.map(({ name, loss }) => `${name} ${formatQuantity(loss, 'W', { digits: 2 })}`).join(', ');
    cautions.push({
      id: 'hot-parts',
      message: `Parts that run hot enough to burn (conduction alone: ${list}). Let it cool before touching, and plan the copper or heat sink. ${DEFER}`,
    });
  }
  return cautions;
}
