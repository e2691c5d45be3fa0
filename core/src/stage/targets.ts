import type { Design } from '../design/schema.ts';
import { isHeld } from '../design/decision.ts';
import { conditionsAt, type CompleteDecisions, type Corner } from './operating/stage.ts';
import { loadRipple, type OperatingPoint } from './operating/operatingPoint.ts';
import type { QuantityId } from './quantities/given.ts';
import type { Unit } from '../quantity/index.ts';
import { allowedInputRipple, allowedOutputRipple } from './sizing/banks.ts';
import { transientFactor } from './sizing/coupling.ts';
import { deliveredSlew, estimate } from './sizing/estimate.ts';
import { assumedCrossover, loopExcursion, lumped, slewExcursion } from './sizing/outputBank.ts';
import { topologyModel } from '../topology/index.ts';

export type Verdict = 'met' | 'marginal' | 'missed';

/** One requirement against its prediction at the worst corner. */
export interface Target {
  id: string;
  name: string;
  unit: Unit;
  /** whether the prediction must stay below or above what is required */
  sense: 'below' | 'above';
  required: number;
  predicted: number;
  /** distance left, in the target's unit; negative when missed */
  margin: number;
  verdict: Verdict;
  /** part of what is allowed that is used: 1 at the limit; of an efficiency, the loss against the loss it allows */
  used: number;
  at: Corner;
  /** decisions that move this prediction, the strongest first */
  levers: string[];
  /** those of the levers that are held: when the target is missed, the ones to let go of */
  held: string[];
  /** the quantity whose Why? explains the prediction */
  quantity: QuantityId;
}

const SPARE = 0.1;
/** Part of the output within which it counts as the one wanted: what the search for the duty leaves. */
export const REGULATED = 1e-5;

/** What an efficiency leaves to lose, as a part of the output power: what its verdict is judged by. */
function lossOf(efficiency: number): number {
  return efficiency > 0 ? 1 / efficiency - 1 : Infinity;
}

/** `met` with at least a tenth of the requirement to spare, `marginal` inside with less, `missed` outside. */
export function verdictOf(required: number, margin: number): Verdict {
  if (!(margin >= 0)) return 'missed';
  return margin >= SPARE * required * (1 - 1e-12) ? 'met' : 'marginal';
}

/** What a target uses of what is allowed where a verdict begins. */
export function usedAt({ id, sense }: Pick<Target, 'id' | 'sense'>, verdict: 'missed' | 'marginal'): number {
  if (verdict === 'missed') return 1;
  // of what must stay above, the tenth to spare is one of the requirement; an efficiency is judged by its loss
  return sense === 'below' || id === 'efficiency' ? 1 - SPARE : 1 / (1 + SPARE);
}

interface Draft {
  id: string;
  name: string;
  unit: Unit;
  sense: 'below' | 'above';
  required: number | undefined;
  levers: string[];
  /** what is predicted, which may be one leg's or another's */
  quantity: QuantityId | ((worst: OperatingPoint) => QuantityId);
  predict: (point: OperatingPoint) => number;
  /** what is judged where that is not the figure itself: the tenth to spare is one of this, which must stay below */
  judged?: (figure: number) => number;
  /** points where the target applies; all when absent */
  applies?: (point: OperatingPoint) => boolean;
}

function judge(
  { sense, judged }: Draft,
  required: number,
  predicted: number,
  margin: number,
): Pick<Target, 'verdict' | 'used'> {
  if (judged) {
    const [limit, found] = [judged(required), judged(predicted)];
    return { verdict: verdictOf(limit, limit - found), used: shareOf(found, limit) };
  }
  return {
    verdict: verdictOf(required, margin),
    used: sense === 'below' ? shareOf(predicted, required) : shareOf(required, predicted),
  };
}

/** A part of a whole; a whole that is nothing counts as used up twice over. */
function shareOf(part: number, whole: number): number {
  const share = part / whole;
  return Number.isFinite(share) ? Math.max(0, share) : part > 0 ? 2 : 0;
}

