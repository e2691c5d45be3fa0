import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  designJsonSchema,
  explain,
  findTape,
  free,
  hold,
  isHeld,
  listQuantities,
  newDesign,
  readDesign,
  readDesignText,
  setTape,
  solve,
  stepTape,
  TAPES,
  tapesFor,
  waveformsAt,
  type Design,
} from './index.ts';
import { designSchema, listDifferences } from './design/index.ts';
import { absurdDesigns } from './testing/absurd.ts';
import { designWith, EXAMPLE, exampleWith } from './testing/designs.ts';
import { addUpTree } from './project/powerTree.ts';
import { slewExcursion } from './estimates/outputBank.ts';
import { verdictOf } from './verdict/target.ts';
import { runs } from './testing/runs.ts';

const bare = (brief: object): Design =>
  designSchema.parse({
    format: 'yundro-design',
    version: 1,
    brief: {
      inputVoltage: { min: 9, nominal: 12, max: 14 },
      outputVoltage: 5,
      outputCurrent: { min: 0.1, max: 3 },
      ...brief,
    },
  });

describe('reading a design file', () => {
  const faultsOf = (value: unknown) => {
    const read = readDesign(value);
    return read.ok ? [] : read.faults;
  };
  const at = (path: string, value: unknown): unknown => {
    const copy = JSON.parse(JSON.stringify(EXAMPLE)) as unknown as Record<string, unknown>;
    const keys = path.split('.');
    const last = keys.pop()!;
    let place: Record<string, unknown> = copy;
    for (const key of keys) place = place[key] as Record<string, unknown>;
    place[last] = value;
    return copy;
  };

  test('the format’s example reads, and a misspelt key is kept and named', () => {
    expect(faultsOf(EXAMPLE)).toEqual([]);
    const read = readDesign(at('decisions.switchingFreqency', 4e5));
    expect(read.ok && read.remarks.map((r) => r.path)).toEqual(['decisions.switchingFreqency']);
    expect(read.ok && (read.design.decisions as Record<string, unknown>)['switchingFreqency']).toBe(4e5);
  });

  test.each<[string, unknown, RegExp]>([
    ['brief.inputVoltage.min', -5, /above 0/u],
    ['brief.inputVoltage.min', 30, /at most max|between min/u],
    ['brief.outputCurrent.min', 7, /at most max/u],
    ['decisions.switchingFrequency', 0, /above 0/u],
    ['decisions.inductor.inductance', '4.7u', /a number/u],
    ['decisions.outputCapacitors.0.esr', -1, /zero or a positive/u],
    ['decisions.outputCapacitors.0.capacitance', 1e-19, /at least 1e-18/u],
    ['brief.outputVoltage', 1e19, /at most/u],
    ['brief.outputVoltage', null, /a number/u],
    ['decisions.rectifier.kind', 'tube', /synchronous/u],
    ['decisions.phases', 9, /from 1 to 8/u],
    ['version', 2, /newest that this release reads/u],
    ['format', 'other', /yundro-design/u],
  ])('%s = %p is refused by its path', (path, value, expected) => {
    const faults = faultsOf(at(path, value));
    const fault = faults.find((f) => f.path === path || f.path.startsWith(path.replace(/\.[^.]+$/u, '')));
    expect(fault?.expected).toMatch(expected);
  });

  test('a rectifier nested wrong, too many banks, deep nesting and hostile keys are refused', () => {
    expect(
      faultsOf(
        at(
          'decisions.outputCapacitors',
          Array.from({ length: 65 }, () => ({ capacitance: 1e-6 })),
        ),
      )[0]?.expected,
    ).toMatch(/64 banks/u);
    let deep: unknown = 1;
    for (let i = 0; i < 5000; i += 1) deep = { a: deep };
    expect(faultsOf(at('notesTree', deep))[0]?.message).toMatch(/deeper than 64/u);
    expect(readDesignText('{"format":"yundro-design","version":1,"__proto__":{"x":1}}')).toMatchObject({ ok: false });
    expect(readDesignText(`${'['.repeat(100_000)}`)).toMatchObject({ ok: false });
    for (const value of [null, 3, 'x', [], undefined, Number.NaN]) expect(readDesign(value).ok).toBe(false);
  });

  test('text that is not JSON is said to be so, with line and column', () => {
    const read = readDesignText('{\n  "format": "yundro-design",\n  "version": 1,,\n}');
    expect(read.ok).toBe(false);
    if (!read.ok) expect(read.faults[0]?.message).toMatch(/^not JSON: .* at line 3, column 16/u);
  });

  test('the published JSON Schema names the format and what is needed', () => {
    const schema = designJsonSchema() as { required: string[]; properties: Record<string, { const?: unknown }> };
    expect(schema.required).toEqual(expect.arrayContaining(['format', 'version', 'brief']));
    expect(schema.properties['format']?.const).toBe('yundro-design');
  });
});

