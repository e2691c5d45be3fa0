import type { Part } from '../part.ts';
import { chanceFrom } from '../../numbers/chance.ts';
import { demoControllers, demoConverters, demoDrivers } from './controllers.ts';
import { demoCapacitors, demoChokes, demoCores, demoInductors, demoLargeInductances, demoWires } from './passives.ts';
import { demoDiodes, demoMosfets, demoSmallDies } from './switches.ts';

/** The seed of the shelf that ships; another gives another shelf of the same rules. */
const DEMO_SEED = 20261125;

/**
 * The demo shelf: some five hundred invented parts with physically consistent values. Every value is invented; none is
 * that of a part that can be bought.
 */
export function demoParts(seed = DEMO_SEED): Part[] {
  const chance = chanceFrom(seed);
  return [
    ...demoMosfets(chance),
    ...demoDiodes(chance),
    ...demoInductors(chance),
    ...demoCapacitors(chance),
    ...demoCores(),
    ...demoWires(),
    ...demoControllers(),
    ...demoConverters(),
    ...demoDrivers(),
    // after all others, so that what was there keeps its values
    ...demoSmallDies(chance),
    ...demoLargeInductances(chance),
    ...demoChokes(chance),
  ];
}
