import type { Design, Topology } from '../design/schema.ts';
import type { OperatingPoint, SwitchStress } from '../stage/operating/operatingPoint.ts';
import { formatQuantity } from '../quantity/index.ts';
import { linearAlternative, type LinearAlternative } from '../estimates/linearRegulator.ts';
import { completeDecisions, siliconIn } from '../stage/sizing/complete.ts';
import { zeroAt } from '../stage/quantities/sizing.ts';
import { solve, type Result } from '../solve.ts';
import { topologyModel, TOPOLOGIES } from '../topology/index.ts';
import { TOPOLOGY_WORDS } from '../topology/words.ts';
import { nearestNominal } from '../design/corner.ts';
import type { Verdict } from '../verdict/target.ts';

/** What one of a stage's switches must stand: V, A RMS of one phase, and their product over all phases, V·A. */
export interface SwitchDemand {
  voltage: number;
  rmsCurrent: number;
  product: number;
}

/** One topology completed and solved for a brief, in the figures that people compare. */
export interface Alternative {
  topology: Topology;
  name: string;
  verdict: Verdict;
  /** whether it reaches the output at any corner; when not, its figures mean nothing */
  works: boolean;
  /** what rules it out, each in words with its number; empty when nothing does */
  ruledOut: string[];
  /** what speaks against it without ruling it out */
  reservations: string[];
  phases: number;
  switchingFrequency: number;
  /** of the control switch, over all corners */
  duty: { min: number; max: number };
  /** of a four-switch stage's boost leg */
  boostDuty: { min: number; max: number } | undefined;
  control: SwitchDemand;
  rectifier: SwitchDemand;
  /** of a four-switch stage's boost leg */
  boostLeg: { control: SwitchDemand; rectifier: SwitchDemand } | undefined;
  /** all switches of all phases together, V·A */
  switchProduct: number;
  /** one phase's inductor: H, A at the highest peak, and J at that peak over all phases */
  inductor: { inductance: number; peak: number; energy: number };
  /** A RMS, each bank at its worst corner */
  inputCapacitorRms: number;
  outputCapacitorRms: number;
  /** where the current is chopped */
  pulsating: 'input' | 'output' | 'input and output';
  /** Hz, lowest over the corners; undefined when there is none */
  rightHalfPlaneZero: number | undefined;
  parts: { switches: number; inductors: number; capacitors: number };
  /** W and efficiency at nominal input and full load, with the losses known so far */
  loss: number;
  efficiency: number;
  result: Result;
}

export interface TopologyComparison {
  alternatives: Alternative[];
  /** the design as it stands, with what is held in it */
  standing: Alternative;
  /** m² of die that every alternative shares out among its switches */
  silicon: number;
  linear: LinearAlternative;
}

/** Warnings and targets that mean a topology cannot do what the brief asks. */
const FATAL = ['out-of-reach', 'passes-through', 'maximumDuty', 'minimumOnTime', 'minimumOffTime', 'not-solved'];

/**
 * Every topology completed and solved from the brief alone (the controller's limits stay), with what rules each out.
 * Like is compared with like: all share out the same area of silicon, that of the topology that the brief itself leads
 * to, with its kind of rectifier, and all wind their inductors by the same rule. The design's own decisions do not
 * weigh in, so that the comparison is fair.
 */
export function compareTopologies(
  design: Design,
  fill: (design: Design) => Design = (same) => same,
): TopologyComparison {
  const bare = briefAlone(design);
  const { decisions: first } = completeDecisions(bare);
  const silicon = siliconIn(bare, first);
  return {
    standing: assess(design, solve(fill(design))),
    alternatives: TOPOLOGIES.map((topology) =>
      assess(
        design,
        solve(
          { ...bare, decisions: { ...bare.decisions, topology, rectifier: { kind: first.rectifier.kind } } },
          { silicon },
        ),
      ),
    ),
    silicon,
    linear: linearAlternative(design.brief),
  };
}

/** A design with the brief alone to go by, and what the controller is held to. */
function briefAlone(design: Design): Design {
  const { control, lightLoad } = design.decisions;
  return {
    ...design,
    decisions: { ...(control ? { control } : {}), ...(lightLoad ? { lightLoad } : {}) },
  };
}

/** The design that each topology by itself would be from the brief alone, for whoever judges them. */
export function topologyDesigns(design: Design): { topology: Topology; design: Design }[] {
  const bare = briefAlone(design);
  const { rectifier } = completeDecisions(bare).decisions;
  return TOPOLOGIES.map((topology) => ({
    topology,
    design: { ...bare, decisions: { ...bare.decisions, topology, rectifier: { kind: rectifier.kind } } },
  }));
}