describe('held and free', () => {
  test('free leaves no trace, hold keeps the rest, and the document given is untouched', () => {
    const start = bare({});
    const held = hold(start, 'inductor.inductance', 1e-5);
    expect(isHeld(held, 'inductor.inductance')).toBe(true);
    expect(isHeld(start, 'inductor.inductance')).toBe(false);
    expect(free(held, 'inductor.inductance')).toEqual(start);
    expect(solve(held).decisions.inductor.inductance).toBe(1e-5);
    expect(solve(held).decided.map((d) => d.path)).not.toContain('inductor.inductance');
    expect(listDifferences(start, held)).toEqual([
      { path: 'decisions.inductor', left: undefined, right: { inductance: 1e-5 } },
    ]);
  });

  test('a bare brief already gives a complete design that meets its targets', () => {
    const designs = [
      bare({}),
      bare({
        inputVoltage: { min: 18, nominal: 24, max: 32 },
        outputVoltage: 3.3,
        outputCurrent: { min: 0.1, max: 6 },
        loadStep: { from: 1, to: 5, deviation: 0.1 },
      }),
      bare({ inputVoltage: { min: 40, nominal: 48, max: 57 }, outputVoltage: 12, outputCurrent: { min: 0.1, max: 5 } }),
      newDesign('x'),
    ];
    for (const design of designs) {
      const { targets, verdict } = solve(design);
      expect(targets.filter((t) => t.verdict === 'missed')).toEqual([]);
      expect(verdict).not.toBe('missed');
    }
  });
});

