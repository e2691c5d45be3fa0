import { describe, expect, test } from '@jest/globals';
import { solve } from '../solve.ts';
import { waveformsAt } from '../stage/operating/waveforms.ts';
import { designWith } from '../testing/designs.ts';
import { boardResistance, boardRise, filmCoefficient } from './cooling.ts';

const at = { inputVoltage: 24, outputCurrent: 6 };
const pointOf = (design: ReturnType<typeof designWith>) => solve(design, { at }).operatingPoints[0]!;
const hot = { ambientTemperature: 60 };
const diode = {
  kind: 'diode',
  forwardVoltage: 0.4,
  resistance: 0.01,
  leakageCurrent: 40e-6,
  thermalResistance: 12,
};

describe('losses beyond conduction and charge', () => {
  test('the integral of instantaneous power over the waveform is what is told', () => {
    const design = designWith({ control: { senseResistance: 0.004, deadTime: 3e-8 } }, {});
    const { decisions } = solve(design);
    const waves = waveformsAt(design, decisions, at, 1)!;
    const integral = (power: (k: number) => number): number => {
      let sum = 0;
      for (let k = 1; k < waves.time.length; k += 1)
        sum += ((power(k) + power(k - 1)) / 2) * (waves.time[k]! - waves.time[k - 1]!);
      return sum / waves.period;
    };
    const { losses } = pointOf(design);
    const inductor = waves.inductorCurrent[0]!;
    expect(losses.currentSense! / integral((k) => 0.004 * inductor[k]! ** 2)).toBeCloseTo(1, 4);
    expect(losses.windingConduction / integral((k) => 0.009 * inductor[k]! ** 2)).toBeCloseTo(1, 4);
    expect(losses.controlSwitchConduction / integral((k) => 0.008 * waves.controlCurrent[k]! ** 2)).toBeCloseTo(1, 3);
    // the body diode's 0.8 V in the dead times, the channel's 6 mΩ in between: all of it is the rectifier's current
    const rectifier = integral((k) => 0.006 * waves.rectifierCurrent[k]! ** 2);
    const dead = 2 * 3e-8 * 400e3;
    expect(losses.rectifierConduction).toBeGreaterThan(rectifier * (1 - 2 * dead));
    expect(losses.rectifierConduction).toBeLessThan(rectifier);
  });

  test('a diode leaks at its settled heat, and runs away where the heat cannot leave', () => {
    const { rectifier, losses, temperatures, rectifierDuty } = pointOf(designWith({ rectifier: diode }, hot));
    const junction = temperatures!.rectifier!;
    const leaks = (1 - rectifierDuty) * rectifier.blockingVoltage * 40e-6 * 2 ** ((junction - 25) / 10);
    expect(losses.diodeLeakage! / leaks).toBeCloseTo(1, 4);
    expect(junction).toBeCloseTo(60 + 12 * (losses.rectifierConduction + losses.diodeLeakage!), 2);
    const away = solve(designWith({ rectifier: { ...diode, leakageCurrent: 2e-3, thermalResistance: 60 } }, hot), {
      at,
    });
    expect(away.operatingPoints[0]!.temperatures?.rectifier).toBeUndefined();
    expect(away.warnings.map(({ id }) => id)).toContain('thermal-runaway');
  });

  test('recovery by the current relieved; a snubber by its charge; leads by the load', () => {
    const point = pointOf(
      designWith(
        {
          rectifier: {
            kind: 'synchronous',
            onResistance: 0.006,
            reverseRecoveryCharge: 1,
            count: 2,
            reverseRecoveryCurve: [
              [0, 4e-9],
              [4, 20e-9],
            ],
          },
          snubber: { capacitance: 470e-12, resistance: 4.7 },
          outputLeadResistance: 0.003,
        },
        {},
      ),
    );
    const { losses, controlSwitch, inductorCurrent } = point;
    const charge = 2 * (4e-9 + (16e-9 * inductorCurrent.valley) / 2 / 4);
    expect(losses.reverseRecovery! / (400e3 * controlSwitch.blockingVoltage * charge)).toBeCloseTo(1, 9);
    expect(losses.snubber! / (400e3 * 470e-12 * controlSwitch.blockingVoltage ** 2)).toBeCloseTo(1, 9);
    expect(losses.outputLeads).toBeCloseTo(0.108, 9);
    // the source gives the same, the load gets so much less
    expect(point.outputPower).toBeCloseTo(3.3 * 6 - 0.108, 3);
    const { outputLeads, total } = losses;
    expect(24 * point.inputCurrent.average).toBeCloseTo(3.3 * 6 + total - outputLeads!, 3);
    expect(losses.total).toBeCloseTo(
      Object.entries(losses).reduce<number>(
        (sum, [name, loss]: [string, number]) => sum + (name === 'total' ? 0 : loss),
        0,
      ),
      9,
    );
  });

  test('an electrolytic lives twice as long for ten kelvin less, of its own core', () => {
    const bank = {
      capacitance: 100e-6,
      esr: 0.08,
      count: 2,
      thermalResistance: 25,
      rippleCurrentRating: 0.5,
      lifetime: 5000 * 3600,
      lifetimeTemperature: 105,
    };
    const life = (ambientTemperature: number) =>
      pointOf(designWith({ inputCapacitors: [bank] }, { ambientTemperature })).inputCapacitor.each[0]!;
    const { rmsCurrent, loss, temperature, lifetime } = life(80);
    expect(loss).toBeCloseTo(rmsCurrent ** 2 * 0.08, 12);
    expect(temperature).toBeCloseTo(80 + 25 * loss, 9);
    expect(lifetime! / (5000 * 3600 * 2 ** ((105 + 25 * 0.02 - temperature!) / 10))).toBeCloseTo(1, 9);
    expect(lifetime! / life(90).lifetime!).toBeCloseTo(2, 9);
    // its seals, not its heat, end it at last
    expect(life(-20).lifetime! / (15 * 8766 * 3600)).toBeCloseTo(1, 12);
    const judged = solve(
      designWith({ inputCapacitors: [bank] }, { ambientTemperature: 90, serviceLife: 50_000 * 3600 }),
    ).targets.find(({ id }) => id === 'inputCapacitorLife');
    expect(judged).toMatchObject({ verdict: 'missed', required: 50_000 });
  });
});