/** Every target of the brief and every rating given, each at its worst corner among the points solved. */
export function assessTargets(
  design: Design,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
): Target[] {
  if (points.length === 0) return [];
  return drafts(design, decisions, points).flatMap((draft) => {
    const { required } = draft;
    const candidates = points.filter((point) => draft.applies?.(point) ?? true);
    if (required === undefined || candidates.length === 0) return [];
    const sign = draft.sense === 'below' ? 1 : -1;
    let worst = candidates[0]!;
    let predicted = draft.predict(worst);
    for (const point of candidates.slice(1)) {
      const figure = draft.predict(point);
      if (!(sign * figure > sign * predicted)) continue;
      worst = point;
      predicted = figure;
    }
    const margin = sign * (required - predicted);
    return [
      {
        id: draft.id,
        name: draft.name,
        unit: draft.unit,
        sense: draft.sense,
        required,
        predicted,
        margin,
        ...judge(draft, required, predicted, margin),
        at: { inputVoltage: worst.inputVoltage, outputCurrent: worst.outputCurrent },
        levers: draft.levers,
        held: draft.levers.filter((lever) => isHeld(design, lever)),
        quantity: typeof draft.quantity === 'string' ? draft.quantity : draft.quantity(worst),
      },
    ];
  });
}

function drafts(design: Design, decisions: CompleteDecisions, points: readonly OperatingPoint[]): Draft[] {
  const { brief } = design;
  const { control, inductor, inputCapacitors, outputCapacitors } = decisions;
  const step = brief.loadStep;
  const nominal = nearestNominal(brief.inputVoltage.nominal, points);
  const most = Math.max(...points.map((point) => point.outputCurrent));
  const fullest = (point: OperatingPoint): boolean => point.outputCurrent === most;
  // a four-switch stage passes from one way of running to another at its controller's limits, by design
  const free = (point: OperatingPoint): boolean =>
    point.onTime > 0 && !(point.region !== undefined && point.conductionMode === 'CCM');
  const rating = (banks: typeof inputCapacitors): number | undefined =>
    banks.every((bank) => bank.rippleCurrentRating !== undefined)
      ? banks.reduce((sum, bank) => sum + bank.rippleCurrentRating! * bank.count, 0)
      : undefined;
  return [
    {
      id: 'outputVoltage',
      name: 'Output in regulation',
      unit: 'V',
      sense: 'above',
      // a hair under the wanted value: rounding must not turn a regulated output into a missed one
      required: points.some((point) => point.outputVoltage.average < brief.outputVoltage * (1 - REGULATED))
        ? brief.outputVoltage
        : undefined,
      predict: (point) => point.outputVoltage.average,
      levers: ['topology', 'control.maximumDuty'],
      quantity: 'outputVoltageAverage',
    },
    {
      id: 'outputVoltageHigh',
      name: 'Output not above',
      unit: 'V',
      sense: 'below',
      required: points.some((point) => point.outputVoltage.average > brief.outputVoltage * (1 + REGULATED))
        ? brief.outputVoltage
        : undefined,
      predict: (point) => point.outputVoltage.average,
      levers: ['topology'],
      quantity: 'outputVoltageAverage',
    },
    {
      id: 'outputRipple',
      name: 'Output ripple',
      unit: 'V',
      sense: 'below',
      required: allowedOutputRipple(brief),
      predict: loadRipple,
      levers: ['outputCapacitors', 'outputFilter', 'inductor.inductance', 'switchingFrequency'],
      quantity: decisions.outputFilter ? 'loadRipple' : 'outputRipple',
    },
    {
      id: 'loadStepUndershoot',
      name: 'Load on',
      unit: 'V',
      sense: 'below',
      required: step?.deviation,
      predict: (point) => predictExcursion('down', design, decisions, point.inputVoltage),
      applies: fullest,
      levers: ['outputCapacitors', 'inductor.inductance', 'switchingFrequency'],
      quantity: 'loadStepUndershoot',
    },
    {
      id: 'loadStepOvershoot',
      name: 'Load off',
      unit: 'V',
      sense: 'below',
      required: step?.deviation,
      predict: (point) => predictExcursion('up', design, decisions, point.inputVoltage),
      applies: fullest,
      levers: ['outputCapacitors', 'inductor.inductance', 'switchingFrequency'],
      quantity: 'loadStepOvershoot',
    },
    {
      id: 'minimumOnTime',
      name: 'On-time',
      unit: 's',
      sense: 'above',
      required: control.minimumOnTime || undefined,
      predict: (point) => point.onTime,
      applies: free,
      levers: ['switchingFrequency', 'control.minimumOnTime', 'lightLoad'],
      quantity: 'onTime',
    },
    {
      id: 'minimumOffTime',
      name: 'Off-time',
      unit: 's',
      sense: 'above',
      required: control.minimumOffTime || undefined,
      predict: (point) => point.offTime,
      applies: free,
      levers: ['switchingFrequency', 'control.minimumOffTime'],
      quantity: 'offTime',
    },
    {
      id: 'maximumDuty',
      name: 'Duty',
      unit: '%',
      sense: 'below',
      required: control.maximumDuty,
      predict: switchingDuty,
      levers: ['control.maximumDuty', 'topology', 'inductor.resistance'],
      quantity: (point) => (point.region === undefined ? 'duty' : 'boostDuty'),
    },
    {
      id: 'inductorSaturation',
      name: 'Inductor peak',
      unit: 'A',
      sense: 'below',
      required: inductor.saturationCurrent,
      predict: (point) => point.inductorCurrent.peak,
      levers: ['inductor.saturationCurrent', 'inductor.inductance', 'switchingFrequency', 'phases'],
      quantity: 'inductorPeak',
    },
    {
      id: 'inputRipple',
      name: 'Input ripple',
      unit: 'V',
      sense: 'below',
      required: allowedInputRipple(brief),
      predict: (point) => point.inputCapacitor.ripple,
      levers: ['inputCapacitors', 'switchingFrequency', 'phases'],
      quantity: 'inputRipple',
    },
    {
      id: 'inputCapacitorCurrent',
      name: 'Input bank',
      unit: 'A',
      sense: 'below',
      required: rating(inputCapacitors),
      predict: (point) => point.inputCapacitor.rmsCurrent,
      levers: ['inputCapacitors', 'phases'],
      quantity: 'inputCapacitorRms',
    },
    {
      id: 'outputCapacitorCurrent',
      name: 'Output bank',
      unit: 'A',
      sense: 'below',
      required: rating(outputCapacitors),
      predict: (point) => point.outputCapacitor.rmsCurrent,
      levers: ['outputCapacitors', 'inductor.inductance'],
      quantity: 'outputCapacitorRms',
    },
    {
      id: 'controlSwitchVoltage',
      name: 'Control switch',
      unit: 'V',
      sense: 'below',
      required: decisions.controlSwitch.voltageRating,
      predict: (point) => highest(point, 'controlSwitch', decisions),
      levers: ['controlSwitch.voltageRating'],
      quantity: (point) =>
        highest(point, 'controlSwitch', decisions) > point.controlSwitch.blockingVoltage
          ? 'boostControlBlocking'
          : 'controlBlocking',
    },
    {
      id: 'rectifierVoltage',
      name: 'Rectifier',
      unit: 'V',
      sense: 'below',
      required: decisions.rectifier.voltageRating,
      predict: (point) => highest(point, 'rectifier', decisions),
      levers: ['rectifier.voltageRating'],
      quantity: (point) =>
        highest(point, 'rectifier', decisions) > point.rectifier.blockingVoltage
          ? 'boostRectifierBlocking'
          : 'rectifierBlocking',
    },
    {
      id: 'boostControlSwitchVoltage',
      name: 'Boost switch',
      unit: 'V',
      sense: 'below',
      required: decisions.boostLeg?.controlSwitch?.voltageRating,
      predict: (point) => point.boostLeg?.controlSwitch.blockingVoltage ?? 0,
      levers: ['boostLeg.controlSwitch.voltageRating'],
      quantity: 'boostControlBlocking',
    },
    {
      id: 'boostRectifierVoltage',
      name: 'Boost rectifier',
      unit: 'V',
      sense: 'below',
      required: decisions.boostLeg?.rectifier?.voltageRating,
      predict: (point) => point.boostLeg?.rectifier.blockingVoltage ?? 0,
      levers: ['boostLeg.rectifier.voltageRating'],
      quantity: 'boostRectifierBlocking',
    },
    {
      id: 'efficiency',
      name: 'Efficiency, conduction only',
      unit: '%',
      sense: 'above',
      required: brief.efficiency,
      predict: (point) => point.efficiency,
      judged: lossOf,
      applies: (point) => point === nominal,
      levers: ['inductor.resistance', 'controlSwitch.onResistance', 'rectifier.onResistance', 'rectifier'],
      quantity: 'efficiency',
    },
  ];
}