describe('verdicts', () => {
  test.each([
    [0.1, 0.011, 'met'],
    [0.1, 0.009, 'marginal'],
    [0.1, 0, 'marginal'],
    [0.1, -0.001, 'missed'],
    [0.1, Number.NaN, 'missed'],
  ] as const)('of %d with %d to spare: %s', (required, margin, verdict) => {
    expect(verdictOf(required, margin)).toBe(verdict);
  });

  test('a missed target names its worst corner and the held decision to let go of', () => {
    const { targets } = solve(exampleWith({ outputCapacitors: [{ capacitance: 1e-6, esr: 0.1 }] }));
    const ripple = targets.find((t) => t.id === 'outputRipple')!;
    expect(ripple.verdict).toBe('missed');
    expect(ripple.at.inputVoltage).toBe(32);
    expect(ripple.held).toContain('outputCapacitors');
    expect(ripple.margin).toBeCloseTo(ripple.required - ripple.predicted, 12);
  });

  test('what cannot work is solved as far as it can be, and says so', () => {
    const low = { ...bare({ outputVoltage: 11 }), decisions: { topology: 'buck' as const } };
    expect(solve(low).warnings.map((w) => w.id)).toContain('out-of-reach');
    const fast = solve(exampleWith({ switchingFrequency: 3e6 }));
    expect(fast.warnings.map((w) => w.id)).toContain('minimumOnTime');
    expect(fast.targets.find((t) => t.id === 'minimumOnTime')?.verdict).toBe('missed');
  });

  test('what a stage needs to be told is said', () => {
    const ids = (decisions: object, brief: object = {}): string[] =>
      solve(exampleWith(decisions, brief)).warnings.map((w) => w.id);
    expect(ids({ phases: 3, coupling: { coefficient: 0.5, polarity: 'inverse' } })).toContain('odd-phases');
    expect(ids({ phases: 2, coupling: { coefficient: 0.5, polarity: 'inverse' } })).not.toContain('odd-phases');
    expect(ids({ control: { deadTime: 1e-6 } })).toContain('dead-time');
    expect(ids({})).not.toContain('dead-time');
    expect(ids({ topology: 'inverting-buck-boost' })).toContain('negative-rail');
    expect(ids({ lightLoad: 'pulse-skipping' }, { outputCurrent: { min: 0.002, max: 6 } })).toContain('audible');
    expect(ids({}, { keepClear: [{ min: 1.15e6, max: 1.25e6 }] })).toContain('band');
    const critical = { conduction: 'critical', critical: { valleyCurrent: 0.01, nodeCapacitance: 1e-9 } };
    expect(ids(critical)).toEqual(expect.arrayContaining(['frequency-range', 'zero-voltage']));
  });

  test('a free topology follows the brief, and every completed stage reaches its output at every corner', () => {
    const chosen = (brief: object) => solve(bare(brief));
    const wide = { min: 18, nominal: 24, max: 32 };
    const briefs: [object, string][] = [
      [{ outputVoltage: 3.3 }, 'buck'],
      [{ outputVoltage: 48, outputCurrent: { min: 0.1, max: 1.2 } }, 'boost'],
      [{ outputVoltage: 24, inputVoltage: wide, outputCurrent: { min: 0.1, max: 2 } }, 'four-switch-buck-boost'],
      [
        { outputVoltage: 15, inputVoltage: wide, outputPolarity: 'negative', outputCurrent: { min: 0.1, max: 0.6 } },
        'inverting-buck-boost',
      ],
    ];
    for (const [brief, topology] of briefs) {
      const result = chosen(brief);
      expect(result.decisions.topology).toBe(topology);
      expect(result.operatingPoints).toHaveLength(6);
      expect(result.targets.filter((t) => t.verdict === 'missed').map((t) => `${topology} ${t.id}`)).toEqual([]);
    }
    const clear = chosen({ keepClear: [{ min: 0.5e6, max: 1.6e6 }] });
    expect(clear.decisions.switchingFrequency).toBeGreaterThan(1.6e6);
  });

  test('hazards show where they apply and not elsewhere', () => {
    const ids = (design: Design): string[] => solve(design).cautions.map((c) => c.id);
    expect(ids(bare({ inputVoltage: { min: 70, nominal: 80, max: 90 } }))).toContain('touch-voltage');
    expect(ids(bare({ source: 'battery' }))).toContain('battery-fuse');
    expect(ids(bare({ source: 'battery', inputFuse: 5 }))).not.toContain('battery-fuse');
    const poor = bare({ outputCurrent: { min: 1, max: 20 }, outputVoltage: 3.3 });
    expect(ids({ ...poor, decisions: { inductor: { resistance: 0.01 } } })).toContain('hot-parts');
    expect(ids(bare({ outputCurrent: { min: 0.1, max: 0.5 } }))).toEqual([]);
  });
});