/** The figures of a solved design. */
export function assess(design: Design, result: Result): Alternative {
  const { decisions, operatingPoints: points } = result;
  const { topology, phases } = decisions;
  const { brief } = design;
  const model = topologyModel(topology);
  const most = (of: (point: OperatingPoint) => number): number => Math.max(0, ...points.map(of));
  const demand = (of: (point: OperatingPoint) => SwitchStress): SwitchDemand => {
    const voltage = most((point) => of(point).blockingVoltage);
    const rmsCurrent = most((point) => of(point).rmsCurrent);
    return { voltage, rmsCurrent, product: voltage * rmsCurrent * phases };
  };
  const control = demand((point) => point.controlSwitch);
  const rectifier = demand((point) => point.rectifier);
  const boostLeg = points.some((point) => point.boostLeg)
    ? {
        control: demand((point) => point.boostLeg?.controlSwitch ?? NOTHING),
        rectifier: demand((point) => point.boostLeg?.rectifier ?? NOTHING),
      }
    : undefined;
  const second = boostLeg ? [boostLeg.control, boostLeg.rectifier] : [];
  const zeros = points
    .filter((point) => point.outputCurrent === brief.outputCurrent.max)
    .flatMap((point) => zeroAt(brief, decisions, point) ?? []);
  const works = points.some((point) => Math.abs(point.outputVoltage.average / brief.outputVoltage - 1) < 1e-3);
  const duties = points.map((point) => point.duty);
  const boosts = points.flatMap((point) => point.boostDuty ?? []);
  const peak = most((point) => point.inductorCurrent.peak);
  const { inductance } = decisions.inductor;
  const nominal = points.length > 0 ? nearestNominal(brief.inputVoltage.nominal, points) : undefined;
  const { input, output } = model.pulsating;
  const pairs = decisions.coupling ? (decisions.coupling.arrangement === 'one-core' ? phases : 2) : 1;
  const count = (banks: readonly { count: number }[]): number => banks.reduce((sum, bank) => sum + bank.count, 0);
  return {
    topology,
    name: model.name,
    verdict: result.verdict,
    works,
    ruledOut: ruledOut(design, result),
    reservations: works && !cannotHold(result) ? reservations(design, result) : [],
    phases,
    switchingFrequency: decisions.switchingFrequency,
    duty: { min: Math.min(1, ...duties), max: Math.max(0, ...duties) },
    boostDuty: boosts.length > 0 ? { min: Math.min(...boosts), max: Math.max(...boosts) } : undefined,
    control,
    rectifier,
    boostLeg,
    switchProduct: [control, rectifier, ...second].reduce((sum, { product }) => sum + product, 0),
    inductor: { inductance, peak, energy: (phases * inductance * peak ** 2) / 2 },
    inputCapacitorRms: most((point) => point.inputCapacitor.rmsCurrent),
    outputCapacitorRms: most((point) => point.outputCapacitor.rmsCurrent),
    pulsating: input && output ? 'input and output' : input ? 'input' : 'output',
    rightHalfPlaneZero: zeros.length > 0 ? Math.min(...zeros) : undefined,
    parts: {
      switches: model.switches * phases,
      inductors: Math.ceil(phases / pairs),
      capacitors: count(decisions.inputCapacitors) + count(decisions.outputCapacitors),
    },
    loss: nominal?.losses.total ?? 0,
    efficiency: nominal?.efficiency ?? 0,
    result,
  };
}

const NOTHING: SwitchStress = { averageCurrent: 0, rmsCurrent: 0, peakCurrent: 0, blockingVoltage: 0 };

const HOLDS = ['out-of-reach', 'passes-through'];

function cannotHold({ warnings }: Pick<Result, 'warnings'>): boolean {
  return warnings.some(({ id }) => HOLDS.includes(id));
}

function ruledOut({ brief }: Design, { decisions, warnings }: Result): string[] {
  const model = topologyModel(decisions.topology);
  const words: string[] = [];
  const volts = formatQuantity(brief.outputVoltage, 'V');
  const name = TOPOLOGY_WORDS[decisions.topology];
  const article = /^[aeiou]/u.test(name) ? 'An' : 'A';
  if (brief.outputPolarity === 'negative' && !model.inverts)
    words.push(`${article} ${name} gives +${volts}, and the brief asks for −${volts}.`);
  if (brief.outputPolarity === 'positive' && model.inverts)
    words.push(`${article} ${name} gives −${volts}, and the brief asks for +${volts}.`);
  const fatal = warnings.filter(({ id }) => FATAL.includes(id));
  // what cannot hold its output has no other fault worth naming
  const named = cannotHold({ warnings }) ? fatal.filter(({ id }) => HOLDS.includes(id)) : fatal;
  return [...words, ...named.map(({ message }) => message)];
}

function reservations({ brief }: Design, { decisions, targets }: Result): string[] {
  const words: string[] = [];
  const model = topologyModel(decisions.topology);
  if (brief.outputPolarity === undefined && model.inverts)
    words.push(
      `Its output is −${formatQuantity(brief.outputVoltage, 'V')}: only where the load takes a negative rail.`,
    );
  for (const target of targets.filter(({ id, verdict }) => verdict === 'missed' && !FATAL.includes(id)))
    words.push(
      `${target.name}: ${formatQuantity(target.predicted, target.unit)} where ${formatQuantity(target.required, target.unit)} is asked for.`,
    );
  return words;
}
