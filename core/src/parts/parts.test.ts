import { describe, expect, test } from '@jest/globals';
import { readDesign } from '../design/read.ts';
import type { Design } from '../design/schema.ts';
import { demoParts } from '../shelf/demo/index.ts';
import type { Part } from '../shelf/part.ts';
import { simulate } from '../simulation/simulate.ts';
import { judge } from '../judge.ts';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { driveOf, pairCandidates } from './candidates.ts';
import { chooseParts } from './choose.ts';
import type { Place } from './places.ts';
import { USUAL_DERATING } from './fits.ts';
import { rankPairs } from './pairs.ts';
import { driveMap, rankPlace } from './rank.ts';
import { holdPart, viewParts } from './view.ts';
import { solveFromShelf } from './solve.ts';
import { stressesAt } from './stress.ts';
import { leftOf, mosfetValues } from './values.ts';

const shelf = demoParts();

function bare(
  [min, nominal, max]: [number, number, number],
  outputVoltage: number,
  [low, high]: [number, number],
  brief: object = {},
  decisions: object = {},
): Design {
  const read = readDesign({
    format: 'yundro-design',
    version: 1,
    name: 'bare',
    brief: {
      inputVoltage: { min, nominal, max },
      outputVoltage,
      outputCurrent: { min: low, max: high },
      ambientTemperature: 40,
      ...brief,
    },
    decisions,
  });
  if (!read.ok) throw new Error(JSON.stringify(read.faults));
  return read.design;
}

const logic = bare([18, 24, 32], 3.3, [0.3, 6]);