describe('rules against published relations', () => {
  // Source: Redl, Erisman and Zansky, 1998, and application literature (recalled from memory): ΔI²L/(2C(Vin − Vout)).
  test('the slew-limited undershoot of an ideal buck', () => {
    const [step, vin, vout, l, c] = [3, 12, 3.3, 1e-6, 100e-6];
    expect(slewExcursion(step, (vin - vout) / l, c, 0)).toBeCloseTo((step ** 2 * l) / (2 * c * (vin - vout)), 12);
    expect(slewExcursion(step, vout / l, c, 0)).toBeCloseTo((step ** 2 * l) / (2 * c * vout), 12);
  });

  // Common practice, no source: a linear regulator from 20 V to 5 V is 25 % efficient.
  test('the linear alternative is honest', () => {
    const { linearRegulator } = solve(
      bare({ inputVoltage: { min: 20, nominal: 20, max: 20 }, outputCurrent: { min: 0.1, max: 1 } }),
    );
    expect(linearRegulator.efficiency).toBeCloseTo(0.25, 12);
    expect(linearRegulator.heat).toBeCloseTo(15, 12);
    expect(linearRegulator.feasible).toBe(true);
  });
});

test('no NaN or infinity reaches a result, however absurd the design', () => {
  fc.assert(
    fc.property(absurdDesigns, (design) => {
      const text = JSON.stringify(solve(design), (key, v: unknown) => {
        if (typeof v === 'number' && !Number.isFinite(v)) throw new Error(`${key} is ${v}`);
        return v;
      });
      expect(text).toContain('yundro-result');
    }),
    { numRuns: runs(30), seed: 7 },
  );
}, 120_000);

