import type { Capacitor, Inductor, PartOf } from '../part.ts';
import { printed, type Chance } from '../../numbers/chance.ts';

/*
 * Inductors: a core size fixes the energy it stores and the copper it holds, so within a size L·Isat² and R/L stay about
 * the same, as parts/inductors.ts has them. Powder saturates softly, ferrite sharply. Capacitors by technology and case.
 * Invented values of plausible size.
 */

interface Body {
  /** m */
  side: number;
  height: number;
  /** J at saturation, s of L/R, K/W */
  energy: number;
  timeConstant: number;
  thermal: number;
  inductances: readonly number[];
  cost: number;
}

const µ = (...values: number[]): number[] => values.map((value) => printed(value * 1e-6, 3));

const BODIES: readonly Body[] = [
  {
    side: 3e-3,
    height: 1.5e-3,
    energy: 7e-6,
    timeConstant: 0.06e-3,
    thermal: 130,
    inductances: µ(0.33, 0.47, 1, 2.2, 4.7, 10, 22, 47, 100),
    cost: 0.18,
  },
  {
    side: 4.2e-3,
    height: 2.1e-3,
    energy: 25e-6,
    timeConstant: 0.13e-3,
    thermal: 85,
    inductances: µ(0.22, 0.47, 1, 1.5, 2.2, 3.3, 4.7, 10, 22, 47, 68, 100, 220),
    cost: 0.28,
  },
  {
    side: 6.8e-3,
    height: 3.1e-3,
    energy: 110e-6,
    timeConstant: 0.28e-3,
    thermal: 50,
    inductances: µ(0.22, 0.47, 0.68, 1, 1.5, 2.2, 3.3, 4.7, 6.8, 10, 15, 22, 33, 47),
    cost: 0.45,
  },
  {
    side: 10.5e-3,
    height: 4.8e-3,
    energy: 420e-6,
    timeConstant: 0.45e-3,
    thermal: 33,
    inductances: µ(0.22, 0.33, 0.47, 0.68, 1, 1.5, 2.2, 3.3, 4.7, 6.8, 10, 15, 22, 33, 47, 68, 100),
    cost: 0.8,
  },
  {
    side: 13.5e-3,
    height: 6.5e-3,
    energy: 1.2e-3,
    timeConstant: 0.62e-3,
    thermal: 26,
    inductances: µ(0.22, 0.33, 0.47, 1, 2.2, 3.3, 4.7, 6.8, 10, 15, 22, 33, 47, 68, 100, 150),
    cost: 1.3,
  },
  {
    side: 18e-3,
    height: 8e-3,
    energy: 3.2e-3,
    timeConstant: 0.85e-3,
    thermal: 20,
    inductances: µ(1, 2.2, 4.7, 6.8, 10, 15, 22, 33, 47, 68, 100, 150, 220, 330),
    cost: 2.2,
  },
  {
    side: 26e-3,
    height: 13e-3,
    energy: 12e-3,
    timeConstant: 1.3e-3,
    thermal: 13,
    inductances: µ(4.7, 10, 22, 33, 47, 68, 100, 150, 220, 330, 470, 680),
    cost: 4.5,
  },
];

