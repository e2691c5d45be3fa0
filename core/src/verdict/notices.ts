import type { Design, Fault } from '../design/index.ts';
import { LONGEST_DEAD_SHARE, type CompleteDecisions } from '../operating/stage.ts';
import type { OperatingPoint } from '../operating/operatingPoint.ts';
import { formatQuantity } from '../quantity/index.ts';
import type { Target } from './targets.ts';

export interface Notice {
  id: string;
  message: string;
}

/** What keeps the design from working, or makes a figure doubtful, in words with the number. */
export function findWarnings(
  { brief }: Design,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
  targets: readonly Target[],
  remarks: readonly Fault[],
): Notice[] {
  const warnings: Notice[] = [];
  const short = points.filter((point) => point.outputVoltage.average < brief.outputVoltage * 0.999);
  if (short.length > 0) {
    const worst = short.reduce((a, b) => (b.outputVoltage.average < a.outputVoltage.average ? b : a));
    warnings.push({
      id: 'out-of-reach',
      message:
        `A ${decisions.topology} cannot give ${formatQuantity(brief.outputVoltage, 'V')} from ${formatQuantity(worst.inputVoltage, 'V')} ` +
        `at ${formatQuantity(worst.outputCurrent, 'A')}: with the control switch always on it reaches ${formatQuantity(worst.outputVoltage.average, 'V')}.`,
    });
  }
  const words: Record<string, (target: Target) => string> = {
    minimumOnTime: (t) =>
      `The on-time of ${formatQuantity(t.predicted, 's')} at ${formatQuantity(t.at.inputVoltage, 'V')} is shorter than the controller’s ${formatQuantity(t.required, 's')}: it will skip pulses. Lower the frequency.`,
    minimumOffTime: (t) =>
      `The off-time of ${formatQuantity(t.predicted, 's')} at ${formatQuantity(t.at.inputVoltage, 'V')} is shorter than the controller’s ${formatQuantity(t.required, 's')}: the output will sag. Lower the frequency.`,
    maximumDuty: (t) =>
      `The duty of ${formatQuantity(t.predicted, '%')} at ${formatQuantity(t.at.inputVoltage, 'V')} is past the controller’s limit of ${formatQuantity(t.required, '%')}.`,
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
      message: `At ${formatQuantity(light.inputVoltage, 'V')} and ${formatQuantity(light.outputCurrent, 'A')} the inductor current stops each period: continuous-mode formulas do not hold there.`,
    });
  }
  if (decisions.lightLoad === 'pulse-skipping' || decisions.lightLoad === 'ultrasonic') {
    warnings.push({
      id: 'light-load-policy',
      message: `The ${decisions.lightLoad} policy is solved as diode emulation at fixed frequency: this release does not let the frequency fall with the load.`,
    });
  }
  const longest = LONGEST_DEAD_SHARE / decisions.switchingFrequency;
  if (decisions.rectifier.kind === 'synchronous' && decisions.control.deadTime > longest) {
    warnings.push({
      id: 'dead-time',
      message: `A dead time of ${formatQuantity(decisions.control.deadTime, 's')} is more than an eighth of the period: the stage is solved with ${formatQuantity(longest, 's')}.`,
    });
  }
  if (decisions.coupling) {
    warnings.push({
      id: 'coupling-left-out',
      message:
        'The coupling of the inductors is read and kept, and the phases are solved as uncoupled in this release.',
    });
  }
  if (decisions.inputCapacitors.some((bank) => bank.esl > 0)) {
    warnings.push({
      id: 'input-esl',
      message:
        'The input ripple leaves the bank’s series inductance out: with ideal switching edges its spike has no width.',
    });
  }
  for (const remark of remarks) {
    warnings.push({ id: 'unknown-key', message: `${remark.path} ${remark.message}. Known here: ${remark.expected}.` });
  }
  return warnings;
}

/** V DC; limit of energy source class ES1. Source: IEC 62368-1 (recalled from memory). */
const TOUCH_LIMIT = 60;
/** W in one part that makes it hot enough to burn without a heat sink. Common practice, no source. */
const HOT_PART = 1;
const DEFER = 'Local codes and a qualified person decide; Yundro computes, it does not certify.';

/** The hazards that apply to this design. */
export function findCautions({ brief }: Design, points: readonly OperatingPoint[]): Notice[] {
  const cautions: Notice[] = [];
  const highest = Math.max(brief.outputVoltage, brief.inputVoltage.max);
  if (highest > TOUCH_LIMIT) {
    cautions.push({
      id: 'touch-voltage',
      message: `${formatQuantity(highest, 'V')} is above the 60 V DC that is usually taken as safe to touch: cover it, discharge the capacitors before working, never work alone. ${DEFER}`,
    });
  }
  if (brief.source === 'battery' && brief.inputFuse === undefined) {
    cautions.push({
      id: 'battery-fuse',
      message: `A battery has no current limit of its own: fit a fuse close to it before anything else is connected. ${DEFER}`,
    });
  }
  const parts: [string, (point: OperatingPoint) => number][] = [
    ['control switch', (point) => point.losses.controlSwitchConduction],
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
