import {
  compareTopologies,
  judging,
  pairOf,
  topologyDesigns,
  describeQuantity,
  formatQuantity,
  picturesOf,
  tellQuantity as tell,
  type Alternative,
  type Design,
  type LinearAlternative,
  type Pair,
  type QuantityId,
  type Topology,
  type Verdict,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';
import type { InForce, Standing } from '../../workers/standing.ts';

/** One figure of every alternative in words, in their order; of the linear regulator where it has one. */
export interface ComparedRow {
  name: string;
  cells: string[];
  linear: string;
  /** the row's own quantity, where the design as it stands has one to ask about */
  asks?: QuantityId;
}

/** What the table of topologies shows, without the whole results. */
export interface Compared {
  alternatives: Pick<Alternative, 'topology' | 'name' | 'ruledOut' | 'reservations'>[];
  rows: ComparedRow[];
  linear: LinearAlternative;
  /** Hz, of the design as it stands, at its lowest */
  rightHalfPlaneZero: number | undefined;
  /** m² of die that every alternative shares out among its switches */
  silicon: number;
}

type Leg = 'control' | 'rectifier';

const span = (id: QuantityId, { min, max }: { min: number; max: number }): string => {
  const [least, most] = [tell(id, min), tell(id, max)];
  return least === most ? least : `${least}–${most}`;
};

const demand = ({ voltage, rmsCurrent }: Alternative[Leg], which: Leg): string =>
  `${tell(which === 'control' ? 'controlBlocking' : 'rectifierBlocking', voltage)}, ${tell(which === 'control' ? 'controlRms' : 'rectifierRms', rmsCurrent)} rms`;

const switchRow = (name: string, which: Leg) => ({
  name,
  show: (a: Alternative) =>
    `${demand(a[which], which)}${a.boostLeg ? `; boost leg ${demand(a.boostLeg[which], which)}` : ''}`,
});

const ROWS: readonly {
  name: string;
  show: (a: Alternative) => string;
  linear?: (linear: LinearAlternative) => string;
  asks?: QuantityId;
}[] = [
  {
    name: describeQuantity('duty').name,
    show: (a) =>
      a.boostDuty ? `${span('duty', a.duty)}, boost leg ${span('boostDuty', a.boostDuty)}` : span('duty', a.duty),
  },
  switchRow('Control switch', 'control'),
  switchRow('Rectifier', 'rectifier'),
  // of all switches together, which no single operating point has
  { name: 'Total switch stress, V × A', show: (a) => formatQuantity(a.switchProduct, 'V·A') },
  {
    name: 'Inductor',
    show: ({ inductor }) => `${tell('inductance', inductor.inductance)}, peak ${tell('inductorPeak', inductor.peak)}`,
  },
  { name: 'Energy at that peak', show: (a) => formatQuantity(a.inductor.energy, 'J') },
  { name: 'Input bank', show: (a) => `${tell('inputCapacitorRms', a.inputCapacitorRms)} rms` },
  { name: 'Output bank', show: (a) => `${tell('outputCapacitorRms', a.outputCapacitorRms)} rms` },
  { name: 'Pulsating current at', show: (a) => a.pulsating, linear: () => 'none' },
  {
    name: describeQuantity('rightHalfPlaneZero').name,
    show: ({ rightHalfPlaneZero: zero }) => (zero === undefined ? 'none' : tell('rightHalfPlaneZero', zero)),
    linear: () => 'none',
    asks: 'rightHalfPlaneZero',
  },
  {
    name: 'Parts',
    show: ({ parts }) =>
      `${parts.switches} switches, ${parts.inductors} ${parts.inductors === 1 ? 'core' : 'cores'}, ${parts.capacitors} capacitors`,
    linear: () => '1 regulator',
  },
  {
    // no part data yet: what the losses hold stands where they do
    name: 'Known loss, nominal',
    show: (a) => `${tell('lossTotal', a.loss)}, ${tell('efficiency', a.efficiency)}`,
    linear: ({ feasible, heat, efficiency }) =>
      feasible ? `${tell('lossTotal', heat)} at most, all of it, ${tell('efficiency', efficiency)}` : '—',
  },
];

/** What the judge says of each topology's own design, as far as it has come. */
export type JudgedTopologies = Partial<Record<Topology, { verdict: Verdict; words: string }>>;

export const topologyLongAnswers = {
  /** Each topology judged whole, one after another. */
  *topologies(_design: Design, { given, parts }: Standing): Long<JudgedTopologies> {
    const told: JudgedTopologies = {};
    const list = topologyDesigns(given);
    for (const [k, { topology, design: alone }] of list.entries()) {
      const going = judging(alone, { unadvised: true, parts });
      let step = going.next();
      for (; !step.done; step = going.next()) yield { part: (k + step.value.part) / list.length, soFar: { ...told } };
      const { verdict, targets } = step.value;
      const telling = targets.filter((target) => target.verdict === verdict && verdict !== 'met');
      told[topology] = { verdict, words: telling.map(({ name }) => name).join(', ') };
    }
    return told;
  },
};

export const topologyAnswers = {
  /** The two rails that a far step is built as. */
  twoStages: (design: Design): Pair | undefined => pairOf(design),
  compare({ given, choice }: InForce): Compared {
    const { alternatives, standing, silicon, linear } = compareTopologies(given, () => choice.design);
    return {
      alternatives: alternatives.map(({ topology, name, ruledOut, reservations }) => ({
        topology,
        name,
        ruledOut,
        reservations,
      })),
      rows: ROWS.map(({ name, show, linear: alone, asks }) => ({
        name,
        cells: alternatives.map((a) => (a.works ? show(a) : '—')),
        linear: alone?.(linear) ?? '—',
        ...(asks ? { asks } : {}),
      })),
      linear,
      rightHalfPlaneZero: standing.rightHalfPlaneZero,
      silicon,
    };
  },
  pictures: picturesOf,
};