function inductor(body: Body, inductance: number, saturation: 'soft' | 'sharp', chance: Chance): Inductor {
  const sharp = saturation === 'sharp';
  const energy = body.energy * (sharp ? 0.8 : 1);
  const saturationCurrent = printed(Math.sqrt((2 * energy) / inductance) * chance.about(0.04));
  const resistance = printed((inductance / body.timeConstant) * (sharp ? 1.15 : 1) * chance.about(0.05) + 0.15e-3);
  const linear = saturationCurrent;
  const drop = sharp
    ? [
        [0, 1],
        [0.8, 0.98],
        [0.95, 0.85],
        [1, 0.7],
        [1.15, 0.42],
        [1.4, 0.25],
      ]
    : [
        [0, 1],
        [0.4, 0.93],
        [0.7, 0.83],
        [1, 0.7],
        [1.4, 0.53],
        [2, 0.36],
      ];
  const volume = body.side ** 2 * body.height * (sharp ? 0.4 : 0.55);
  const area = volume ** (2 / 3) * 0.35;
  const turns = Math.max(1.5, Math.round(2 * Math.sqrt(inductance / (sharp ? 25e-9 : 40e-9))) / 2);
  const size = `${String(Math.round(body.side * 1e4) / 10)}`;
  const value = String(Number((inductance * 1e6).toPrecision(3)));
  return {
    kind: 'inductor',
    id: `${sharp ? 'ferrite' : 'powder'}-${size}mm-${value}u`,
    name: `${value} µH, ${String(saturationCurrent)} A, ${sharp ? 'ferrite drum' : 'pressed powder'}`,
    family: sharp ? 'ferrite drum' : 'pressed powder',
    package: `${size} mm square`,
    length: body.side,
    width: body.side,
    height: body.height,
    cost: printed(body.cost * (sharp ? 0.75 : 1) * chance.about(0.08)),
    invented: true,
    inductance,
    resistance,
    resistanceTemperature: 0.00393,
    acResistance: [
      [1e4, resistance],
      [1e5, printed(resistance * (sharp ? 2.2 : 1.5), 3)],
      [1e6, printed(resistance * (sharp ? 9 : 5), 3)],
      [1e7, printed(resistance * (sharp ? 32 : 17), 3)],
    ],
    inductanceCurve: drop.map(([part, share]): [number, number] => [
      printed(part! * linear, 3),
      printed(share! * inductance, 3),
    ]),
    saturation,
    saturationCurrent,
    ratedCurrent: printed(Math.sqrt(40 / body.thermal / (1.15 * resistance))),
    selfResonance: printed(1 / (2 * Math.PI * Math.sqrt(inductance * 5e-12 * (body.side / 10e-3)))),
    shielded: true,
    turns,
    coreArea: printed(area, 3),
    coreVolume: printed(volume, 3),
    steinmetzK: sharp ? 0.9 : 11,
    steinmetzAlpha: sharp ? 1.55 : 1.35,
    steinmetzBeta: sharp ? 2.55 : 2.25,
    thermalResistance: body.thermal,
  };
}

/** Two windings alike on one core, for phases in turn: µH of one winding, A at which both saturate it, mΩ, coupling, mm. */
const COUPLED: readonly (readonly [number, number, number, number, number])[] = [
  [0.22, 60, 0.4, 0.6, 13.5],
  [0.33, 50, 0.5, 0.6, 13.5],
  [0.47, 42, 0.7, 0.6, 13.5],
  [0.68, 35, 0.9, 0.6, 13.5],
  [1, 29, 1.4, 0.6, 13.5],
  [2.2, 20, 3, 0.6, 13.5],
  [4.7, 18, 4.8, 0.6, 18],
  [10, 12, 10, 0.6, 18],
  [22, 8, 22, 0.6, 18],
  [0.47, 38, 0.8, 0.8, 13.5],
  [1.5, 26, 1.7, 0.8, 18],
  [4.7, 15, 5.2, 0.8, 18],
  [10, 10, 11, 0.8, 18],
];

function coupled([microhenry, saturationCurrent, milliohm, coupling, side]: (typeof COUPLED)[number]): Inductor {
  const resistance = milliohm * 1e-3;
  return {
    kind: 'inductor',
    id: `pair-${side}mm-${microhenry}u-${Math.round(coupling * 100)}`,
    name: `2 × ${microhenry} µH coupled by ${coupling}, ${saturationCurrent} A`,
    family: 'coupled pair',
    package: `${side} mm square`,
    length: side * 1e-3,
    width: side * 1e-3,
    height: side > 15 ? 8e-3 : 6.5e-3,
    cost: side > 15 ? 3.6 : 2.3,
    invented: true,
    windings: 2,
    coupling,
    inductance: printed(microhenry * 1e-6),
    resistance,
    resistanceTemperature: 0.00393,
    acResistance: [
      [1e4, resistance],
      [1e5, printed(1.5 * resistance, 3)],
      [1e6, printed(5 * resistance, 3)],
      [1e7, printed(17 * resistance, 3)],
    ],
    saturationCurrent,
    ratedCurrent: printed(Math.sqrt(40 / (side > 15 ? 20 : 26) / 2 / (1.15 * resistance))),
    selfResonance: printed(1 / (2 * Math.PI * Math.sqrt(microhenry * 1e-6 * 8e-12))),
    shielded: true,
    thermalResistance: side > 15 ? 40 : 52,
  };
}

