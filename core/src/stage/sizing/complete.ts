import type { CompleteDecisions } from '../../design/complete.ts';
import { decider, type DecidedBy } from '../../design/decide.ts';
import type { Design } from '../../design/schema.ts';
import { modulatorFor } from '../../control/compensator.ts';
import { sizingCorners } from '../../estimates/corners.ts';
import type { BankStock } from '../../shelf/usual/capacitors.ts';
import { meansPulses } from './pulses.ts';
import { decidePace } from './pace.ts';
import { decideSwitches, decideValley, decideWinding } from './path.ts';
import { decideProtection } from './protection.ts';
import { decideBanks, decideNetwork, regulationOf } from './regulation.ts';
import { decideShape } from './shape.ts';
import { needsOf, siliconOf } from './switches.ts';

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

/**
 * Decides everything the design leaves open, in the order in which a designer does: what stage it is, how fast it runs, what
 * its current flows through, its modulator, its banks, what closes the loop, and what protects it. Held decisions pass through untouched; each
 * free one says by which rule.
 */
export function completeDecisions({ brief, decisions: given }: Design, options: CompletionOptions = {}): Completion {
  const decided: DecidedBy[] = [];
  const decide = decider(decided);
  const shape = decideShape(brief, given, decide);
  const pace = decidePace(shape, decide);
  const winding = decideWinding(shape, pace, decide);
  const switches = decideSwitches(shape, pace, options.silicon, decide);
  const { model, phases, rippleSchool, rippleRatio } = shape;
  const { switchingFrequency, inductance, at } = pace;
  const control = modulatorFor(model, shape.control, brief, at, switchingFrequency, inductance, decide);
  const critical = decideValley(shape, pace, switches.rectifier, decide);
  const stage: CompleteDecisions = {
    ...given,
    topology: model.id,
    phases,
    switchingFrequency,
    rippleSchool,
    rippleRatio,
    ...winding,
    ...switches,
    ...(critical ? { critical } : {}),
    control,
    outputCapacitors: [],
    inputCapacitors: [],
  };
  const regulation = regulationOf(shape, pace, stage);
  const banks = decideBanks(shape, pace, regulation, stage, options.stock, decide);
  const closed = decideNetwork(shape, pace, regulation, { ...stage, ...banks }, options.crossover, decide);
  return { decisions: decideProtection(shape, pace, closed, decide), decided };
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
