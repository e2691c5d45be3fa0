import type { Brief, CapacitorBank, Design } from '../design/schema.ts';
import { nearestNominal } from '../design/corner.ts';
import { gateSource } from '../losses/gateDrive.ts';
import type { LossScope } from '../losses/scope.ts';
import { assessTargets, type Draft, type Target } from '../verdict/target.ts';
import { devicesOf, type HeatPlace } from './operating/heat.ts';
import { heldVoltage, loadRipple, type OperatingPoint } from './operating/operatingPoint.ts';
import { nearestRating } from './operating/shares.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { StageQuantity } from './quantities/index.ts';
import type { StageFound } from './scene.ts';
import { allowedInputRipple, allowedOutputRipple } from './sizing/banks.ts';

/** Part of the output within which it counts as the one wanted: what the search for the duty leaves. */
export const REGULATED = 1e-5;

/** What an efficiency leaves to lose, as a part of the output power: what its verdict is judged by. */
function lossOf(efficiency: number): number {
  return efficiency > 0 ? 1 / efficiency - 1 : Infinity;
}

/** Every target of the brief and every rating given that the stage by itself answers to. */
export function stageTargets(
  design: Design,
  {
    decisions,
    operatingPoints: points,
    lossScope,
    corners = points.length,
  }: Pick<StageFound, 'decisions' | 'operatingPoints' | 'lossScope'> & Partial<Pick<StageFound, 'corners'>>,
): Target<StageQuantity>[] {
  const unsolved = points.length < corners ? [cornersSolved(design, points.length, corners)] : [];
  if (points.length === 0) return unsolved;
  return [...unsolved, ...assessTargets(design, drafts(design.brief, decisions, points, lossScope), points)];
}

/** Corners without a periodic state are judged by nobody: they leave the design open. */
function cornersSolved({ brief }: Design, solved: number, corners: number): Target<StageQuantity> {
  return {
    id: 'operatingPoints',
    name: 'Corners solved',
    unit: '',
    sense: 'above',
    required: corners,
    predicted: solved,
    margin: solved - corners,
    verdict: 'open',
    why: `${corners - solved} of ${corners} corners have no operating point that was found`,
    used: 0,
    at: { inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.max },
    levers: [],
    held: [],
    quantity: 'outputVoltageAverage',
  };
}

/** What an efficiency needs that is not known, in words; nothing where every mechanism is in it. */
const lackedBy = ({ leftOut }: LossScope): string | undefined =>
  leftOut.length > 0 ? `not in it, for want of part data: ${leftOut.join(', ')}` : undefined;

/** The kind of a bank that comes nearest its own rating over all points: its place and that rating. */
function nearestOver(
  banks: readonly CapacitorBank[],
  which: 'inputCapacitor' | 'outputCapacitor',
  points: readonly OperatingPoint[],
): ReturnType<typeof nearestRating> {
  return points
    .map((point) => nearestRating(banks, point[which].each))
    .reduce((most, one) => (one && (!most || one.used > most.used) ? one : most), undefined);
}

