import {
  BODY_DIODE_VOLTAGE,
  SCHOOLS,
  type CompleteDecisions,
  type Design,
  free,
  hold,
  type RippleSchool,
  type Unit,
} from '@yundro/core';

/** A decision that is a number, by its path in the file. */
export interface QuantityRow {
  path: string;
  name: string;
  unit: Unit;
  /** smallest value that makes sense, itself allowed or not */
  least?: { value: number; allowed: boolean };
  most?: number;
  /** what stands where nothing is decided */
  without?: string;
}

/** A decision between words. */
export interface ChoiceRow {
  path: string;
  name: string;
  options: readonly (readonly [value: string, words: string])[];
  read: (decisions: CompleteDecisions) => string;
  write: (design: Design, value: string, decisions: CompleteDecisions) => Design;
  /** what the square holds */
  current: (decisions: CompleteDecisions) => unknown;
  /** said beside it where no rule decides it */
  words?: (decisions: CompleteDecisions) => string;
}

export type Row = QuantityRow | ChoiceRow;

export interface Group {
  name: string;
  rows: readonly Row[];
}

const ZERO = { value: 0, allowed: true };
const quantity = (path: string, name: string, unit: Unit, more: Partial<QuantityRow> = {}): QuantityRow => ({
  path,
  name,
  unit,
  ...more,
});

/** A choice whose words are the file's own. */
function choice(
  path: string,
  name: string,
  options: ChoiceRow['options'],
  read: ChoiceRow['read'],
  more: Partial<ChoiceRow> = {},
): ChoiceRow {
  return {
    path,
    name,
    options,
    read,
    write: (design, value) => hold(design, path, value),
    current: read,
    ...more,
  };
}

const switchRows = (path: string, name: string, without?: string): QuantityRow[] => [
  quantity(`${path}.onResistance`, `${name} RDS(on)`, 'Ω', { least: ZERO, ...(without ? { without } : {}) }),
  quantity(`${path}.bodyDiodeVoltage`, `${name} body diode`, 'V', {
    least: ZERO,
    without: `${BODY_DIODE_VOLTAGE} V assumed`,
  }),
  quantity(`${path}.voltageRating`, `${name} rating`, 'V', { without: 'none' }),
];

function rectifierRows(path: string, name: string, kind: string, without?: string): QuantityRow[] {
  const more = { least: ZERO, ...(without ? { without } : {}) };
  return kind === 'diode'
    ? [
        quantity(`${path}.forwardVoltage`, `${name} forward voltage`, 'V', more),
        quantity(`${path}.resistance`, `${name} dynamic resistance`, 'Ω', more),
        quantity(`${path}.voltageRating`, `${name} rating`, 'V', { without: 'none' }),
      ]
    : switchRows(path, name, without);
}

/** What a boost leg takes where it is given nothing of its own. */
const AS_BUCK = 'as the buck leg';

const KINDS = [
  ['synchronous', 'synchronous'],
  ['diode', 'diode'],
] as const;

/** Another kind of rectifier begins with none of the old one's values. */
const rectifierKind = (path: string, name: string, read: ChoiceRow['read']): ChoiceRow =>
  choice(path, name, KINDS, read, { write: (design, kind) => hold(design, path, { kind }) });

const COUPLINGS = [
  ['none', 'none'],
  ['inverse pairs', 'inverse, pairs'],
  ['direct pairs', 'direct, pairs'],
  ['inverse one-core', 'inverse, one core'],
  ['direct one-core', 'direct, one core'],
] as const;

const coupling = choice(
  'coupling',
  'Coupling',
  COUPLINGS,
  ({ coupling: c }) => (c ? `${c.polarity} ${c.arrangement ?? 'pairs'}` : 'none'),
  {
    write(design, word, { coupling: c }) {
      if (word === 'none') return free(design, 'coupling');
      const [polarity, arrangement] = word.split(' ');
      return hold(design, 'coupling', { coefficient: 0.5, ...c, polarity, arrangement });
    },
    current: ({ coupling: c }) => c ?? { coefficient: 0.5, polarity: 'inverse' },
    words: ({ phases }) => (phases < 2 ? 'needs two phases' : 'windings on cores of their own'),
  },
);

