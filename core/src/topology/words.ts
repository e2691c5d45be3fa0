import type { Topology } from '../design/schema.ts';

/** What each topology is called within a sentence. */
export const TOPOLOGY_WORDS: Readonly<Record<Topology, string>> = {
  buck: 'buck',
  boost: 'boost',
  'inverting-buck-boost': 'inverting buck-boost',
  'four-switch-buck-boost': 'four-switch buck-boost',
};

/** Whether a topology's output is below return. */
export const inverts = (topology: Topology): boolean => topology === 'inverting-buck-boost';