// a row noted at a bench: 12 V and 0.98 A in, 24.2 V and 0.35 A out, is 72 %; common practice, no source
test('what a meter at each side would read gives the efficiency that is shown', () => {
  const stage = {
    topology: 'boost',
    switchingFrequency: 52e3,
    inductor: { inductance: 330e-6, resistance: 0.35, saturationCurrent: 4 },
    controlSwitch: { onResistance: 0.3 },
    rectifier: { kind: 'diode', forwardVoltage: 0.7, resistance: 0.05 },
    outputCapacitors: [{ capacitance: 220e-6, esr: 0.1 }],
  };
  const corner = { inputVoltage: 12, outputCurrent: 0.35 };
  const brief = {
    inputVoltage: { min: 11, nominal: 12, max: 13 },
    outputVoltage: 24.2,
    outputCurrent: { min: 0.1, max: 0.35 },
  };
  const solved = (quiescentCurrent: number) =>
    solve(designWith({ ...stage, control: { quiescentCurrent } }, brief), { at: corner }).operatingPoints[0]!;
  // conduction alone flatters; what the old parts lose beyond it shows at the input
  expect(solved(0).efficiency).toBeGreaterThan(0.85);
  const rest = 0.98 - solved(0).inputCurrent.average;
  const { inputCurrent, outputVoltage, efficiency } = solved(rest);
  expect(inputCurrent.average).toBeCloseTo(0.98, 6);
  expect(efficiency).toBeCloseTo((outputVoltage.average * 0.35) / (12 * inputCurrent.average), 5);
  expect(Math.round(100 * efficiency)).toBe(72);
});

describe('the way of the heat', () => {
  // an inch square of two-ounce copper in still air: some 40 K/W, as data sheets state it; common practice, no source
  test('a copper patch cools as data sheets have it; more copper, thicker, and air help, each less than in proportion', () => {
    const inch = 645e-6;
    const usual = boardResistance(inch, 70e-6, 0);
    expect(usual).toBeGreaterThan(32);
    expect(usual).toBeLessThan(50);
    expect(boardResistance(inch / 10, 70e-6, 0)).toBeGreaterThan(1.25 * usual);
    expect(boardResistance(inch, 35e-6, 0)).toBeGreaterThan(usual);
    const blown = boardResistance(inch, 70e-6, 2);
    expect(blown).toBeLessThan(0.7 * usual);
    expect(blown).toBeGreaterThan(usual / (filmCoefficient(2, Math.sqrt(inch)) / filmCoefficient(0, 1)));
    // a flat plate at 2 m/s, 50 mm long: 0.664·Re^½·Pr^⅓·k/L with air at 300 K gives 24.7 W/(m²·K) (Incropera, recalled)
    expect(filmCoefficient(2, 0.05) / Math.cbrt(10 ** 3 + 24.7 ** 3)).toBeCloseTo(1, 2);
  });

  test('junction, case, pad and sink add up; a board warms every device by what the others lose', () => {
    const device = { onResistance: 0.008, onResistanceTemperature: 0.006, junctionToCase: 1.5, thermalResistance: 50 };
    const parts = (cooling: object) =>
      designWith(
        {
          controlSwitch: device,
          rectifier: { kind: 'synchronous', ...device },
          inductor: { inductance: 4.7e-6, resistance: 0.009, thermalResistance: 30 },
          cooling,
        },
        {},
      );
    const heatSinks = { rectifier: { thermalResistance: 8, padResistance: 1 } };
    const { losses, temperatures } = pointOf(parts({ heatSinks, copperArea: 200e-6, airflow: 1 }));
    expect(temperatures!.rectifier).toBeCloseTo(25 + 10.5 * losses.rectifierConduction, 2);
    const patch = 1.5 + boardResistance(200e-6, 35e-6, 1);
    expect(temperatures!.controlSwitch).toBeCloseTo(25 + patch * losses.controlSwitchConduction, 2);
    const board = { heatSinks, boardArea: 0.003 };
    const warmed = pointOf(parts(board));
    const own = warmed.losses;
    expect(warmed.temperatures!.inductor).toBeCloseTo(
      25 + 30 * own.windingConduction + boardRise(board) * (own.controlSwitchConduction + own.rectifierConduction),
      2,
    );
    // each resistance is that of the temperature it settles at
    const factor = 1 + 0.006 * (warmed.temperatures!.controlSwitch! - 25);
    expect(own.controlSwitchConduction / (0.008 * factor * warmed.controlSwitch.rmsCurrent ** 2)).toBeCloseTo(1, 5);
  });
});