export function demoInductors(chance: Chance): Inductor[] {
  return [...singles(chance), ...COUPLED.map(coupled)];
}

function singles(chance: Chance): Inductor[] {
  return BODIES.flatMap((body, i) => [
    ...body.inductances.map((inductance) => inductor(body, inductance, 'soft', chance)),
    ...(i === 2 || i === 4 || i === 5 ? body.inductances.filter((_, k) => k % 3 === 0) : []).map((inductance) =>
      inductor(body, inductance, 'sharp', chance),
    ),
  ]);
}

/** V, nominal µF, case, esl nH, A RMS, cost: what each voltage has in its largest usual values. */
const CERAMICS: readonly (readonly [number, number, string, number, number, number])[] = [
  [6.3, 10, '0603', 0.4, 2, 0.03],
  [6.3, 22, '0805', 0.5, 2.5, 0.06],
  [6.3, 47, '1206', 0.6, 3, 0.14],
  [6.3, 100, '1210', 0.7, 4, 0.3],
  [10, 10, '0805', 0.5, 2.5, 0.05],
  [10, 22, '1206', 0.6, 3, 0.11],
  [10, 47, '1210', 0.7, 3.5, 0.25],
  [16, 4.7, '0805', 0.5, 2.5, 0.04],
  [16, 10, '1206', 0.6, 3, 0.08],
  [16, 22, '1210', 0.7, 3.5, 0.19],
  [25, 1, '0603', 0.4, 1.5, 0.02],
  [25, 4.7, '1206', 0.6, 3, 0.07],
  [25, 10, '1210', 0.7, 3.5, 0.14],
  [25, 22, '1210', 0.7, 3.5, 0.3],
  [50, 0.1, '0603', 0.4, 0.8, 0.01],
  [50, 1, '0805', 0.5, 1.8, 0.03],
  [50, 4.7, '1210', 0.7, 3, 0.16],
  [50, 10, '1210', 0.8, 3.5, 0.3],
  [100, 0.1, '0805', 0.5, 0.8, 0.02],
  [100, 1, '1206', 0.6, 1.8, 0.07],
  [100, 2.2, '1210', 0.8, 2.5, 0.14],
  [100, 4.7, '2220', 1, 4, 0.5],
  [250, 0.1, '1206', 0.7, 1, 0.06],
  [250, 0.47, '1812', 0.9, 2, 0.22],
  [250, 1, '2220', 1, 2.5, 0.45],
  [630, 0.1, '1812', 1, 1.2, 0.2],
  [630, 0.22, '2220', 1.2, 1.6, 0.38],
];

const HOURS = 3600;

function ceramics(chance: Chance): Capacitor[] {
  return CERAMICS.map(([rating, nominal, size, esl, rms, cost]) => {
    const capacitance = printed(nominal * 1e-6, 3);
    const dense = (nominal * rating ** 0.9) / (Number(size.slice(0, 2)) * Number(size.slice(2))); // how hard the case is filled
    const loss = Math.min(0.85, 0.45 + 0.35 * Math.min(1.2, dense * 2));
    return {
      kind: 'capacitor',
      id: `ceramic-${rating}v-${nominal}u-${size}`,
      name: `${nominal} µF, ${rating} V, X7R, ${size}`,
      technology: 'ceramic',
      dielectric: 'X7R',
      package: size,
      length: printed(Number(size.slice(0, 2)) * 0.254e-3),
      width: printed(Number(size.slice(2)) * 0.254e-3),
      height: printed(Math.min(2.5e-3, Number(size.slice(2)) * 0.24e-3)),
      cost,
      invented: true,
      capacitance,
      tolerance: 0.1,
      esr: printed((2.2e-3 + 4e-3 / Math.sqrt(nominal)) * chance.about(0.1)),
      esl: printed(esl * 1e-9),
      voltageRating: rating,
      rippleCurrentRating: rms,
      biasCurve: [0, 0.1, 0.25, 0.5, 0.75, 1].map((part): [number, number] => [
        printed(part * rating, 3),
        printed(1 - (loss * part ** 1.3) / (0.35 + 0.65 * part ** 1.3), 3),
      ]),
      temperatureLoss: 0.15,
      ageing: 0.025,
    };
  });
}

