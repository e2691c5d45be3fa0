import { gateDrive, gateSupply } from './gateDrive.ts';
import { leakage } from './leakage.ts';
import { outputCharge } from './outputCharge.ts';
import { overlap } from './overlap.ts';
import { reverseRecovery } from './reverseRecovery.ts';
import { snubberLoss } from './snubber.ts';
import type { DriverValues, LegAt, RectifierValues, SnubberValues, SwitchValues } from './values.ts';

/** A leg of the stage at a corner: its devices, and what they do there. */
export interface Leg extends LegAt {
  control: SwitchValues;
  rectifier: RectifierValues;
  driver: DriverValues;
  snubber: SnubberValues | undefined;
}

/** Where the heat of a loss goes: into one device of a leg, the inductor, the board, or elsewhere. */
type Heats = 'controlSwitch' | 'rectifier' | 'inductor' | 'board';
/** The place on Parts that a loss is told of. */
type OfPlace = 'controller' | 'inductor' | 'controlSwitch' | 'rectifier' | 'outputCapacitors' | 'inputCapacitors';

interface Mechanism {
  words: string;
  /** of its quantity, typeset */
  symbol: string;
  /** id of its quantity */
  quantity: `loss${string}`;
  place?: OfPlace;
  heats?: Heats;
  /** that resistance of the heated part which rises with its heat */
  conduction?: true;
  /** what the same of a four-switch stage's boost leg is called, under a name with `boost` in front */
  boost?: string;
  /** what is missing in words, while no corner knows it; of a body diode where there is one */
  missing?: string;
  ofBodyDiode?: true;
  /** what a leg that switches loses by it, W; undefined where its data are not there */
  ofLeg?: (leg: Leg) => number | undefined;
}

const mechanism = <const M extends Mechanism>(record: M): M => record;

/**
 * Every loss of a stage, by the name that results give it, in the order in which they are told. A loss is added here, with
 * its form in `stage/quantities/lossForms.ts`: results, heat, words, figures and what is left out follow.
 */
export const MECHANISMS = {
  controlSwitchConduction: mechanism({
    words: 'Control switch, conduction',
    symbol: 'P_Q',
    quantity: 'lossControl',
    place: 'controlSwitch',
    heats: 'controlSwitch',
    conduction: true,
    boost: 'Boost switch, conduction',
  }),
  rectifierConduction: mechanism({
    words: 'Rectifier, conduction',
    symbol: 'P_R',
    quantity: 'lossRectifier',
    place: 'rectifier',
    heats: 'rectifier',
    conduction: true,
    boost: 'Boost rectifier, conduction',
  }),
  deadTimeConduction: mechanism({
    words: 'Dead time, body diode',
    symbol: 'P_\\mathrm{d}',
    quantity: 'lossDeadTime',
    place: 'rectifier',
  }),
  windingConduction: mechanism({
    words: 'Inductor winding',
    symbol: 'P_L',
    quantity: 'lossWinding',
    place: 'inductor',
    heats: 'inductor',
    conduction: true,
  }),
  outputCapacitorEsr: mechanism({
    words: 'Output bank, ESR',
    symbol: 'P_{C\\mathrm{out}}',
    quantity: 'lossOutputEsr',
    place: 'outputCapacitors',
  }),
  inputCapacitorEsr: mechanism({
    words: 'Input bank, ESR',
    symbol: 'P_{C\\mathrm{in}}',
    quantity: 'lossInputEsr',
    place: 'inputCapacitors',
  }),
  outputFilterWinding: mechanism({
    words: 'Output filter, winding',
    symbol: 'P_{L\\mathrm{f}}',
    quantity: 'lossFilterWinding',
  }),
  outputFilterEsr: mechanism({
    words: 'Output filter, ESR',
    symbol: 'P_{C\\mathrm{f}}',
    quantity: 'lossFilterEsr',
  }),
  sourceResistance: mechanism({ words: 'Source and leads', symbol: 'P_S', quantity: 'lossSource' }),
  preload: mechanism({ words: 'Preload', symbol: 'P_0', quantity: 'lossPreload' }),
  controlSwitchOverlap: mechanism({
    words: 'Control switch, overlap',
    symbol: 'P_\\mathrm{sw}',
    quantity: 'lossOverlap',
    place: 'controlSwitch',
    heats: 'controlSwitch',
    boost: 'Boost switch, overlap',
    missing: 'switching overlap',
    ofLeg: ({ control, driver, ...at }) => overlap(control, driver, at),
  }),
  outputCharge: mechanism({
    words: 'Output charge',
    symbol: 'P_\\mathrm{oss}',
    quantity: 'lossOutputCharge',
    place: 'controlSwitch',
    heats: 'controlSwitch',
    boost: 'Boost leg, output charge',
    missing: 'output charge',
    ofLeg: ({ control, rectifier, ...at }) => outputCharge(control, rectifier, at),
  }),
  reverseRecovery: mechanism({
    words: 'Reverse recovery',
    symbol: 'P_\\mathrm{rr}',
    quantity: 'lossRecovery',
    place: 'controlSwitch',
    heats: 'controlSwitch',
    boost: 'Boost leg, reverse recovery',
    missing: 'reverse recovery',
    ofBodyDiode: true,
    ofLeg: ({ rectifier, ...at }) => reverseRecovery(rectifier, at),
  }),
  gateDrive: mechanism({
    words: 'Gate drive',
    symbol: 'P_\\mathrm{g}',
    quantity: 'lossGate',
    place: 'controller',
    heats: 'board',
    boost: 'Boost leg, gate drive',
    missing: 'gate drive',
    ofLeg: ({ control, rectifier, driver, frequency }) => gateDrive(control, rectifier, driver, frequency),
  }),
  gateSupply: mechanism({
    words: 'Gate supply',
    symbol: 'P_\\mathrm{gs}',
    quantity: 'lossGateSupply',
    place: 'controller',
    heats: 'board',
    boost: 'Boost leg, gate supply',
    ofLeg: ({ control, rectifier, driver, ...at }) => gateSupply(control, rectifier, driver, at),
  }),
  diodeLeakage: mechanism({
    words: 'Diode leakage',
    symbol: 'P_\\mathrm{lk}',
    quantity: 'lossLeakage',
    place: 'rectifier',
    heats: 'rectifier',
    boost: 'Boost diode, leakage',
    ofLeg: ({ rectifier, blocked }) => leakage(rectifier, blocked)?.loss,
  }),
  snubber: mechanism({
    words: 'Snubber',
    symbol: 'P_\\mathrm{sn}',
    quantity: 'lossSnubber',
    place: 'controlSwitch',
    heats: 'board',
    ofLeg: ({ snubber, ...at }) => snubberLoss(snubber, at),
  }),
  currentSense: mechanism({
    words: 'Current sense',
    symbol: 'P_\\mathrm{sense}',
    quantity: 'lossSense',
    heats: 'board',
  }),
  outputLeads: mechanism({ words: 'Output leads', symbol: 'P_\\mathrm{lead}', quantity: 'lossLeads' }),
  divider: mechanism({
    words: 'Feedback divider',
    symbol: 'P_\\mathrm{fb}',
    quantity: 'lossDivider',
    heats: 'board',
  }),
  core: mechanism({
    words: 'Inductor core',
    symbol: 'P_\\mathrm{Fe}',
    quantity: 'lossCore',
    place: 'inductor',
    heats: 'inductor',
    missing: 'inductor core',
  }),
  controller: mechanism({
    words: 'Controller',
    symbol: 'P_\\mathrm{IC}',
    quantity: 'lossController',
    place: 'controller',
    heats: 'board',
    missing: 'controller',
  }),
} as const;

