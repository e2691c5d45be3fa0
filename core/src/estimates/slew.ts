import type { Brief } from '../design/schema.ts';
import type { Cell } from '../network/circuit.ts';
import { topologyModel, type ClosedForms, type Operation, type StageConditions } from '../topology/index.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { conditionsAt, rectifies } from '../topology/ofDesign.ts';
import { transientFactor } from './coupling.ts';
import { suggestLoadStep } from './loadStep.ts';
import { likelyOperation } from './estimate.ts';
import type { Lumped } from './outputBank.ts';

/*
 * How fast a stage's delivered current can follow a load step: its slew with the duty at one of its ends, and the way that
 * its control has to go first.
 */

export type Direction = 'up' | 'down';

type Slewing = Pick<CompleteDecisions, 'topology' | 'control' | 'lightLoad'>;

/** The duty at which the current moves as fast as the controller lets it. */
function drivenDuty(
  { topology, control: { method, minimumOnTime, maximumDuty }, lightLoad }: Slewing,
  { switchingFrequency, largestDuty }: StageConditions,
  direction: Direction,
): number {
  // where a four-switch stage's one leg is at an end the other takes over
  const alone = topology !== 'four-switch-buck-boost';
  if (direction === 'up') return alone && method !== 'digital' ? Math.min(maximumDuty, largestDuty) : maximumDuty;
  // a comparator that sees the current is blind for the shortest pulse, which comes at each clock where none is left out
  const pulses =
    alone && method === 'peak-current-mode' && lightLoad !== 'pulse-skipping' && lightLoad !== 'ultrasonic';
  return pulses ? Math.min(1, minimumOnTime * switchingFrequency) : 0;
}

/** In continuous conduction; near the end where no duty gives the output. */
function steadyDuty(forms: ClosedForms, conditions: StageConditions): number {
  const found = forms.ccmDuty(conditions);
  return Number.isFinite(found) ? Math.min(0.98, Math.max(0, found)) : 0.98;
}

export interface Slew {
  /** A/s of all phases together, 0 or more */
  slew: number;
  /** the duty meanwhile */
  duty: number;
  /** V that winding and switches of a phase take of what drives its current */
  drop: number;
}

/** A, the ends of the brief's step, or of the usual one. */
const endsOf = (brief: Brief): { light: number; heavy: number } => {
  const { from, to } = brief.loadStep ?? suggestLoadStep(brief);
  return { light: Math.min(from, to), heavy: Math.max(from, to) };
};

/** The slew of the current that is delivered while all phases move together, halfway through the step. */
export function deliveredSlew(
  brief: Brief,
  decisions: CompleteDecisions,
  inputVoltage: number,
  direction: Direction,
): Slew {
  const { light, heavy } = endsOf(brief);
  const given = conditionsAt(brief, decisions, { inputVoltage, outputCurrent: (light + heavy) / 2 });
  const model = topologyModel(decisions.topology);
  const { conditions: c, cells, forms, transition } = likelyOperation(model, given);
  const volts = (cell: Cell): number => cell.fromInput * c.inputVoltage - cell.toOutput * c.outputVoltage;
  const steady = steadyDuty(forms, c);
  const delivered = transition
    ? 1 - transition.boostDuty
    : steady * cells.control!.toOutput + (1 - steady) * cells.rectifier!.toOutput;
  const duty = drivenDuty(decisions, c, direction);
  const current = c.outputCurrent / c.phases / delivered;
  const drop =
    model.switches === 4
      ? 0
      : current * (c.windingResistance + duty * c.controlResistance + (1 - duty) * c.rectifierResistance) +
        (1 - duty) * c.rectifierDrop;
  const drive = duty * volts(cells.control!) + (1 - duty) * volts(cells.rectifier!) - drop;
  const driven = Math.max(0, direction === 'up' ? drive : -drive);
  return { slew: (driven * c.phases * delivered) / (c.inductance * transientFactor(decisions)), duty, drop };
}

/** What a load step is larger by for the loop than for the load. */
export interface Late {
  /** A */
  current: number;
  /** A·Hz, to be divided by the crossover */
  overCrossover: number;
}

export const PROMPT: Late = { current: 0, overCrossover: 0 };

/** The worst of several. */
export const latest = (several: readonly Late[]): Late => ({
  current: Math.max(...several.map(({ current }) => current)),
  overCrossover: Math.max(...several.map(({ overCrossover }) => overCrossover)),
});

/** A, with a loop that crosses over there, Hz. */
export const lateAt = ({ current, overCrossover }: Late, crossover: number): number =>
  current + overCrossover / crossover;

/**
 * First answer of a sampled network to a step over its gain at the crossover times the period's angle there: it weighs
 * differences most. Our own, held against the simulator.
 */
const FIRST = 1.2;