/** The duty that a limit speaks of: a four-switch stage’s boost leg takes over where its buck leg reaches its own. */
function switchingDuty({ region, duty, boostDuty }: OperatingPoint): number {
  return region === undefined ? duty : (boostDuty ?? 0);
}

/** V across a switch, or across its like in the boost leg where that leg has none of its own. */
function highest(point: OperatingPoint, which: 'controlSwitch' | 'rectifier', { boostLeg }: CompleteDecisions): number {
  const second = point.boostLeg?.[which].blockingVoltage;
  return second === undefined || boostLeg?.[which]
    ? point[which].blockingVoltage
    : Math.max(point[which].blockingVoltage, second);
}

/** The point at nominal input and full load, or the nearest to it that was solved. */
export function nearestNominal(nominal: number, points: readonly OperatingPoint[]): OperatingPoint {
  return points.reduce((best, point) => {
    const nearer = Math.abs(point.inputVoltage - nominal) - Math.abs(best.inputVoltage - nominal);
    return nearer < 0 || (nearer === 0 && point.outputCurrent > best.outputCurrent) ? point : best;
  });
}

/** What a load step meets at an input voltage: the slews of the delivered current (A/s) and the loop assumed (Hz). */
export function stepAt(
  { brief }: Design,
  decisions: CompleteDecisions,
  inputVoltage: number,
): { up: number; down: number; crossover: number; rightHalfPlaneZero: number | undefined } {
  const model = topologyModel(decisions.topology);
  const at = conditionsAt(brief, decisions, { inputVoltage, outputCurrent: brief.outputCurrent.max });
  // all phases move together
  const conditions = { ...at, inductance: at.inductance * transientFactor(decisions) };
  const slew = (direction: 'up' | 'down'): number =>
    deliveredSlew(model, conditions, direction, decisions.control.maximumDuty);
  const { rightHalfPlaneZero } = estimate(model, conditions);
  return {
    up: slew('up'),
    down: slew('down'),
    crossover: assumedCrossover(decisions.switchingFrequency, rightHalfPlaneZero),
    rightHalfPlaneZero,
  };
}

/**
 * First estimate of the load step's excursion, V: the worse of what the inductor's slew and what a loop with the
 * assumed crossover allow. The Loop and Scope rungs replace it by the real loop.
 */
export function predictExcursion(
  direction: 'down' | 'up',
  design: Design,
  decisions: CompleteDecisions,
  inputVoltage: number,
): number {
  const { loadStep, outputVoltage } = design.brief;
  if (!loadStep) return 0;
  const step = Math.abs(loadStep.to - loadStep.from);
  const { capacitance, resistance } = lumped(decisions.outputCapacitors);
  const at = stepAt(design, decisions, inputVoltage);
  const slew = direction === 'down' ? at.up : at.down;
  const bySlew = slew > 0 ? slewExcursion(step, slew, capacitance, resistance) : outputVoltage;
  return Math.max(bySlew, loopExcursion(step, at.crossover, capacitance, resistance));
}