type Table = typeof MECHANISMS;
/** A loss as the table has it, of the main leg or of the stage. */
export type MainLoss = keyof Table;
type Doubled = { [K in MainLoss]: Table[K] extends { boost: string } ? K : never }[MainLoss];
/** The name of every loss, a boost leg's by its own. */
export type LossName = MainLoss | `boost${Capitalize<Doubled>}`;
type IdOf<K extends MainLoss> =
  | Table[K]['quantity']
  | (Table[K] extends { boost: string; quantity: `loss${infer Rest}` } ? `lossBoost${Rest}` : never);
/** The id of every loss's quantity. */
export type LossId = { [K in MainLoss]: IdOf<K> }[MainLoss];

/** One loss as people and results know it. */
export interface Loss extends Mechanism {
  name: LossName;
  of: MainLoss;
  quantity: LossId;
  leg: 'main' | 'boost';
}

/** The name of a leg's own loss; undefined where a boost leg has none apart. */
export function lossName(of: MainLoss, leg: 'main' | 'boost'): LossName | undefined {
  if (leg === 'main') return of;
  const name = `boost${of.charAt(0).toUpperCase()}${of.slice(1)}` as LossName;
  return 'boost' in MECHANISMS[of] ? name : undefined;
}

/** Every loss, those of a boost leg after those of the main one, in the order of the table. */
export const LOSSES: readonly Loss[] = (Object.entries(MECHANISMS) as [MainLoss, Mechanism][]).flatMap(
  ([of, record]): Loss[] => {
    const main: Loss = { ...record, name: of, of, quantity: record.quantity as LossId, leg: 'main' };
    if (record.boost === undefined) return [main];
    return [
      main,
      {
        ...main,
        name: lossName(of, 'boost')!,
        words: record.boost,
        symbol: record.symbol.endsWith('}')
          ? `${record.symbol.slice(0, -1)}2}`
          : `${record.symbol.slice(0, 2)}{${record.symbol.slice(2)}2}`,
        quantity: record.quantity.replace('loss', 'lossBoost') as LossId,
        leg: 'boost',
      },
    ];
  },
);
const BY_NAME = new Map<string, Loss>(LOSSES.map((loss) => [loss.name, loss]));

/** What a leg that switches loses by each mechanism that is a leg's own, W of that leg alone. */
export function legLosses(leg: Leg): Partial<Record<MainLoss, number>> {
  const found: Partial<Record<MainLoss, number>> = {};
  for (const { of, ofLeg, leg: which } of LOSSES) {
    const loss = which === 'main' ? ofLeg?.(leg) : undefined;
    if (loss !== undefined) found[of] = loss;
  }
  return found;
}

/** The name of a loss in words; its own where none is known. */
export function lossWords(name: string): string {
  return BY_NAME.get(name)?.words ?? name;
}

/** The quantity that tells a loss. */
export function lossQuantity(name: string): LossId | undefined {
  return BY_NAME.get(name)?.quantity;
}

/** The losses that a place on Parts is told of. */
export function lossesOfPlace(place: OfPlace): LossName[] {
  return LOSSES.filter((loss) => loss.place === place).map(({ name }) => name);
}

/** The place of a stage that a loss heats; undefined where it heats none. */
export function heatedBy({ heats, leg }: Loss): string | undefined {
  if (heats === undefined || leg === 'main') return heats;
  return heats === 'controlSwitch' || heats === 'rectifier'
    ? `boost${heats.charAt(0).toUpperCase()}${heats.slice(1)}`
    : heats;
}