/**
 * Hz that a digital loop crosses over at most with a bank: a duty at its end cuts the first answer to a step off, and a
 * controller that remembers what it gave, not what it meant, takes long to make up for it.
 */
export function uncutCrossover(
  brief: Brief,
  decisions: CompleteDecisions,
  inputVoltage: number,
): (bank: Lumped) => number {
  const { control, switchingFrequency, topology } = decisions;
  // a four-switch stage's other leg takes over where one is at its end
  if (control.method !== 'digital' || topology === 'four-switch-buck-boost') return () => Infinity;
  const { light, heavy } = endsOf(brief);
  const at = likelyOperation(
    topologyModel(topology),
    conditionsAt(brief, decisions, { inputVoltage, outputCurrent: heavy }),
  );
  const duty = steadyDuty(at.forms, at.conditions);
  const room = Math.min(duty, control.maximumDuty - duty) * movedBy(at, duty);
  return ({ capacitance, resistance }) => {
    const perPeriod = resistance + 1 / (capacitance * switchingFrequency);
    const most = (FIRST * (heavy - light) * perPeriod * switchingFrequency) / (2 * Math.PI * room);
    return most > resistance ? 1 / (2 * Math.PI * capacitance * Math.sqrt(most ** 2 - resistance ** 2)) : Infinity;
  };
}

/**
 * How often over the way that a duty has to grow counts, in current that it moves at the crossover: a voltage loop is
 * slower where the current stops, the inner loop of an average current faster than the outer one. Our own, held against
 * the simulator.
 */
const WAY = { duty: 3, average: 1 / 3 };

/** What a loop has to make up for at the beginning of a step, where the current stops at its lighter end. */
export function lateCurrent(brief: Brief, decisions: CompleteDecisions, inputVoltage: number): Late {
  if (!rectifies(decisions) || decisions.conduction === 'critical') return PROMPT;
  const { light, heavy } = endsOf(brief);
  const model = topologyModel(decisions.topology);
  const at = (outputCurrent: number): Operation =>
    likelyOperation(model, conditionsAt(brief, decisions, { inputVoltage, outputCurrent }));
  return fromRest(decisions, at(light), at(heavy), heavy - light);
}

/** A·Hz by which a whole duty moves the delivered current, over the frequency. */
function movedBy({ conditions: c, cells }: Operation, duty: number): number {
  const [on, off] = [cells.control!, cells.rectifier!];
  const swing = (on.fromInput - off.fromInput) * c.inputVoltage + (off.toOutput - on.toOutput) * c.outputVoltage;
  return (swing * c.phases * (duty * on.toOutput + (1 - duty) * off.toOutput)) / (2 * Math.PI * c.inductance);
}

/**
 * Where the current stops at the lighter end of a step, the control stands far from where a current that flows on would
 * have it, and has that way to go first. A peak current's comparator sees the pulse's own height and the added slope over
 * the time that it grows by; a duty that grows by ΔD moves the current by Vin·ΔD/(2π·fc·L) at the crossover. Our own, held
 * against the simulator.
 */
function fromRest(
  { control, switchingFrequency }: CompleteDecisions,
  low: Operation,
  high: Operation,
  step: number,
): Late {
  const stops = low.forms.dcmDuties(low.conditions);
  if (low.transition || high.transition || high.region !== low.region) return PROMPT;
  if (!(stops.duty + stops.rectifierDuty < 1)) return PROMPT;
  const { conditions: c, cells, forms } = high;
  const pulse = forms.dcmDuties(c);
  const flows = !(pulse.duty + pulse.rectifierDuty < 1);
  const duty = flows ? steadyDuty(forms, c) : pulse.duty;
  const grows = duty - stops.duty;
  const [on, off] = [cells.control!, cells.rectifier!];
  const rising = on.fromInput * c.inputVoltage - on.toOutput * c.outputVoltage;
  const delivered = c.phases * (duty * on.toOutput + (1 - duty) * off.toOutput);
  switch (control.method) {
    case 'peak-current-mode': {
      const rise = (rising * duty) / (c.inductance * switchingFrequency);
      const peak = flows ? forms.inductorAverage(c, duty) + rise / 2 : rise;
      const had = (rising * stops.duty) / (c.inductance * switchingFrequency);
      const sloped = ((control.slopeCompensation ?? 0) * grows) / switchingFrequency / (control.currentSenseGain ?? 1);
      return { current: Math.max(0, (peak - had + sloped) * delivered - step), overCrossover: 0 };
    }
    case 'voltage-mode':
    case 'voltage-mode-feedforward':
    case 'digital':
    case 'average-current-mode': {
      const way = control.method === 'average-current-mode' ? WAY.average : WAY.duty;
      return { current: 0, overCrossover: Math.max(0, way * grows * movedBy(high, duty)) };
    }
    default:
      return PROMPT;
  }
}
