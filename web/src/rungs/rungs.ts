import { formatQuantity, TOPOLOGY_WORDS, type Design, type Result } from '@yundro/core';

/** A rung of the ladder: the order of work. */
export interface Rung {
  id: string;
  name: string;
  /** whether it is built; the others say what they will hold */
  ready: boolean;
  /** its state in a few figures */
  summary: (design: Design, result: Result | undefined) => string;
  /** what a rung that is not built yet will hold */
  promise?: string;
}

const later = (id: string, name: string, promise: string): Rung => ({
  id,
  name,
  ready: false,
  summary: () => 'not built yet',
  promise,
});

export const RUNGS: readonly Rung[] = [
  {
    id: 'brief',
    name: 'Brief',
    ready: true,
    summary: ({ brief }) =>
      `${brief.inputVoltage.min}–${formatQuantity(brief.inputVoltage.max, 'V')} → ${formatQuantity(brief.outputVoltage, 'V')}, ${formatQuantity(brief.outputCurrent.max, 'A')}`,
  },
  {
    id: 'topology',
    name: 'Topology',
    ready: true,
    summary: (_, result) =>
      result
        ? `${TOPOLOGY_WORDS[result.decisions.topology]}, ${result.decisions.phases === 1 ? 'one phase' : `${result.decisions.phases} phases`}`
        : '',
  },
  {
    id: 'stage',
    name: 'Stage',
    ready: true,
    summary: (_, result) =>
      result
        ? `${formatQuantity(result.decisions.switchingFrequency, 'Hz')}, ${formatQuantity(result.decisions.inductor.inductance, 'H')}`
        : '',
  },
  later(
    'parts',
    'Parts',
    'switches, diodes, inductors, capacitors and controllers from the shelf, with derating and ranking',
  ),
  later('heat', 'Heat', 'every loss mechanism over load and line, and the junction temperatures they settle at'),
  later('loop', 'Loop', 'plant, compensator, margins at every corner, and the impedances'),
  later('scope', 'Scope', 'the switching simulation: load step, line step, start-up and faults'),
  later('spread', 'Spread', 'tolerances: corners, Monte Carlo, and which part matters'),
  later('layout', 'Layout', 'the current loops, copper and clearances, and a placement checklist'),
  later('bench', 'Bench', 'bring-up order, what each node should look like, and measured runs over the prediction'),
  later('sheet', 'Sheet', 'the design review document'),
];