describe('why', () => {
  const design = exampleWith();

  const stages: [string, Design][] = [
    ['buck', design],
    [
      'boost',
      designWith(
        { topology: 'boost', inductor: { inductance: 33e-6, resistance: 0.02, saturationCurrent: 20 } },
        { outputVoltage: 48 },
      ),
    ],
    [
      'inverting',
      designWith(
        { topology: 'inverting-buck-boost', inductor: { inductance: 22e-6, resistance: 0.02, saturationCurrent: 20 } },
        { outputVoltage: 15 },
      ),
    ],
    [
      'four-switch',
      designWith(
        {
          topology: 'four-switch-buck-boost',
          inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 20 },
        },
        { outputVoltage: 24 },
      ),
    ],
    [
      'inverting, discontinuous',
      designWith(
        {
          topology: 'inverting-buck-boost',
          inductor: { inductance: 1e-6, resistance: 0.004, saturationCurrent: 20 },
          rectifier: { kind: 'diode', forwardVoltage: 0.4, resistance: 0 },
        },
        { outputVoltage: 15, outputCurrent: { min: 1, max: 1.2 } },
      ),
    ],
  ];
  const part = {
    onResistance: 0.008,
    onResistanceTemperature: 0.005,
    gateCharge: 12e-9,
    gateDrainCharge: 3e-9,
    postThresholdGateCharge: 2e-9,
    plateauVoltage: 2.5,
    gateResistance: 1.5,
    outputCharge: 20e-9,
    reverseRecoveryCharge: 15e-9,
    thermalResistance: 40,
  };
  const data = {
    controlSwitch: { ...part, count: 2 },
    rectifier: { kind: 'synchronous', ...part },
    control: {
      deadTime: 0,
      gateVoltage: 5,
      driverPullUpResistance: 2,
      driverPullDownResistance: 1,
      quiescentCurrent: 2e-3,
    },
  };
  const core = { turns: 9, area: 30e-6, volume: 1.5e-6, steinmetz: { k: 0.9, alpha: 1.5, beta: 2.5 } };
  const inductorWith = (inductance: number) => ({
    inductance,
    resistance: 0.01,
    resistanceTemperature: 0.004,
    saturationCurrent: 20,
    thermalResistance: 25,
    core,
  });
  const withParts: [string, Design][] = [
    [
      'buck of parts',
      exampleWith({
        ...data,
        control: { ...EXAMPLE.decisions.control, ...data.control },
        inductor: inductorWith(4.7e-6),
      }),
    ],
    [
      'boost of parts, two phases',
      designWith({ ...data, topology: 'boost', phases: 2, inductor: inductorWith(33e-6) }, { outputVoltage: 48 }),
    ],
    [
      'four-switch of parts',
      designWith({ ...data, topology: 'four-switch-buck-boost', inductor: inductorWith(10e-6) }, { outputVoltage: 24 }),
    ],
    [
      'inverting of parts, discontinuous',
      designWith(
        {
          ...data,
          topology: 'inverting-buck-boost',
          inductor: inductorWith(1e-6),
          rectifier: { kind: 'diode', forwardVoltage: 0.4, resistance: 0, outputCharge: 8e-9, thermalResistance: 30 },
        },
        { outputVoltage: 15, outputCurrent: { min: 1, max: 1.2 } },
      ),
    ],
    [
      'buck of parts with a diode, leads, sense and snubber on a warm board',
      exampleWith(
        {
          ...data,
          control: { ...EXAMPLE.decisions.control, ...data.control, senseResistance: 0.003 },
          inductor: inductorWith(4.7e-6),
          rectifier: {
            kind: 'diode',
            forwardVoltage: 0.4,
            resistance: 0.005,
            leakageCurrent: 2e-5,
            junctionToCase: 2,
            reverseRecoveryCurve: [
              [0, 1e-9],
              [10, 9e-9],
            ],
          },
          snubber: { capacitance: 330e-12 },
          outputLeadResistance: 0.004,
          cooling: {
            copperArea: 4e-4,
            boardArea: 4e-3,
            airflow: 0.5,
            heatSinks: { rectifier: { thermalResistance: 9 } },
          },
          inputCapacitors: [
            {
              capacitance: 100e-6,
              esr: 0.05,
              count: 2,
              lifetime: 1.8e7,
              lifetimeTemperature: 105,
              thermalResistance: 30,
            },
          ],
        },
        { outputCurrent: { min: 3, max: 6 } },
      ),
    ],
  ];
  test('losses of parts, and the temperatures they settle at, have forms of their own', () => {
    const explained = new Set(
      withParts.flatMap(([, made]) => {
        const result = solve(made);
        return result.operatingPoints.flatMap((point) =>
          listQuantities().flatMap(({ id }) => (explain({ design: made, result, point }, id)?.formula ? [id] : [])),
        );
      }),
    );
    for (const id of [
      'lossOverlap',
      'lossOutputCharge',
      'lossRecovery',
      'lossGate',
      'lossCore',
      'lossBoostOverlap',
      'lossBoostOutputCharge',
      'lossBoostRecovery',
      'lossBoostGate',
      'lossController',
      'lossLeakage',
      'lossSnubber',
      'lossSense',
      'lossLeads',
      'inputCapacitorLife',
      'temperatureControl',
      'temperatureRectifier',
      'temperatureInductor',
    ])
      expect(explained).toContain(id);
  });
  test.each([...stages, ...withParts])(
    'every form agrees with the value it explains, at every corner: %s',
    (name, design) => {
      const result = solve(design);
      // what each form leaves out is said beside it: dead time in the duty, ripple’s second order, peaks added
      const bounds: Partial<Record<string, number>> = {
        duty: 0.03,
        inputRipple: 0.35,
        outputRipple: 0.12,
        outputVoltageAverage: Infinity,
        switchingFrequency: Infinity,
        // an efficient stage's resistances are small against its volts, not so its losses
        ...(name.startsWith('buck') ? {} : { outputRipple: 0.35, rectifierDuty: 0.05, outputCapacitorRms: 0.05 }),
      };
      let forms = 0;
      for (const point of result.operatingPoints.filter((p) => p.outputCurrent > 1)) {
        for (const { id } of listQuantities()) {
          const found = explain({ design, result, point }, id);
          if (!found?.formula) continue;
          forms += 1;
          const off = found.value === found.formula.value ? 0 : Math.abs(found.formula.value / found.value - 1);
          if (!(off < (bounds[id] ?? 0.03))) throw new Error(`${id}: ${found.formula.value} against ${found.value}`);
          expect(found.formula.symbols).not.toContain('\\q{');
          expect(found.formula.numbers).not.toContain('\\q{');
          expect(found.inputs.length).toBeGreaterThan(0);
          expect(found.formula.source.length).toBeGreaterThan(3);
        }
      }
      expect(forms).toBeGreaterThan(60);
    },
  );

  test('every target’s sheet explains the very figure that is judged', () => {
    const ratings = {
      controlSwitch: { onResistance: 0.01, voltageRating: 60 },
      rectifier: { kind: 'synchronous', onResistance: 0.01, voltageRating: 60 },
      outputFilter: { inductance: 0.47e-6, resistance: 0.005, capacitors: [{ capacitance: 20e-6, esr: 0.003 }] },
    };
    const four = {
      topology: 'four-switch-buck-boost',
      inductor: { inductance: 22e-6, resistance: 0.02, saturationCurrent: 20 },
    };
    const wide = { inputVoltage: { min: 9, nominal: 12, max: 18 }, outputCurrent: { min: 0.5, max: 3 } };
    const judged = [
      ...stages.map(([, stage]) => stage),
      designWith(ratings),
      ...[6, 12, 24].flatMap((outputVoltage) => [
        designWith({ ...four, ...ratings }, { ...wide, outputVoltage }),
        designWith(
          { ...four, boostLeg: { controlSwitch: ratings.controlSwitch, rectifier: ratings.rectifier } },
          { ...wide, outputVoltage },
        ),
      ]),
    ];
    for (const judgedDesign of judged) {
      const solved = solve(judgedDesign);
      expect(solved.targets.length).toBeGreaterThan(6);
      for (const target of solved.targets) {
        const { inputVoltage, outputCurrent } = target.at;
        const point = solved.operatingPoints.find(
          (p) => p.inputVoltage === inputVoltage && p.outputCurrent === outputCurrent,
        )!;
        const found = explain({ design: judgedDesign, result: solved, point }, target.quantity);
        expect([target.id, found?.value]).toEqual([target.id, target.predicted]);
      }
    }
  });

  test('what a free decision rests on is said', () => {
    const open = solve(bare({}));
    const point = open.operatingPoints.at(-1)!;
    const found = explain({ design: bare({}), result: open, point }, 'inductance');
    expect(found?.origin).toMatchObject({ by: 'decided', path: 'inductor.inductance' });
    expect(found?.formula?.numbers).toMatch(/500.*Hz/u);
  });
});