interface Bulk {
  technology: 'polymer' | 'electrolytic' | 'tantalum' | 'film';
  rows: readonly (readonly [
    rating: number,
    microfarads: number,
    milliohms: number,
    rms: number,
    side: number,
    height: number,
    cost: number,
  ])[];
  esl: number;
}

const BULKS: readonly Bulk[] = [
  {
    technology: 'polymer',
    esl: 3,
    rows: [
      [2.5, 470, 6, 6.3, 7.3, 2.8, 0.5],
      [2.5, 820, 5, 7, 8, 10, 0.6],
      [6.3, 220, 9, 4.4, 7.3, 2.8, 0.45],
      [6.3, 560, 7, 5.6, 8, 10, 0.5],
      [10, 330, 10, 4.5, 8, 10, 0.5],
      [16, 270, 11, 4.3, 8, 10, 0.5],
      [25, 100, 20, 3.2, 8, 10, 0.5],
      [25, 220, 16, 3.8, 10, 12, 0.75],
      [35, 150, 20, 3.2, 10, 12, 0.8],
      [50, 68, 26, 2.6, 10, 12, 0.8],
      [63, 47, 30, 2.2, 10, 12, 0.85],
      [80, 33, 36, 2, 10, 12, 0.95],
    ],
  },
  {
    technology: 'electrolytic',
    esl: 8,
    rows: [
      [16, 330, 80, 0.85, 8, 11, 0.12],
      [16, 1000, 38, 1.6, 10, 20, 0.22],
      [25, 220, 80, 0.85, 8, 11, 0.12],
      [25, 680, 40, 1.5, 10, 20, 0.24],
      [35, 220, 72, 0.95, 8, 15, 0.14],
      [35, 470, 41, 1.5, 10, 20, 0.24],
      [50, 100, 120, 0.7, 8, 11, 0.12],
      [50, 330, 60, 1.25, 10, 25, 0.28],
      [63, 220, 75, 1.1, 10, 20, 0.26],
      [100, 68, 200, 0.7, 10, 20, 0.24],
      [100, 220, 100, 1.2, 16, 25, 0.6],
      [200, 47, 400, 0.6, 13, 25, 0.5],
      [450, 33, 1000, 0.5, 16, 30, 0.9],
    ],
  },
  {
    technology: 'tantalum',
    esl: 2,
    rows: [
      [6.3, 220, 45, 1.6, 7.3, 2.8, 0.7],
      [10, 150, 50, 1.5, 7.3, 2.8, 0.7],
      [16, 100, 55, 1.4, 7.3, 2.8, 0.8],
      [25, 47, 70, 1.2, 7.3, 2.8, 0.85],
      [35, 22, 100, 1, 7.3, 2.8, 0.9],
    ],
  },
  {
    technology: 'film',
    esl: 15,
    rows: [
      [100, 4.7, 8, 5, 18, 14, 0.9],
      [250, 2.2, 9, 5, 18, 14, 1],
      [450, 10, 6, 9, 32, 25, 3],
      [630, 2.2, 6, 5, 26, 20, 1.6],
      [1100, 1, 8, 4, 26, 20, 1.9],
      [1100, 20, 5, 12, 42, 40, 9],
    ],
  },
];