// bounds that an engineer who has to sign would set, not the parts of one opinion
test.each<[string, Design, [number, number]]>([
  ['24 to 3.3 V, 6 A', logic, [0.9, 0.95]],
  ['12 to 1.1 V, 18 A', bare([10.8, 12, 13.2], 1.1, [1, 18], { outputRipple: 0.012 }), [0.85, 0.93]],
  ['12 to 0.9 V, 80 A in four phases', bare([10.8, 12, 13.2], 0.9, [8, 80]), [0.83, 0.92]],
  ['48 to 9 V, 12 A', bare([42, 48, 57], 9, [0.5, 12]), [0.93, 0.975]],
  ['24 to 48 V, 1.2 A', bare([18, 24, 32], 48, [0.1, 1.2]), [0.93, 0.98]],
  ['24 to −15 V, 0.6 A', bare([18, 24, 32], 15, [0.05, 0.6], { outputPolarity: 'negative' }), [0.86, 0.96]],
  ['8 to 20 to 13 V, 6 A', bare([8, 13, 20], 13, [0.2, 6]), [0.94, 0.99]],
  ['12 to 3 V, 15 mA', bare([9, 12, 15], 3, [0.0005, 0.015]), [0.6, 0.9]],
])(
  'with only a brief of %s every place is filled, the targets hold and the efficiency is one of the bench',
  (_, design, [least, most]) => {
    const result = solveFromShelf(design, shelf);
    expect(result.places.filter(({ filled }) => !filled)).toEqual([]);
    expect(result.targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
    expect(result.lossScope.words).toBe('every mechanism');
    const { nominal } = design.brief.inputVoltage;
    const full = result.operatingPoints.find(
      (at) => at.inputVoltage === nominal && at.outputCurrent === design.brief.outputCurrent.max,
    )!;
    expect(full.efficiency).toBeGreaterThan(least);
    expect(full.efficiency).toBeLessThan(most);
    // no part far larger than its job (the smallest bodies have currents to spare)
    const { saturationCurrent } = result.decisions.inductor;
    expect(saturationCurrent / Math.max(1, full.inductorCurrent.peak)).toBeLessThan(4);
    expect(result.decisions.controlSwitch.count ?? 1).toBeLessThanOrEqual(3);
  },
);

describe('pairs of switches', () => {
  const start = chooseParts(logic, shelf).design;
  const open: Design = {
    ...start,
    decisions: { ...start.decisions, controlSwitch: undefined, rectifier: { kind: 'synchronous' } },
  };
  const { decisions } = completeDecisions(open);
  const stresses = stressesAt(open, decisions);
  const ranked = pairCandidates(open, decisions, shelf, stresses, USUAL_DERATING, { control: true, rectifier: true });
  if (typeof ranked === 'string') throw new Error(ranked);
  const { pairs } = ranked;
  const exactly = (i: number, j: number) => {
    const of = (at: (typeof pairs.controls)[number], blocking: number) =>
      mosfetValues(at.part, { gateVoltage: decisions.control.gateVoltage, blocking, count: at.count });
    const held: Design = {
      ...open,
      decisions: {
        ...open.decisions,
        controlSwitch: of(pairs.controls[i]!, 24),
        rectifier: { kind: 'synchronous', ...of(pairs.rectifiers[j]!, 24) },
      },
    };
    const loss = stresses.profile.map(({ corner, share }) => {
      const { losses } = solve(held, { at: corner, areas: [] }).operatingPoints[0]!;
      const own = [
        'controlSwitchConduction',
        'controlSwitchOverlap',
        'outputCharge',
        'reverseRecovery',
        'gateDrive',
        'gateSupply',
        'rectifierConduction',
        'deadTimeConduction',
      ] as const;
      return share * own.reduce((sum, name) => sum + (losses[name] ?? 0), 0);
    });
    const worst = solve(held, { areas: [] }).operatingPoints;
    return {
      loss: loss.reduce((sum, one) => sum + one, 0),
      control: Math.max(...worst.map(({ temperatures }) => temperatures?.controlSwitch ?? Infinity)),
      rectifier: Math.max(...worst.map(({ temperatures }) => temperatures?.rectifier ?? Infinity)),
    };
  };
  const count = pairs.rectifiers.length;
  const some = Array.from({ length: 12 }, (_, k) => Math.floor(((k + 0.5) / 12) * pairs.loss.length))
    .map((at) => [at % pairs.controls.length, (at * 7) % count] as const)
    .filter(([i, j]) => Math.max(pairs.controlTemperature(i, j), pairs.rectifierTemperature(j)) < 140);

  test('ranked in closed form as the settled, exact stage loses and heats', () => {
    expect(some.length).toBeGreaterThan(3);
    for (const [i, j] of some) {
      const exact = exactly(i, j);
      expect(pairs.loss[i * count + j]! / exact.loss).toBeGreaterThan(0.97);
      expect(pairs.loss[i * count + j]! / exact.loss).toBeLessThan(1.03);
      const quick = { control: pairs.controlTemperature(i, j), rectifier: pairs.rectifierTemperature(j) };
      for (const place of ['control', 'rectifier'] as const)
        expect(Math.abs(quick[place] - exact[place]) / (exact[place] - 40)).toBeLessThan(0.05);
    }
  });
});

test.each([
  ['within the loss allowed', 0.9],
  ['where no pair stays within its share', 0.995],
])('no pair that stays cool is cheaper and loses less than the one that is taken, %s', (_, efficiency) => {
  const start = chooseParts(logic, shelf).design;
  const open: Design = {
    ...start,
    brief: { ...start.brief, efficiency },
    decisions: { ...start.decisions, controlSwitch: undefined, rectifier: { kind: 'synchronous' } },
  };
  const { decisions } = completeDecisions(open);
  const stresses = stressesAt(open, decisions);
  const taken = pairCandidates(open, decisions, shelf, stresses, USUAL_DERATING, { control: true, rectifier: true });
  if (typeof taken === 'string') throw new Error(taken);
  expect(taken.words).toMatch(efficiency > 0.99 ? /none staying within its share/u : /stays within its share/u);
  const { pairs } = taken;
  const { controls, rectifiers } = pairs;
  const conditions = {
    corners: stresses.corners,
    drive: driveOf(decisions),
    phases: 1,
    ambient: open.brief.ambientTemperature,
  };
  const full = rankPairs(controls, rectifiers, { ...conditions, profile: stresses.full });
  const cost = ({ part, count }: (typeof pairs.controls)[number]): number => count * (part.cost ?? 1);
  const limit = 0.9 * open.brief.junctionTemperature;
  const at = (i: number, j: number): number => i * rectifiers.length + j;
  const mine = [pairs.controls.indexOf(taken.control), pairs.rectifiers.indexOf(taken.rectifier)] as const;
  const [price, loss] = [cost(taken.control) + cost(taken.rectifier), pairs.loss[at(...mine)]!];
  expect(Math.max(pairs.controlTemperature(...mine), pairs.rectifierTemperature(mine[1]))).toBeLessThanOrEqual(limit);
  const better = pairs.controls.flatMap((control, i) =>
    pairs.rectifiers.flatMap((rectifier, j) =>
      // fewer parts, a lower price, and clearly less loss over the profile and at full load
      control.count + rectifier.count <= taken.control.count + taken.rectifier.count &&
      cost(control) + cost(rectifier) < price &&
      pairs.loss[at(i, j)]! < 0.98 * loss &&
      full.loss[at(i, j)]! < 0.98 * full.loss[at(...mine)]! &&
      Math.max(pairs.controlTemperature(i, j), pairs.rectifierTemperature(j)) <= limit
        ? [`${control.part.name} ×${control.count} with ${rectifier.part.name} ×${rectifier.count}`]
        : [],
    ),
  );
  expect(better).toEqual([]);
});

test('a place for which the file gives any number is never filled up, and its parts are chosen round it', () => {
  const given: Partial<Record<Place, object>> = {
    inductor: { inductor: { inductance: 10e-6 } },
    controlSwitch: { controlSwitch: { onResistance: 0.02 } },
    rectifier: { rectifier: { kind: 'synchronous', onResistance: 0.02 } },
    outputCapacitors: { outputCapacitors: [{ capacitance: 100e-6, esr: 0.005 }] },
    inputCapacitors: { inputCapacitors: [{ capacitance: 100e-6, esr: 0.005 }] },
    controller: { control: { minimumOnTime: 50e-9 } },
  };
  for (const [place, decisions] of Object.entries(given)) {
    const design = bare([18, 24, 32], 3.3, [0.3, 6], {}, decisions);
    const choice = chooseParts(design, shelf);
    expect(choice.chosen.some((at) => at.place === place)).toBe(false);
    expect(choice.design.decisions).toMatchObject(decisions);
    expect(choice.chosen.filter(({ filled }) => filled)).toHaveLength(5);
  }
});

test('retired parts are offered to none; where nothing fits, it is said what ruled the parts out', () => {
  const { places } = solveFromShelf(logic, shelf);
  const used = new Set(places.flatMap(({ parts }) => parts.map(({ id }) => id)));
  const without = shelf.map((part) => (used.has(part.id) ? { ...part, retired: true } : part));
  for (const { parts } of solveFromShelf(logic, without).places)
    expect(parts.some(({ id }) => used.has(id))).toBe(false);
  const none = solveFromShelf(
    bare([340, 380, 420], 60, [0.4, 8]),
    shelf.filter(({ kind, length = 0 }) => kind !== 'mosfet' && length < 30e-3),
  );
  expect(none.places.find(({ place }) => place === 'controlSwitch')).toMatchObject({
    filled: false,
    usual: true,
    words: 'the shelf has no switch; a usual part stands in',
  });
  expect(none.places.find(({ place }) => place === 'inductor')!.words).toMatch(/of \d+, \d+ by inductance/u);
  // usual parts have all that losses need; what they come to is an estimate, and no estimate meets anything
  expect(none.operatingPoints).toHaveLength(6);
  for (const { losses } of none.operatingPoints.filter(({ outputCurrent }) => outputCurrent === 8)) {
    expect(losses.controlSwitchOverlap).toBeGreaterThan(0);
    expect(losses.outputCharge).toBeGreaterThan(0);
    expect(losses.reverseRecovery).toBeGreaterThan(0);
  }
  expect(none.lossScope.leftOut).toEqual([]);
  const judged = none.targets.filter(({ id }) => id === 'efficiency' || id.endsWith('Temperature'));
  expect(judged.length).toBeGreaterThan(0);
  for (const target of judged) {
    expect(target.estimate).toBe(true);
    expect(['open', 'missed']).toContain(target.verdict);
  }
});

test('what rules a part out stands beside it in words with its numbers', () => {
  const words = (place: Place, id: string): string =>
    rankPlace(logic, place, shelf)
      .find(({ part }) => part.id === id)!
      .reasons.map((reason) => reason.words)
      .join('; ')
      .replace(/\u00a0/gu, ' ');
  expect(words('controlSwitch', 'trench-30v-0.84m')).toBe(
    'rated 30 V: 32 V blocked and what rings on top of it ask for 40 V',
  );
  expect(words('inductor', 'powder-3mm-4.7u')).toMatch(/^saturates at 1\.\d A, where 10 A are wanted; /u);
  expect(words('outputCapacitors', 'tantalum-6.3v-220u')).toBe('3.3 V is over 50 % of its 6.3 V');
  const low: Design = { ...logic, brief: { ...logic.brief, maximumHeight: 3e-3 } };
  const high = rankPlace(low, 'inductor', shelf).find(({ part }) => part.id === 'powder-10.5mm-4.7u')!;
  expect(high.reasons.map(({ by }) => by)).toEqual(['height']);
});

test('a ceramic keeps what bias, temperature and ten years leave: worked by hand', () => {
  const part = {
    kind: 'capacitor',
    id: 'c',
    name: 'c',
    capacitance: 10e-6,
    voltageRating: 16,
    biasCurve: [
      [0, 1],
      [8, 0.6],
      [16, 0.3],
    ],
    temperatureLoss: 0.15,
    ageing: 0.025,
  } as Extract<Part, { kind: 'capacitor' }>;
  // 12 V: 0.45; × 0.85; 87,660 h are 4.943 decades: × (1 − 0.1236)
  expect(leftOf(part, 12)).toBeCloseTo(0.45 * 0.85 * (1 - 0.025 * 4.9428), 5);
});

test('over gate voltage and dead time the pair’s total is the ranking’s own at each; more dead time never helps', () => {
  const made = chooseParts(logic, shelf).design;
  const map = driveMap(made, shelf)!;
  const { decisions } = completeDecisions(made);
  expect(map.gateVoltages).toContain(decisions.control.gateVoltage);
  const [g, d] = map.best;
  for (const row of map.loss) for (const watts of row) expect(watts).toBeGreaterThanOrEqual(map.loss[g]![d]!);
  // the pair is taken for cost too, so that a row may fall by a little where another pair is taken
  for (const row of map.loss.filter(([first]) => Number.isFinite(first))) expect(row.at(-1)!).toBeGreaterThan(row[0]!);
  const driven: Design = {
    ...made,
    decisions: {
      ...made.decisions,
      control: { ...made.decisions.control, gateVoltage: map.gateVoltages[g]!, deadTime: map.deadTimes[d]! },
    },
  };
  const stresses = stressesAt(made, decisions);
  const { decisions: there } = completeDecisions(driven);
  const ranked = pairCandidates(driven, there, shelf, stresses, USUAL_DERATING, { control: true, rectifier: true });
  if (typeof ranked === 'string') throw new Error(ranked);
  expect(map.pairs[g]![d]).toContain(ranked.control.part.name);
  expect(map.pairs[g]![d]).toContain(ranked.rectifier.part.name);
});

test.each([
  ['continuous', bare([5, 10, 20], 3.1, [0.23, 0.46])],
  ['at rest at light load', bare([3.73, 4.1, 4.51], 2.5, [0.00065, 0.65])],
])('a constant on-time from the shelf has its small parts: it starts softly and its pulses repeat, %s', (_, design) => {
  const { design: filled } = chooseParts(design, shelf);
  const { decisions } = solve(filled);
  expect(decisions.control.method).toBe('constant-on-time');
  const { outputVoltage, inputVoltage, outputCurrent } = design.brief;
  for (const at of [
    { inputVoltage: inputVoltage.min, outputCurrent: outputCurrent.max },
    { inputVoltage: inputVoltage.max, outputCurrent: outputCurrent.min },
  ]) {
    const steady = simulate(filled, { scenario: 'steady-state', at, waveforms: false });
    expect(steady.steadyState!.periodic).toBe(true);
    expect(Math.abs(steady.measurements.outputVoltage.average / outputVoltage - 1)).toBeLessThan(0.016);
    const started = simulate(filled, { scenario: 'start-up', at, waveforms: false });
    expect(started.measurements.overshoot! / outputVoltage).toBeLessThan(0.03);
    expect(started.measurements.outputVoltage.max / outputVoltage).toBeGreaterThan(0.975);
  }
  // the same network stands among what is to be bought, and the place of the bank held with it keeps it
  const { small } = viewParts(design, shelf);
  const { rippleInjection } = decisions.control;
  expect(small.find(({ name }) => name === 'Ripple network, resistor')?.value).toBe(rippleInjection!.resistor);
  expect(small.find(({ name }) => name === 'Ripple network, coupling')?.value).toBe(rippleInjection!.coupling);
  const valueOf = (part: string): number => small.find(({ name }) => name === part)!.value;
  const { dividerTop, dividerBottom } = decisions.compensator!;
  const ratio = valueOf('Divider, top') / valueOf('Divider, bottom');
  expect((1 + ratio) / (1 + dividerTop! / dividerBottom!)).toBeCloseTo(1, 2);
});

describe('converters, whose switches are inside', () => {
  const design = bare([10, 12, 14], 3.3, [0.1, 2]);
  const converters = shelf.filter(({ kind }) => kind !== 'controller' && kind !== 'driver');

  test('stand among the controllers with what rules each out', () => {
    const ranked = rankPlace(design, 'controller', shelf).filter(({ part }) => part.kind === 'converter');
    const reasonsOf = (id: string) => ranked.find(({ part }) => part.id === id)!.reasons.map(({ by }) => by);
    expect(reasonsOf('buck-converter-17v-3a')).toEqual([]);
    expect(reasonsOf('buck-converter-5.5v-3a')).toContain('input');
    expect(reasonsOf('boost-converter-28v-4a')).toEqual(expect.arrayContaining(['topology', 'rectifier']));
    // by more load than it gives, and by switches that the design brings
    const heavy = rankPlace(bare([10, 12, 14], 3.3, [0.1, 5]), 'controller', shelf);
    expect(heavy.find(({ part }) => part.id === 'buck-converter-17v-3a')!.reasons.map(({ by }) => by)).toContain(
      'current',
    );
    const own = rankPlace(
      bare([10, 12, 14], 3.3, [0.1, 2], {}, { controlSwitch: { onResistance: 0.01 } }),
      'controller',
      shelf,
    );
    expect(own.find(({ part }) => part.id === 'buck-converter-17v-3a')!.reasons.map(({ by }) => by)).toContain(
      'switches',
    );
    // its loss is its own current and its switches' resistance over the profile
    const one = ranked.find(({ part }) => part.id === 'buck-converter-17v-3a')!;
    expect(one.loss).toBeGreaterThan(60e-6 * 12);
    expect(one.full).toBeLessThan(2.2 ** 2 * 0.06 + 60e-6 * 12);
    expect(one.full).toBeGreaterThan(2 ** 2 * 0.03);
  });

  test('where no controller is on the shelf the cheapest that fits comes, and what it lacks is said', () => {
    const result = solveFromShelf(design, converters);
    expect(result.decisions.control.partId).toBe('buck-converter-17v-3a');
    expect(result.decisions.controlSwitch.onResistance).toBe(0.06);
    expect(result.decisions.rectifier.onResistance).toBe(0.03);
    expect(result.lossScope.leftOut).toContain('switching overlap');
    expect(result.places.find(({ place }) => place === 'controlSwitch')!.words).toContain('inside the buck converter');
    // with controllers beside it, a controller and switches whose losses are known
    expect(solveFromShelf(design, shelf).lossScope.words).toBe('every mechanism');
  });

  test('held, its switches are held with it', () => {
    const part = shelf.find(({ id }) => id === 'buck-converter-17v-3a')!;
    const { decisions } = holdPart(design, 'controller', part, shelf);
    expect(decisions.control!.partId).toBe(part.id);
    expect([decisions.controlSwitch!.onResistance, decisions.rectifier!.onResistance]).toEqual([0.06, 0.03]);
  });
});

test('where nothing says what drives the gates, the voltage is the one at which the pair that is taken loses least', () => {
  const bench = shelf.filter(({ kind }) => kind !== 'controller' && kind !== 'driver' && kind !== 'converter');
  const taken = chooseParts(logic, bench).design.decisions;
  const volts = taken.control!.gateVoltage!;
  expect(chooseParts(logic, bench).decided.map(({ path }) => path)).toContain('control.gateVoltage');
  const map = driveMap(
    { ...logic, decisions: { ...taken, controlSwitch: undefined, rectifier: { kind: 'synchronous' } } },
    bench,
  )!;
  const at = (gate: number): number => Math.min(...map.loss[map.gateVoltages.indexOf(gate)]!);
  for (const other of map.gateVoltages) expect(at(volts)).toBeLessThanOrEqual(at(other) * 1.02);
  // given, it stays
  const given = bare([18, 24, 32], 3.3, [0.3, 6], {}, { control: { gateVoltage: 5 } });
  expect(chooseParts(given, bench).design.decisions.control!.gateVoltage).toBe(5);
});

test.each<[string, Design, string, string]>([
  [
    'a diode’s charge heats the switch beside it',
    bare([16.9, 22, 28.6], 51, [0.0012, 1.2], { ambientTemperature: 25 }),
    'controlSwitchTemperature',
    'controlSwitch',
  ],
  [
    'pulses shorter than the controller’s are left out',
    bare([4.23, 5.5, 7.15], 9.6, [0.023, 2.3]),
    'minimumOnTime',
    'controller',
  ],
  [
    'hot windings leave room to the longest pulse',
    bare([8, 8.8, 9.68], 7.5, [0.031, 3.1]),
    'maximumDuty',
    'controller',
  ],
])('parts are chosen for what their neighbours do: %s', (_, design, target, place) => {
  const result = solveFromShelf(design, shelf);
  expect(result.places.find((at) => at.place === place)?.filled).toBe(true);
  expect(result.targets.find(({ id }) => id === target)?.verdict).not.toBe('missed');
});

test('a network is decided for the amplifier of the controller that was chosen, unless the design names its own', () => {
  const boost = bare([10, 12, 14], 24, [0.2, 2]);
  const amplifierOf = (design: Design): object => {
    const { amplifier, transconductance } = chosenNetwork(design);
    return { amplifier, transconductance };
  };
  const chosenNetwork = (design: Design) => completeDecisions(chooseParts(design, shelf).design).decisions.compensator!;
  const { parts } = chooseParts(boost, shelf).chosen.find(({ place }) => place === 'controller')!;
  const { transconductance } = parts[0]!.part as Extract<Part, { kind: 'controller' }>;
  expect(transconductance).toBeGreaterThan(0);
  expect(amplifierOf(boost)).toEqual({ amplifier: 'ota', transconductance });
  const own: Design = { ...boost, decisions: { compensator: { amplifier: 'op-amp' } } };
  expect(amplifierOf(own)).toEqual({ amplifier: 'op-amp', transconductance: undefined });
  const voltageMode = { control: { method: 'voltage-mode', transconductance: 1e-3 } } as const;
  expect(completeDecisions({ ...logic, decisions: voltageMode }).decisions.compensator!.amplifier).toBe('op-amp');
  // gm of the tap instead of 1/R of the output: the zero stands where it stood, within the E-series
  const zero = ({ feedbackResistor, feedbackCapacitor }: ReturnType<typeof chosenNetwork>): number =>
    feedbackResistor! * feedbackCapacitor!;
  expect(zero(chosenNetwork(boost)) / zero(chosenNetwork(own))).toBeGreaterThan(0.7);
  expect(zero(chosenNetwork(boost)) / zero(chosenNetwork(own))).toBeLessThan(1.4);
});

test('a high voltage at a small current finds dies of its size: their charge does not rule what is lost', () => {
  const { operatingPoints, decisions } = solveFromShelf(bare([162, 210, 273], 12, [0.21, 0.42]), shelf);
  const { losses, efficiency } = operatingPoints.find((at) => at.inputVoltage === 210 && at.outputCurrent === 0.42)!;
  expect(decisions.controlSwitch.onResistance).toBeGreaterThan(0.2);
  expect((losses.outputCharge ?? 0) + (losses.reverseRecovery ?? 0)).toBeLessThan(0.1 * 12 * 0.42);
  expect(efficiency).toBeGreaterThan(0.84);
});

test.each(['controlSwitch', 'rectifier'] as const)(
  'a switch that stands among those that fit the %s stays cool there, in parallel where one alone does not',
  (place) => {
    const open: Design = { ...logic, decisions: { ...chooseParts(logic, shelf).design.decisions, [place]: undefined } };
    const free: Design = { ...open, decisions: { ...open.decisions, rectifier: { kind: 'synchronous' } } };
    const ranked = rankPlace(free, place, shelf);
    const fits = ranked.filter(({ reasons }) => reasons.length === 0);
    expect(fits.every(({ loss }) => loss !== undefined)).toBe(true);
    // where it is hot, some do not
    const warm = rankPlace({ ...free, brief: { ...free.brief, ambientTemperature: 90 } }, place, shelf);
    expect(
      warm.some(({ reasons }) => reasons.some(({ by, words }) => by === 'heat' && /junction|heat/u.test(words))),
    ).toBe(true);
    const several = fits.filter(({ count }) => count > 1);
    expect(several.length).toBeGreaterThan(0);
    for (const { part } of several.slice(0, 2)) {
      const held = holdPart(logic, place, part, shelf);
      expect(held.decisions[place]).toMatchObject({ partId: part.id });
      const points = solveFromShelf(held, shelf).operatingPoints;
      expect(Math.max(...points.map(({ temperatures }) => temperatures?.[place] ?? Infinity))).toBeLessThan(125);
    }
  },
);

test('an efficiency that the shelf’s parts miss is bought with a lower frequency where that is free, and no further than it takes', () => {
  const wanted = { efficiency: 0.93 };
  const open = bare([23, 23, 23], 1.8, [0.59, 5.9], { ...wanted, ambientTemperature: 25 });
  const result = solveFromShelf(open, shelf);
  expect(result.targets.find(({ id }) => id === 'efficiency')!.verdict).not.toBe('missed');
  expect(result.targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
  const { switchingFrequency } = result.decisions;
  expect(switchingFrequency).toBeLessThan(500e3);
  const rules = chooseParts(open, shelf).decided.filter(({ path }) => path === 'switchingFrequency');
  expect(rules.map(({ rule }) => rule.replace(/\u00a0/gu, ' '))).toEqual([
    expect.stringMatching(/^lowered from 500 kHz, where the shelf’s parts reach 92\.\d+ % of the 93 %/u),
  ]);
  expect(
    viewParts(open, shelf)
      .anew.join(' ')
      .replace(/\u00a0/gu, ' '),
  ).toMatch(/^The frequency is \d+ kHz, lowered from /u);
  // what fits there can be held there
  const fits = rankPlace(chooseParts(open, shelf).design, 'inductor', shelf).filter(
    ({ reasons }) => reasons.length === 0,
  );
  expect(fits.length).toBeGreaterThan(2);
  for (const { part } of fits.slice(-3))
    expect(holdPart(open, 'inductor', part, shelf).decisions.inductor?.partId).toBe(part.id);
  // given, the frequency stays, and misses it
  const at = (frequency: number) => solveFromShelf({ ...open, decisions: { switchingFrequency: frequency } }, shelf);
  expect(at(500e3).decisions.switchingFrequency).toBe(500e3);
  expect(at(500e3).targets.find(({ id }) => id === 'efficiency')!.verdict).toBe('missed');
  // where none would do, the frequency stays
  const hopeless = bare([28.5, 57, 114], 5.5, [0.00013, 0.13], { ...wanted, efficiency: 0.995 });
  expect(chooseParts(hopeless, shelf).design.decisions.switchingFrequency).toBe(
    completeDecisions(hopeless).decisions.switchingFrequency,
  );
});

test('a rectifier is held as what it is, whatever the rule would take', () => {
  const diode = shelf.find(({ id }) => id === 'schottky-40v-8a')!;
  expect(completeDecisions(logic).decisions.rectifier.kind).toBe('synchronous');
  expect(holdPart(logic, 'rectifier', diode, shelf).decisions.rectifier).toMatchObject({
    kind: 'diode',
    partId: diode.id,
  });
});

test('where no pair stays cool in one phase another is taken, and nothing is missed', () => {
  const open = bare([240, 310, 375], 15, [0.5, 10]);
  const alone = solveFromShelf({ ...open, decisions: { phases: 1 } }, shelf);
  expect(alone.targets.filter(({ verdict }) => verdict === 'missed').map(({ id }) => id)).toContain(
    'controlSwitchTemperature',
  );
  const { design, anew } = chooseParts(open, shelf);
  expect(design.decisions.phases).toBe(2);
  expect(anew.join(' ')).toMatch(/^Phases: 2 instead of 1, at which .* none keeps its junctions below/u);
  const result = solveFromShelf(open, shelf);
  expect(result.targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
  // an efficiency that is then bought with a lower frequency leaves them, and both are said
  const bought = chooseParts({ ...open, brief: { ...open.brief, efficiency: 0.91 } }, shelf);
  expect(bought.design.decisions.phases).toBe(2);
  expect(bought.anew).toEqual([
    expect.stringMatching(/^Phases: 2 instead of 1/u),
    expect.stringMatching(/^The frequency is \d+\skHz, lowered from 100\skHz/u),
  ]);
});

test('a comparator is shown its ripple at the clock: a can beside ceramics does not stand in for it', () => {
  const { decisions } = solveFromShelf(bare([4.5, 5, 5.5], 3.3, [0.1, 2]), shelf);
  expect(decisions.control.method).toBe('constant-on-time');
  expect(decisions.control.rippleInjection).toBeDefined();
  expect(decisions.outputCapacitors).toHaveLength(1);
});

test('a load that falls out of its ripple takes a controller that asks for a peak', () => {
  const design = bare([9, 12, 16], 5, [0.1, 8]);
  const verdicts = judge(design, { parts: shelf, unadvised: true });
  expect(verdicts.decisions.control.method).toBe('peak-current-mode');
  expect(verdicts.targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
});

test('coupled phases take windings on one core, and separate ones do not', () => {
  const places = (decisions: object) =>
    chooseParts(bare([10.8, 12, 13.2], 1.2, [2, 40], {}, decisions), shelf).chosen.find(
      ({ place }) => place === 'inductor',
    )!;
  const pair = places({ phases: 2, coupling: { coefficient: 0.6, polarity: 'inverse' } });
  expect(pair.parts).toMatchObject([{ count: 1, part: { windings: 2, coupling: 0.6 } }]);
  expect(places({ phases: 2 }).parts).toMatchObject([{ count: 2 }]);
  expect(places({ phases: 2 }).parts[0]!.part).not.toHaveProperty('windings');
  // none is had with four windings: the place says so
  const four = places({ phases: 4, coupling: { coefficient: 0.6, polarity: 'inverse', arrangement: 'one-core' } });
  expect(four).toMatchObject({ filled: false, words: expect.stringContaining('by windings') });
});