describe('tapes', () => {
  test('their stretches say what solving at a place says', () => {
    const design = exampleWith();
    for (const tape of TAPES) {
      const found = findTape(design, tape.path);
      expect(found.low).toBeLessThan(found.high);
      for (const stretch of found.stretches.filter((s) => s.verdict === 'missed' && s.to / s.from > 1.05)) {
        const inside = tape.series ? Math.sqrt(stretch.from * stretch.to) : Math.round((stretch.from + stretch.to) / 2);
        const target = solve(setTape(design, tape.path, inside)).targets.find((t) => t.id === stretch.targets[0])!;
        expect(target.expected ?? target.verdict).toBe('missed');
      }
    }
    const frequency = findTape(design, 'switchingFrequency').stretches;
    expect(frequency.map((s) => s.label).join()).toMatch(/on-time under 80.ns/u);
  });

  test('every decision that is a number has one, in every topology and mode', () => {
    const critical = { conduction: 'critical', critical: { valleyCurrent: 0.5, nodeCapacitance: 1e-10 } };
    const designs = [
      designWith(
        {
          topology: 'boost',
          phases: 2,
          coupling: { coefficient: 0.5, polarity: 'inverse' },
          inductor: { inductance: 33e-6, resistance: 0.02, saturationCurrent: 20 },
        },
        { outputVoltage: 48 },
      ),
      designWith(
        {
          topology: 'inverting-buck-boost',
          rectifier: { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01 },
          ...critical,
        },
        { outputVoltage: 15 },
      ),
      designWith(
        { topology: 'four-switch-buck-boost', boostLeg: { controlSwitch: { onResistance: 0.01 } }, preload: 0.1 },
        { outputVoltage: 24 },
      ),
    ];
    for (const design of designs) {
      const { decisions } = solve(design);
      for (const tape of tapesFor(decisions)) {
        const found = findTape(design, tape.path);
        expect(found.low).toBeLessThan(found.high);
        const next = stepTape(tape.path, tape.read(decisions), 1, 'normal');
        const moved = solve(setTape(design, tape.path, next)).decisions;
        expect(`${tape.path} ${tape.read(moved)}`).toBe(
          `${tape.path} ${Math.min(next, tape.path === 'control.maximumDuty' ? 1 : next)}`,
        );
      }
    }
  }, 60_000);

  test('arrow keys walk the series', () => {
    expect(stepTape('inductor.inductance', 4.7e-6, 1, 'normal')).toBe(5.6e-6);
    expect(stepTape('inductor.inductance', 4.7e-6, -1, 'coarse')).toBe(2.2e-6);
    expect(stepTape('outputCapacitors', 4, 1, 'normal')).toBe(5);
    expect(stepTape('outputCapacitors', 1, -1, 'normal')).toBe(1);
    expect(() => stepTape('notes', 1, 1, 'normal')).toThrow(/not a tape/u);
  });
});

