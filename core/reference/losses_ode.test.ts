import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { designSchema, type Design } from '../src/design/index.ts';
import { solve } from '../src/solve.ts';
import { anyStage } from '../src/testing/designs.ts';
import { runs } from '../src/testing/runs.ts';
import { asked, present } from './python.ts';
import { between, log } from './randomStage.ts';

// Every loss and temperature of the contract's list on random stages with random data sheets, against the waveform that
// SciPy's DOP853 integrates: core/reference/losses_ode.py. docs/sources.md, N-6.

const sometimes = <T>(of: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(of, { nil: undefined, freq: 4 });

/** What a switch's data sheet adds, its charges for a rated watt of gate and junction at a volt and a hertz. */
const switchSheet = fc.record({
  count: fc.constantFrom(1, 1, 2, 3),
  warmer: sometimes(between(0.002, 0.006)),
  gateCharge: sometimes(log(2e-9, 60e-9)),
  edge: sometimes(fc.record({ drain: log(1e-9, 10e-9), post: log(0.5e-9, 4e-9), plateau: between(2, 3.5) })),
  inner: sometimes(between(0.3, 3)),
  outputCharge: sometimes(log(2e-9, 100e-9)),
  recovery: sometimes(log(2e-9, 100e-9)),
  /** K it would rise by for a fiftieth of the output power */
  rise: sometimes(log(3, 60)),
});
type Sheet = typeof switchSheet extends fc.Arbitrary<infer T> ? T : never;

const stages = fc
  .record({
    stage: anyStage.filter(
      ({ brief, decisions }) =>
        brief.sourceInductance === undefined && decisions.outputCapacitors!.every(({ esl }) => esl === 0),
    ),
    control: switchSheet,
    rectifier: switchSheet,
    boost: fc.option(fc.tuple(switchSheet, switchSheet), { nil: undefined }),
    driver: sometimes(fc.tuple(between(4.5, 10), between(0.5, 4), between(0.3, 2))),
    quiescent: sometimes(log(1e-5, 5e-3)),
    winding: fc.record({
      warmer: sometimes(fc.constant(0.0039)),
      rise: sometimes(log(3, 60)),
      bend: fc.option(between(0.3, 0.9), { nil: undefined, freq: 2 }),
      ac: sometimes(fc.tuple(between(1.5, 6), between(2, 12))),
      core: sometimes(fc.record({ k: log(0.5, 50), alpha: between(1.1, 1.8), beta: between(2, 2.8) })),
    }),
    critical: fc.option(between(0.02, 0.3), { nil: undefined, freq: 2 }),
    ambient: fc.integer({ min: -20, max: 80 }),
  })
  .map((x): Design => {
    const { stage, winding } = x;
    const { decisions, brief } = stage;
    const { phases = 1 } = decisions;
    const current = brief.outputCurrent.max / phases;
    const share = (0.02 * brief.outputVoltage * brief.outputCurrent.max) / phases;
    const frequency = decisions.switchingFrequency!;
    const cooled = (rise: number | undefined, count: number): object =>
      rise === undefined ? {} : { thermalResistance: (rise / share) * count };
    const charges = ({ gateCharge, edge, inner, outputCharge, recovery, count }: Sheet, diode: boolean): object => ({
      count,
      outputCharge,
      reverseRecoveryCharge: recovery,
      ...(diode
        ? {}
        : {
            gateCharge,
            gateResistance: inner,
            ...(edge && {
              gateDrainCharge: edge.drain,
              postThresholdGateCharge: edge.post,
              plateauVoltage: edge.plateau,
            }),
          }),
    });
    const { controlSwitch, rectifier, inductor, control } = decisions;
    const controlSheet = (of: Sheet): object => ({
      ...controlSwitch,
      ...charges(of, false),
      reverseRecoveryCharge: undefined,
      ...cooled(of.rise, of.count),
      onResistance: controlSwitch!.onResistance! * of.count,
      onResistanceTemperature: of.warmer,
    });
    const rectifierSheet = (of: Sheet): object => ({
      ...rectifier,
      ...charges(of, rectifier!.kind === 'diode'),
      ...cooled(of.rise, of.count),
      ...(rectifier!.kind === 'diode'
        ? { resistance: rectifier!.resistance! * of.count }
        : { onResistance: rectifier!.onResistance! * of.count, onResistanceTemperature: of.warmer }),
    });
    const resistance = inductor!.resistance!;
    const ac = winding.ac;
    return designSchema.parse({
      ...stage,
      brief: { ...brief, ambientTemperature: x.ambient },
      decisions: {
        ...decisions,
        ...(x.critical !== undefined &&
          phases === 1 &&
          rectifier!.kind === 'synchronous' &&
          decisions.topology !== 'four-switch-buck-boost' && {
            conduction: 'critical',
            critical: { valleyCurrent: x.critical * current },
          }),
        controlSwitch: controlSheet(x.control),
        rectifier: rectifierSheet(x.rectifier),
        ...(decisions.topology === 'four-switch-buck-boost' && x.boost
          ? {
              boostLeg: {
                controlSwitch: controlSheet(x.boost[0]),
                rectifier: rectifierSheet(x.boost[1]),
              },
            }
          : {}),
        control: {
          ...control,
          quiescentCurrent: x.quiescent,
          ...(x.driver && {
            gateVoltage: x.driver[0],
            driverPullUpResistance: x.driver[1],
            driverPullDownResistance: x.driver[2],
          }),
        },
        inductor: {
          ...inductor,
          resistanceTemperature: winding.warmer,
          ...cooled(winding.rise, 1),
          ...(winding.bend !== undefined &&
            !decisions.coupling && {
              inductanceCurve: [
                [0, inductor!.inductance!],
                [current / 2, inductor!.inductance! * (0.5 + winding.bend / 2)],
                [2 * current, inductor!.inductance! * winding.bend],
              ],
            }),
          ...(ac && {
            acResistance: [
              [0, resistance],
              [frequency / 2, resistance * 1.1],
              [frequency * 2, resistance * ac[0]],
              [frequency * 20, resistance * ac[0] * ac[1]],
            ],
          }),
          ...(winding.core &&
            !(winding.bend !== undefined && !decisions.coupling) && {
              // a flux of some tens of millitesla, some hundredths of a watt for each watt that the copper may lose
              core: {
                turns: 5,
                area: (inductor!.inductance! * brief.outputCurrent.max) / 5 / 0.1,
                volume: (share * 10) / (winding.core.k * frequency ** winding.core.alpha * 0.05 ** winding.core.beta),
                steinmetz: winding.core,
              },
            }),
        },
      },
    });
  });

interface Reference {
  losses: Record<string, number>;
  blocking: Record<string, number>;
  temperatures: Record<string, number>;
  outputPower: number;
  circuitPower: number | null;
}

/** What the circuit itself dissipates or its banks do; everything else is drawn from the input beside it. */
const IN_CIRCUIT = /Conduction$|^(outputCapacitorEsr|preload|outputFilterWinding|outputFilterEsr|sourceResistance)$/;

/** What the reference leaves to `stage_ode.py`, or to itself where a flux has minor loops. */
const NOT_TOLD = /Esr$|^(outputFilterWinding|preload|core|total)$/;

const cornerOf = ({ brief }: Design, light: boolean): { inputVoltage: number; outputCurrent: number } => ({
  inputVoltage: brief.inputVoltage.nominal,
  outputCurrent: light ? brief.outputCurrent.min : brief.outputCurrent.max,
});

(present ? describe : describe.skip)('losses and heat against an ODE solver', () => {
  const found = fc
    .sample(fc.tuple(stages, fc.boolean()), { numRuns: runs(12), seed: 11 })
    .map(([design, light]) => ({ design, result: solve(design, { at: cornerOf(design, light) }) }))
    .map(({ design, result }) => ({ design, point: result.operatingPoints[0], warnings: result.warnings }))
    // a place that has run away says so and has no temperature; a stage that misses its output is no periodic state of it
    .filter(
      ({ design, point, warnings }) =>
        point !== undefined &&
        Math.abs(point.outputVoltage.average / design.brief.outputVoltage - 1) < 1e-6 &&
        !warnings.some(({ id }) => id === 'thermal-runaway'),
    );
  let references: (Reference | null)[] = [];

  test('the reference runs', async () => {
    const request = found.map(({ design, point }) => ({ design, point }));
    const { said, complaint } = await asked('losses_ode.py', request);
    expect(complaint).toBe('');
    references = said as (Reference | null)[];
    expect(references).toHaveLength(found.length);
    expect(references.filter((one) => one !== null).length).toBeGreaterThanOrEqual(0.9 * found.length);
    expect(found.length).toBeGreaterThan(runs(12) / 2);
  }, 3_600_000);

  test.each(
    found.map(({ design: { decisions }, point }, at) => [
      `${at + 1}: ${decisions.topology}, ${decisions.phases} phases, ${point!.conductionMode}`,
      at,
    ]),
  )('%s', (_, at) => {
    const { point, design } = found[at as number]!;
    const r = references[at as number];
    if (!r) return;
    const losses = point!.losses as unknown as Record<string, number>;
    // a bent inductance is followed in steps
    const near = design.decisions.inductor!.inductanceCurve ? 2e-4 : 5e-5;
    const unit = Math.max(...Object.values(r.losses));
    const wrong: string[] = [];
    const compare = (name: string, ours: number | undefined, theirs: number, allowed: number): void => {
      if (!(Math.abs((ours ?? 0) - theirs) <= allowed)) wrong.push(`${name}: ${ours} against ${theirs}`);
    };
    for (const [name, theirs] of Object.entries(r.losses))
      compare(name, losses[name], theirs, name === 'core' ? 1e-3 * theirs : near * theirs + 1e-7 * unit);
    for (const [place, theirs] of Object.entries(r.temperatures)) {
      const ours = point!.temperatures?.[place as 'inductor'];
      compare(`${place}, °C`, ours, theirs, 0.01 + 1e-3 * Math.abs(theirs - design.brief.ambientTemperature));
    }
    const blocked: Record<string, number | undefined> = {
      controlSwitch: point!.controlSwitch.blockingVoltage,
      rectifier: point!.rectifier.blockingVoltage,
      boostControlSwitch: point!.boostLeg?.controlSwitch.blockingVoltage,
      boostRectifier: point!.boostLeg?.rectifier.blockingVoltage,
    };
    for (const [place, theirs] of Object.entries(r.blocking))
      compare(`${place} blocks`, blocked[place], theirs, 10 * near * theirs);
    const sumOf = (counts: (name: string) => boolean): number =>
      Object.entries(losses).reduce((sum, [name, loss]) => (name !== 'total' && counts(name) ? sum + loss : sum), 0);
    const total = sumOf(() => true);
    compare('total', losses.total, total, 1e-12 * total);
    compare('efficiency', point!.efficiency, r.outputPower / (r.outputPower + total), near);
    const drawn = point!.inputCurrent.average * point!.inputVoltage;
    // what a winding loses by its alternating resistance is drawn beside the circuit
    if (r.circuitPower !== null && !design.decisions.inductor!.acResistance)
      compare('drawn', drawn - sumOf((name) => !IN_CIRCUIT.test(name)), r.circuitPower, near * drawn);
    expect(wrong).toEqual([]);
    const unknown = Object.keys(losses).filter(
      (name) => losses[name] !== 0 && !(name in r.losses) && !NOT_TOLD.test(name),
    );
    expect(unknown).toEqual([]);
  });
});