function bulk(chance: Chance): Capacitor[] {
  return BULKS.flatMap(({ technology, rows, esl }) =>
    rows.map(([rating, microfarads, milliohms, rms, side, height, cost]): Capacitor => {
      const round = technology === 'polymer' ? height > 5 : technology === 'electrolytic';
      const esr = printed(milliohms * 1e-3 * chance.about(0.08));
      const flat = technology === 'tantalum' || (technology === 'polymer' && !round);
      return {
        kind: 'capacitor',
        id: `${technology}-${rating}v-${microfarads}u`,
        name: `${microfarads} µF, ${rating} V, ${technology}`,
        technology,
        package: round ? `round, ${side} × ${height} mm` : flat ? '7.3 × 4.3 mm' : `box, ${side} mm`,
        length: printed(side * 1e-3),
        width: printed((flat ? 4.3 : technology === 'film' ? side / 2 : side) * 1e-3),
        height: printed(height * 1e-3),
        cost,
        invented: true,
        capacitance: printed(microfarads * 1e-6, 3),
        tolerance: technology === 'film' ? 0.1 : 0.2,
        esr,
        // an electrolyte resists more where the oxide's own loss adds to it
        ...(technology === 'electrolytic'
          ? {
              esrCurve: [
                [120, printed(2.2 * esr)],
                [1e3, printed(1.4 * esr)],
                [1e4, printed(1.08 * esr)],
                [1e5, esr],
                [1e6, printed(0.97 * esr)],
              ] satisfies [number, number][],
            }
          : {}),
        esl: printed(esl * 1e-9),
        voltageRating: rating,
        rippleCurrentRating: rms,
        ...(technology === 'electrolytic'
          ? { lifetime: 5000 * HOURS, lifetimeTemperature: 105, thermalResistance: printed(60 * (8 / side)) }
          : technology === 'polymer'
            ? { lifetime: 2000 * HOURS, lifetimeTemperature: 105, thermalResistance: printed(50 * (8 / side)) }
            : {}),
      };
    }),
  );
}

export function demoCapacitors(chance: Chance): Capacitor[] {
  return [...ceramics(chance), ...bulk(chance)];
}

/** H of the bodies by their side, m: many turns of thin wire, for high voltages at small currents. */
const MANY_TURNS: readonly (readonly [side: number, inductances: readonly number[]])[] = [
  [6.8e-3, µ(68, 100, 150, 220, 470)],
  [10.5e-3, µ(150, 220, 330, 470, 680, 1000)],
  [13.5e-3, µ(220, 330, 470, 680, 1000, 1500)],
  [18e-3, µ(470, 680, 1000, 1500, 2200)],
  [26e-3, µ(1000, 1500, 2200)],
];

export function demoLargeInductances(chance: Chance): Inductor[] {
  return MANY_TURNS.flatMap(([side, inductances]) => {
    const body = BODIES.find((one) => one.side === side)!;
    return inductances.map((inductance) => inductor(body, inductance, 'soft', chance));
  });
}

/** Chokes for hundreds of watts at a high voltage. */
const CHOKES: readonly Body[] = [
  {
    side: 36e-3,
    height: 20e-3,
    energy: 40e-3,
    timeConstant: 2.2e-3,
    thermal: 8,
    inductances: µ(10, 22, 33, 47, 68, 82, 100, 120, 150, 180, 220, 270, 330, 470, 680, 1000),
    cost: 9,
  },
  {
    side: 50e-3,
    height: 28e-3,
    energy: 130e-3,
    timeConstant: 3.5e-3,
    thermal: 5,
    inductances: µ(33, 47, 68, 100, 150, 180, 220, 270, 330, 390, 470, 560, 680, 820, 1000, 1500, 2200),
    cost: 19,
  },
];

export const demoChokes = (chance: Chance): Inductor[] =>
  CHOKES.flatMap((body) => body.inductances.map((inductance) => inductor(body, inductance, 'soft', chance)));