test('waveforms repeat, average to what they should, and carry both sides of an edge', () => {
  const design = exampleWith();
  const { decisions } = solve(design);
  const w = waveformsAt(design, decisions, { inputVoltage: 24, outputCurrent: 6 })!;
  const half = w.time.findIndex((t) => t >= 2.5e-6 * (1 - 1e-9));
  expect(w.inductorCurrent[0]![half]).toBeCloseTo(w.inductorCurrent[0]![0]!, 9);
  let area = 0;
  for (let i = 1; i < w.time.length; i += 1)
    area += ((w.outputRipple[i]! + w.outputRipple[i - 1]!) / 2) * (w.time[i]! - w.time[i - 1]!);
  expect(Math.abs(area / w.time.at(-1)!)).toBeLessThan(2e-5);
  const jumps = w.time.filter((t, i) => i > 0 && t === w.time[i - 1]).length;
  expect(jumps).toBeGreaterThanOrEqual(6);
  expect(Math.max(...w.switchNode)).toBeCloseTo(24, 0);
});

test('a power tree adds its rails up, source by source', () => {
  const rail = (brief: object) => {
    const design = exampleWith({}, brief);
    return { design, result: solve(design) };
  };
  const rails = [rail({ sourceName: 'bus' }), rail({ sourceName: 'rack' }), rail({ sourceName: 'bus' })];
  const tree = addUpTree(rails);
  expect(tree.sources.map(({ name, members }) => [name, members])).toEqual([
    ['bus', [0, 2]],
    ['rack', [1]],
  ]);
  expect(tree.sources[0]!.inputCurrent).toBeCloseTo(2 * tree.rails[0]!.inputCurrent, 12);
  expect(tree.loss).toBeCloseTo(3 * tree.rails[1]!.loss, 12);
  expect(tree.rails[0]!.worst?.margin).toBeDefined();
  // one that is not solved yet has its place already
  const early = addUpTree([rails[0]!, { ...rails[1]!, result: undefined }, rails[2]!]);
  expect(early.sources.map(({ members }) => members)).toEqual([[0, 2], [1]]);
  expect(early.sources[1]!.inputCurrent).toBe(0);
  expect(early.loss).toBeCloseTo(tree.loss - tree.rails[1]!.loss, 12);
});