function drafts(
  brief: Brief,
  decisions: CompleteDecisions,
  points: readonly OperatingPoint[],
  scope: LossScope,
): Draft<OperatingPoint, StageQuantity>[] {
  const { control, inductor, inputCapacitors, outputCapacitors } = decisions;
  const nominal = nearestNominal(brief.inputVoltage.nominal, points);
  // a four-switch stage passes from one way of running to another at its controller's limits, by design
  const free = (point: OperatingPoint): boolean =>
    point.onTime > 0 && !(point.region !== undefined && point.conductionMode === 'CCM');
  const nearest = {
    input: nearestOver(inputCapacitors, 'inputCapacitor', points),
    output: nearestOver(outputCapacitors, 'outputCapacitor', points),
  };
  const suppliedBy = ({ inputVoltage, outputVoltage: { average: outputVoltage } }: OperatingPoint) =>
    gateSource(control, { inputVoltage, outputVoltage });
  const devices = devicesOf(decisions);
  const runsAway = (point: OperatingPoint, place: HeatPlace): boolean =>
    devices[place]?.resistance !== undefined &&
    point.temperatures?.[place] === undefined &&
    point.losses.total > 0 &&
    point.duty > 0;
  return [
    {
      id: 'outputVoltage',
      name: 'Output in regulation',
      unit: 'V',
      sense: 'above',
      // a hair under the wanted value: rounding must not turn a regulated output into a missed one
      required: points.some((point) => heldVoltage(point) < brief.outputVoltage * (1 - REGULATED))
        ? brief.outputVoltage
        : undefined,
      predict: (point) => heldVoltage(point),
      levers: ['topology', 'control.maximumDuty'],
      quantity: 'outputVoltageAverage',
    },
    {
      id: 'outputVoltageHigh',
      name: 'Output not above',
      unit: 'V',
      sense: 'below',
      required: points.some((point) => heldVoltage(point) > brief.outputVoltage * (1 + REGULATED))
        ? brief.outputVoltage
        : undefined,
      predict: (point) => heldVoltage(point),
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
      id: 'gateSupply',
      name: 'Gate supply',
      unit: 'V',
      sense: 'above',
      required: control.gateSupply === 'given' || !points.some(suppliedBy) ? undefined : control.gateVoltage,
      predict: (point) => suppliedBy(point) ?? Infinity,
      levers: ['control.gateVoltage', 'control.gateSupply'],
      quantity: control.gateSupply === 'from-output' ? 'outputVoltageAverage' : 'inputVoltage',
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
      name: inputCapacitors.length > 1 ? 'Input bank, nearest its rating' : 'Input bank, one of it',
      unit: 'A',
      sense: 'below',
      required: nearest.input?.rating,
      predict: (point) => point.inputCapacitor.each[nearest.input!.kind]!.rmsCurrent,
      levers: ['inputCapacitors', 'phases'],
      quantity: 'inputCapacitorShare',
    },
    {
      id: 'outputCapacitorCurrent',
      name: outputCapacitors.length > 1 ? 'Output bank, nearest its rating' : 'Output bank, one of it',
      unit: 'A',
      sense: 'below',
      required: nearest.output?.rating,
      predict: (point) => point.outputCapacitor.each[nearest.output!.kind]!.rmsCurrent,
      levers: ['outputCapacitors', 'inductor.inductance'],
      quantity: 'outputCapacitorShare',
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
    ...JUNCTIONS.map(({ place, name, levers, quantity }): Draft<OperatingPoint, StageQuantity> => ({
      id: `${place}Temperature`,
      name,
      unit: '°C',
      sense: 'below',
      required: points.some((point) => point.temperatures?.[place] !== undefined || runsAway(point, place))
        ? brief.junctionTemperature
        : undefined,
      // where its heat does not settle there is no temperature that it ends at
      predict: (point) => point.temperatures?.[place] ?? Infinity,
      applies: (point) => point.temperatures?.[place] !== undefined || runsAway(point, place),
      levers,
      quantity,
    })),
    ...LIVES.map(({ id, name, which, levers, quantity }): Draft<OperatingPoint, StageQuantity> => ({
      id,
      name,
      unit: 'h',
      sense: 'above',
      required:
        brief.serviceLife !== undefined && points.some((point) => shortestLife(point, which) < Infinity)
          ? brief.serviceLife / HOUR
          : undefined,
      predict: (point) => shortestLife(point, which) / HOUR,
      applies: (point) => point.outputCurrent === brief.outputCurrent.max && shortestLife(point, which) < Infinity,
      levers: [...levers],
      quantity,
    })),
    {
      id: 'efficiency',
      name: `Efficiency, ${scope.words}`,
      lacks: lackedBy(scope),
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

/** The places with a junction that the brief's limit is for. */
const JUNCTIONS = [
  {
    place: 'controlSwitch',
    name: 'Control switch junction',
    levers: ['controlSwitch', 'switchingFrequency', 'phases'],
    quantity: 'temperatureControl',
  },
  {
    place: 'rectifier',
    name: 'Rectifier junction',
    levers: ['rectifier', 'phases'],
    quantity: 'temperatureRectifier',
  },
  {
    place: 'boostControlSwitch',
    name: 'Boost switch junction',
    levers: ['boostLeg.controlSwitch', 'controlSwitch', 'switchingFrequency'],
    quantity: 'temperatureBoostControl',
  },
  {
    place: 'boostRectifier',
    name: 'Boost rectifier junction',
    levers: ['boostLeg.rectifier', 'rectifier'],
    quantity: 'temperatureBoostRectifier',
  },
] as const satisfies readonly { place: HeatPlace; name: string; levers: string[]; quantity: StageQuantity }[];

const HOUR = 3600;
const LIVES = [
  {
    id: 'outputCapacitorLife',
    name: 'Output bank’s life',
    which: 'outputCapacitor',
    levers: ['outputCapacitors', 'cooling'],
    quantity: 'outputCapacitorLife',
  },
  {
    id: 'inputCapacitorLife',
    name: 'Input bank’s life',
    which: 'inputCapacitor',
    levers: ['inputCapacitors', 'cooling'],
    quantity: 'inputCapacitorLife',
  },
] as const;

/** s, of the shortest-lived capacitors of a bank; without end where none tells its endurance. */
function shortestLife(point: OperatingPoint, which: 'outputCapacitor' | 'inputCapacitor'): number {
  return Math.min(Infinity, ...point[which].each.map(({ lifetime = Infinity }) => lifetime));
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