const conduction = choice(
  'conduction',
  'Conduction',
  [
    ['fixed-frequency', 'fixed frequency'],
    ['critical', 'critical'],
  ],
  ({ conduction: c }) => c ?? 'fixed-frequency',
  {
    write: (design, value) =>
      value === 'critical' ? hold(design, 'conduction', 'critical') : free(free(design, 'conduction'), 'critical'),
    words: ({ conduction: c }) => (c === 'critical' ? 'the frequency follows' : 'as decided above'),
  },
);

const METHODS = [
  ['voltage-mode', 'voltage mode'],
  ['voltage-mode-feedforward', 'voltage mode, feedforward'],
  ['peak-current-mode', 'peak current mode'],
  ['average-current-mode', 'average current mode'],
  ['constant-on-time', 'constant on-time'],
  ['hysteretic', 'hysteretic'],
  ['gated-oscillator', 'gated oscillator'],
] as const;

const LIGHT_LOAD = [
  ['forced-pwm', 'forced PWM'],
  ['diode-emulation', 'diode emulation'],
  ['pulse-skipping', 'pulse skipping'],
  ['ultrasonic', 'ultrasonic'],
] as const;

const SCHOOL_WORDS = (Object.keys(SCHOOLS) as RippleSchool[]).map(
  (id) => [id, `${SCHOOLS[id].name}, ${SCHOOLS[id].low * 100}–${SCHOOLS[id].high * 100} %`] as const,
);

