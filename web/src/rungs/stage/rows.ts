import {
  BODY_DIODE_VOLTAGE,
  SCHOOLS,
  type CompleteDecisions,
  type Design,
  fieldOf,
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

/** A number as the file's own record names it. */
const quantity = (path: string, without?: string): QuantityRow => {
  const { name, unit = '' } = fieldOf(`decisions.${path}`)!;
  return { path, name, unit, ...(without === undefined ? {} : { without }) };
};

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

const switchRows = (path: string, without?: string): QuantityRow[] => [
  quantity(`${path}.onResistance`, without),
  quantity(`${path}.bodyDiodeVoltage`, `${BODY_DIODE_VOLTAGE} V assumed`),
  quantity(`${path}.voltageRating`, 'none'),
];

const rectifierRows = (path: string, kind: string, without?: string): QuantityRow[] =>
  kind === 'diode'
    ? [
        quantity(`${path}.forwardVoltage`, without),
        quantity(`${path}.resistance`, without),
        quantity(`${path}.voltageRating`, 'none'),
      ]
    : switchRows(path, without);

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

/** After so many limited periods all switches rest, then the soft start begins anew. Common practice, no source. */
const HICCUP = { pulses: 16, offTime: 20e-3 };

const hiccup = choice(
  'control.hiccup',
  'Overload',
  [
    ['limit', 'the limit alone'],
    ['hiccup', 'rests, then starts anew'],
  ],
  ({ control }) => (control.hiccup ? 'hiccup' : 'limit'),
  {
    write: (design, value) =>
      value === 'hiccup' ? hold(design, 'control.hiccup', HICCUP) : free(design, 'control.hiccup'),
    current: ({ control }) => control.hiccup ?? HICCUP,
    words: () => 'the current stays at its limit',
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
        ...switchRows('controlSwitch'),
        rectifierKind('rectifier', 'Rectifier', (d) => d.rectifier.kind),
        ...rectifierRows('rectifier', rectifier.kind),
        quantity('control.deadTime'),
      ],
    },
    ...(fourSwitch
      ? [
          {
            name: 'Boost leg',
            rows: [
              ...switchRows('boostLeg.controlSwitch', AS_BUCK),
              rectifierKind(
                'boostLeg.rectifier',
                'Boost rectifier',
                (d) => d.boostLeg?.rectifier?.kind ?? d.rectifier.kind,
              ),
              ...rectifierRows('boostLeg.rectifier', boostRectifier, AS_BUCK),
            ],
          },
        ]
      : []),
    {
      name: 'Inductor',
      rows: [
        quantity('inductor.resistance'),
        quantity('inductor.saturationCurrent'),
        choice('rippleSchool', 'Ripple-ratio guideline', SCHOOL_WORDS, (d) => d.rippleSchool),
        quantity('rippleRatio'),
        coupling,
        ...(decisions.coupling ? [quantity('coupling.coefficient')] : []),
      ],
    },
    {
      name: 'Conduction and light load',
      rows: [
        choice('lightLoad', 'Light load', LIGHT_LOAD, (d) => d.lightLoad),
        conduction,
        ...(decisions.conduction === 'critical'
          ? [
              ...(diodes ? [] : [quantity('critical.valleyCurrent', 'none')]),
              quantity('critical.nodeCapacitance', 'none'),
            ]
          : []),
        quantity('preload', 'none'),
      ],
    },
    {
      name: 'Controller',
      rows: [
        choice('control.method', 'Control method', METHODS, (d) => d.control.method),
        quantity('control.referenceVoltage'),
        quantity('control.minimumOnTime'),
        quantity('control.minimumOffTime'),
        quantity('control.maximumDuty'),
        ...(method === 'voltage-mode' || method === 'average-current-mode' ? [quantity('control.rampAmplitude')] : []),
        ...(method === 'voltage-mode-feedforward' ? [quantity('control.rampGain')] : []),
        ...(method === 'peak-current-mode'
          ? [
              quantity('control.currentSenseGain'),
              quantity('control.slopeCompensation'),
              quantity('control.currentSenseFilter', 'none'),
            ]
          : []),
        ...(method === 'average-current-mode'
          ? [
              quantity('control.currentSenseGain'),
              quantity('control.currentAmplifier.inputResistor'),
              quantity('control.currentAmplifier.feedbackResistor'),
              quantity('control.currentAmplifier.feedbackCapacitor'),
              quantity('control.currentAmplifier.shuntCapacitor'),
            ]
          : []),
        ...(method === 'constant-on-time'
          ? [
              quantity('control.onTime', 'from the ratio'),
              quantity('control.rippleInjection.resistor', 'none'),
              quantity('control.rippleInjection.capacitor', 'none'),
              quantity('control.rippleInjection.coupling', 'none'),
            ]
          : []),
        ...(method === 'hysteretic' ? [quantity('control.hysteresis', '2 % of the reference taken')] : []),
        ...(method === 'gated-oscillator' ? [quantity('control.oscillatorDuty', '50 % taken')] : []),
      ],
    },
    {
      name: 'Protection and start',
      rows: [
        quantity('control.softStart', 'none given'),
        quantity('control.currentLimit', 'none given'),
        quantity('control.currentLimitTolerance', '10 % taken'),
        quantity('control.valleyCurrentLimit', 'none given'),
        hiccup,
        ...(decisions.control.hiccup ? [quantity('control.hiccup.pulses'), quantity('control.hiccup.offTime')] : []),
        quantity('control.overVoltage', '115 % taken'),
        quantity('control.undervoltageLockout.rising', 'at any input'),
        quantity('control.undervoltageLockout.falling', 'never'),
      ],
    },
  ];
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