/** mm², mm³, mm, mm², mm of a turn. */
const CORES: readonly (readonly [string, string, number, number, number, number, number])[] = [
  ['E pair, 16 mm', 'ferrite', 20, 750, 37, 24, 33],
  ['E pair, 25 mm', 'ferrite', 52, 3000, 58, 62, 52],
  ['E pair, 32 mm', 'ferrite', 83, 6140, 74, 108, 64],
  ['E pair, 42 mm', 'ferrite', 178, 17300, 97, 178, 93],
  ['low E pair, 22 mm', 'ferrite', 78, 2550, 32, 24, 50],
  ['low E pair, 38 mm', 'ferrite', 194, 10200, 52, 77, 85],
  ['pot, 18 mm', 'ferrite', 43, 1120, 26, 18, 36],
  ['ring, 13 mm', 'iron powder', 9.5, 293, 31, 38, 20],
  ['ring, 20 mm', 'iron powder', 23, 1160, 51, 112, 30],
  ['ring, 27 mm', 'alloy powder', 65, 4150, 64, 156, 46],
  ['ring, 33 mm', 'alloy powder', 67, 5480, 81, 298, 48],
  ['ring, 40 mm', 'alloy powder', 107, 10550, 98, 427, 58],
];

export function demoCores(): PartOf<'core'>[] {
  return CORES.map(([shape, material, area, volume, path, window, turn]) => {
    const ferrite = material === 'ferrite';
    const permeability = ferrite ? 2000 : material === 'iron powder' ? 75 : 60;
    return {
      kind: 'core',
      id: `${ferrite ? 'ferrite' : material.replace(' ', '-')}-${shape.replace(/[ ,]+/gu, '-').toLowerCase()}`,
      name: `${shape}, ${material}`,
      material,
      gapped: ferrite,
      package: shape,
      cost: printed(0.2 + volume * 1.5e-4),
      invented: true,
      area: printed(area * 1e-6, 3),
      volume: printed(volume * 1e-9, 3),
      pathLength: printed(path * 1e-3, 3),
      windowArea: printed(window * 1e-6, 3),
      turnLength: printed(turn * 1e-3, 3),
      permeability,
      inductanceFactor: printed((4e-7 * Math.PI * permeability * area * 1e-6) / (path * 1e-3), 3),
      saturationFlux: ferrite ? 0.36 : 1.0,
      steinmetzK: ferrite ? 0.9 : material === 'iron powder' ? 110 : 9,
      steinmetzAlpha: ferrite ? 1.55 : material === 'iron powder' ? 1.15 : 1.4,
      steinmetzBeta: ferrite ? 2.55 : material === 'iron powder' ? 2.1 : 2.2,
      thermalResistance: printed(36 / (volume / 1000) ** 0.5),
    };
  });
}

/** Resistivity of annealed copper at 20 °C, Ω·m. Source: IACS (recalled from memory). */
const COPPER = 1.724e-8;

/** Round copper wire. Source of the diameters: ASTM B258, d = 0.127 mm·92^((36 − n)/39). */
export function demoWires(): PartOf<'wire'>[] {
  const single = [10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32].map((gauge): PartOf<'wire'> => {
    const diameter = 0.127e-3 * 92 ** ((36 - gauge) / 39);
    return {
      kind: 'wire',
      id: `round-${gauge}`,
      name: `round copper, gauge ${gauge}, ${String(printed(diameter * 1e3, 3))} mm`,
      cost: printed(0.02 + 4e5 * diameter ** 2),
      invented: true,
      diameter: printed(diameter, 4),
      outerDiameter: printed(diameter * 1.03 + 0.03e-3, 3),
      strands: 1,
      resistancePerLength: printed((4 * COPPER) / (Math.PI * diameter ** 2), 4),
    };
  });
  const bundles = [
    [20, 0.1],
    [60, 0.1],
    [100, 0.1],
    [200, 0.071],
  ].map(([strands, millimetres]): PartOf<'wire'> => {
    const diameter = millimetres! * 1e-3;
    return {
      kind: 'wire',
      id: `bundle-${strands}x${millimetres}`,
      name: `${strands} insulated strands of ${millimetres} mm`,
      cost: printed(0.1 + 0.004 * strands!),
      invented: true,
      diameter,
      outerDiameter: printed(diameter * 1.5 * Math.sqrt(strands!), 3),
      strands: strands!,
      resistancePerLength: printed((4 * COPPER) / (Math.PI * diameter ** 2) / strands!, 4),
    };
  });
  return [...single, ...bundles];
}