/** Every decision of the stage that has no tape of its own on the rung, by what it is about. */
export function groupsFor(decisions: CompleteDecisions): Group[] {
  const { rectifier, boostLeg } = decisions;
  const fourSwitch = decisions.topology === 'four-switch-buck-boost';
  const boostRectifier = boostLeg?.rectifier?.kind ?? rectifier.kind;
  const diodes = rectifier.kind === 'diode';
  const { method } = decisions.control;
  return [
    {
      name: 'Switches',
      rows: [
        ...switchRows('controlSwitch', 'Control'),
        rectifierKind('rectifier', 'Rectifier', (d) => d.rectifier.kind),
        ...rectifierRows('rectifier', 'Rectifier', rectifier.kind),
        quantity('control.deadTime', 'Dead time, each edge', 's', { least: ZERO }),
      ],
    },
    ...(fourSwitch
      ? [
          {
            name: 'Boost leg',
            rows: [
              ...switchRows('boostLeg.controlSwitch', 'Boost control', AS_BUCK),
              rectifierKind(
                'boostLeg.rectifier',
                'Boost rectifier',
                (d) => d.boostLeg?.rectifier?.kind ?? d.rectifier.kind,
              ),
              ...rectifierRows('boostLeg.rectifier', 'Boost rectifier', boostRectifier, AS_BUCK),
            ],
          },
        ]
      : []),
    {
      name: 'Inductor',
      rows: [
        quantity('inductor.resistance', 'Winding resistance', 'Ω', { least: ZERO }),
        quantity('inductor.saturationCurrent', 'Saturation current', 'A'),
        choice('rippleSchool', 'Ripple-ratio guideline', SCHOOL_WORDS, (d) => d.rippleSchool),
        quantity('rippleRatio', 'Ripple ratio', '%', { most: 4 }),
        coupling,
        ...(decisions.coupling
          ? [quantity('coupling.coefficient', 'Coupling coefficient', '', { least: ZERO, most: 0.999 })]
          : []),
      ],
    },
    {
      name: 'Conduction and light load',
      rows: [
        choice('lightLoad', 'Light load', LIGHT_LOAD, (d) => d.lightLoad),
        conduction,
        ...(decisions.conduction === 'critical'
          ? [
              ...(diodes
                ? []
                : [
                    quantity('critical.valleyCurrent', 'Negative valley current', 'A', {
                      least: ZERO,
                      without: 'none',
                    }),
                  ]),
              quantity('critical.nodeCapacitance', 'Switch-node capacitance', 'F', { least: ZERO, without: 'none' }),
            ]
          : []),
        quantity('preload', 'Preload', 'A', { least: ZERO, without: 'none' }),
      ],
    },
    {
      name: 'Controller',
      rows: [
        choice('control.method', 'Control method', METHODS, (d) => d.control.method),
        quantity('control.referenceVoltage', 'Reference', 'V'),
        quantity('control.minimumOnTime', 'Minimum on-time', 's', { least: ZERO }),
        quantity('control.minimumOffTime', 'Minimum off-time', 's', { least: ZERO }),
        quantity('control.maximumDuty', 'Duty limit', '%', { most: 1 }),
        ...(method === 'voltage-mode' || method === 'average-current-mode'
          ? [quantity('control.rampAmplitude', 'Ramp amplitude', 'V')]
          : []),
        ...(method === 'voltage-mode-feedforward' ? [quantity('control.rampGain', 'Ramp over input', '')] : []),
        ...(method === 'peak-current-mode'
          ? [
              quantity('control.currentSenseGain', 'Current-sense gain', 'V/A'),
              quantity('control.slopeCompensation', 'Slope compensation', 'V/s', { least: ZERO }),
              quantity('control.currentSenseFilter', 'Current-sense filter', 's', { without: 'none' }),
            ]
          : []),
        ...(method === 'average-current-mode'
          ? [
              quantity('control.currentSenseGain', 'Current-sense gain', 'V/A'),
              quantity('control.currentAmplifier.inputResistor', 'Current amplifier, from the sense', 'Ω'),
              quantity('control.currentAmplifier.feedbackResistor', 'Current amplifier, feedback', 'Ω'),
              quantity('control.currentAmplifier.feedbackCapacitor', 'Current amplifier, in series', 'F'),
              quantity('control.currentAmplifier.shuntCapacitor', 'Current amplifier, across', 'F'),
            ]
          : []),
        ...(method === 'constant-on-time'
          ? [
              quantity('control.onTime', 'On-time', 's', { without: 'from the ratio' }),
              quantity('control.rippleInjection.resistor', 'Ripple injection, from the node', 'Ω', { without: 'none' }),
              quantity('control.rippleInjection.capacitor', 'Ripple injection, to the output', 'F', {
                without: 'none',
              }),
              quantity('control.rippleInjection.coupling', 'Ripple injection, to the tap', 'F', { without: 'none' }),
            ]
          : []),
        ...(method === 'hysteretic'
          ? [quantity('control.hysteresis', 'Hysteresis at the tap', 'V', { without: '2 % of the reference taken' })]
          : []),
        ...(method === 'gated-oscillator'
          ? [quantity('control.oscillatorDuty', 'Oscillator’s duty', '%', { most: 1, without: '50 % taken' })]
          : []),
        quantity('control.undervoltageLockout.rising', 'Starts above, at the input', 'V', { without: 'at any input' }),
        quantity('control.undervoltageLockout.falling', 'Stops below, at the input', 'V', { without: 'never' }),
        quantity('control.softStart', 'Soft start', 's', { least: ZERO, without: 'none given' }),
        quantity('control.currentLimit', 'Current limit', 'A', { without: 'none given' }),
      ],
    },
  ];
}

/** What a number must be, in words where it is not. */
export function checkOf({ least = { value: 0, allowed: false }, most = 1e18 }: QuantityRow) {
  return (value: number): string | undefined => {
    if (value < least.value || (value === least.value && !least.allowed)) {
      return least.allowed ? 'Zero or more is needed here.' : 'More than zero is needed here.';
    }
    return value > most ? `At most ${most} is possible here.` : undefined;
  };
}

/** The design with a number held; a rectifier's can only be held together with its kind. */
export function holdQuantity(design: Design, path: string, value: number, decisions: CompleteDecisions): Design {
  const of = /^(boostLeg\.)?rectifier(?=\.)/u.exec(path)?.[0];
  if (of === undefined) return hold(design, path, value);
  const held = of === 'rectifier' ? design.decisions.rectifier : design.decisions.boostLeg?.rectifier;
  const kind =
    of === 'rectifier' ? decisions.rectifier.kind : (decisions.boostLeg?.rectifier ?? decisions.rectifier).kind;
  return hold(held ? design : hold(design, of, { kind }), path, value);
}
