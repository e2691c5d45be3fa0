import { expect, test } from '@jest/globals';
import { free, hold, taken } from '../design/decision.ts';
import { judge } from '../judge.ts';
import { demoShelf } from '../shelf/shelf.ts';
import { usualBody } from '../shelf/usual/inductors.ts';
import { bareDesign } from '../testing/designs.ts';
import { chooseParts } from './choose.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { holdBuilt, keepParts } from './kept.ts';
import { namedParts } from './named.ts';
import { inductorValues } from './values.ts';
import { holdPart } from './view.ts';

const shelf = demoShelf().parts;
const brief = {
  inputVoltage: { min: 10, nominal: 12, max: 14 },
  outputVoltage: 3.3,
  outputCurrent: { min: 0.1, max: 8 },
};
const part = shelf.find(({ id }) => id === 'powder-10.5mm-2.2u')!;

test('a part that is named alone is read from the shelf; what a file says beside it wins', () => {
  const named = bareDesign(brief, { inductor: { partId: part.id } });
  const { decisions } = chooseParts(named, shelf).design;
  expect(part.kind === 'inductor' && inductorValues(part)).toEqual(decisions.inductor);
  const said = bareDesign(brief, { inductor: { partId: part.id, inductance: 1e-6 } });
  expect(chooseParts(said, shelf).design.decisions.inductor).toEqual({ partId: part.id, inductance: 1e-6 });
  // without a shelf it is said that nothing was read
  expect(judge(named, { depth: 'stage' }).warnings.map(({ id }) => id)).toContain('part-unread');
});

test('an id that is nowhere, or of another kind, is a fault at its place, which no other part fills', () => {
  const lost = bareDesign(brief, { inductor: { partId: 'no-such' }, controlSwitch: { partId: part.id } });
  expect(namedParts(lost, shelf).faults.map(({ path }) => path)).toEqual([
    'decisions.inductor.partId',
    'decisions.controlSwitch.partId',
  ]);
  const { chosen, design } = chooseParts(lost, shelf);
  const of = (place: string) => chosen.find((one) => one.place === place);
  expect(of('inductor')).toMatchObject({
    filled: false,
    usual: true,
    parts: [],
    words: 'there is no part "no-such" on the shelf; a usual part stands in',
  });
  // a usual one in truth, and not another of the shelf's
  expect(design.decisions.inductor).not.toHaveProperty('partId');
  expect(design.decisions.inductor!.core!.turns).toBeGreaterThan(1);
  expect(of('controlSwitch')).toMatchObject({ filled: false, parts: [] });
  expect(of('rectifier')).toMatchObject({ filled: true });
});

test('a capacitor of another kind is held with as many as the bank needs, and nothing else with it', () => {
  const design = bareDesign({ ...brief, loadStep: { from: 2, to: 6, slewRate: 1e6, deviation: 0.1 } });
  const polymer = shelf.find(({ id }) => id === 'polymer-6.3v-220u')!;
  const { decisions } = holdPart(design, 'outputCapacitors', polymer, shelf);
  expect(Object.keys(decisions)).toEqual(['outputCapacitors']);
  expect(decisions.outputCapacitors).toMatchObject([{ partId: polymer.id }]);
  expect(decisions.outputCapacitors![0]!.count).toBeGreaterThan(1);
  const { targets } = judge({ ...design, decisions }, { parts: shelf, unadvised: true });
  for (const id of ['loadStepUndershoot', 'loadStepOvershoot', 'outputRipple'])
    expect([id, targets.find((target) => target.id === id)?.verdict ?? 'met']).not.toEqual([id, 'missed']);
});

test('a value of its own parts a place from its part; one let go of takes the part with it', () => {
  const design = holdPart(bareDesign(brief), 'inductor', part, shelf);
  expect(design.decisions.inductor!.inductanceCurve).toBeDefined();
  const other = hold(design, 'inductor.inductance', 1e-6);
  expect(other.decisions.inductor).toMatchObject({
    inductance: 1e-6,
    resistance: design.decisions.inductor!.resistance,
  });
  expect(other.decisions.inductor).not.toHaveProperty('partId');
  expect(other.decisions.inductor).not.toHaveProperty('inductanceCurve');
  expect(taken(design, { change: [{ of: 'decisions.inductor.inductance', value: 1e-6 }] })).toEqual(other);
  expect(free(design, 'inductor.inductance').decisions).toEqual({});
  const diode = shelf.find(({ id }) => id === 'schottky-40v-8a')!;
  const second = holdPart(bareDesign(brief), 'rectifier', diode, shelf);
  expect(free(second, 'rectifier.forwardVoltage').decisions).toEqual({ rectifier: { kind: 'diode' } });
});

test('to hold a value that a part brings is to hold the part; another’s is held alone, and what is held follows nothing', () => {
  const design = bareDesign(brief, { rectifier: { kind: 'synchronous' } });
  const choice = chooseParts(design, shelf);
  const built = choice.design.decisions;
  for (const [path, place] of [
    ['inductor.inductance', 'inductor'],
    ['rectifier.onResistance', 'rectifier'],
    ['outputCapacitors', 'outputCapacitors'],
  ] as const)
    expect(holdBuilt(design, choice, path, 1).decisions).toEqual({ ...design.decisions, [place]: built[place] });
  // what is set round a controller says nothing of which one it is: the part stays, and takes it
  const limited = holdBuilt(design, choice, 'control.currentLimit', 12);
  expect(limited.decisions).toEqual({ ...design.decisions, control: { currentLimit: 12 } });
  const set = { ...built.control, currentLimit: 12 };
  expect(chooseParts(limited, shelf).design.decisions.control).toEqual(set);
  expect(keepParts(limited, choice)!.design.decisions.control).toEqual(set);
  // and what keeps a short circuit from climbing follows it
  expect(completeDecisions(chooseParts(limited, shelf).design).decisions.control.valleyCurrentLimit).toBe(12);
  expect(keepParts(design, chooseParts(limited, shelf))!.design.decisions.control).toEqual(built.control);
  expect(holdBuilt(design, choice, 'switchingFrequency', 4e5).decisions).toEqual({
    ...design.decisions,
    switchingFrequency: 4e5,
  });
});

test('while a value moves the parts stay, those named alone among them; another stage is chosen for anew', () => {
  const design = bareDesign(brief, { inductor: { partId: part.id } });
  const choice = chooseParts(design, shelf);
  const moved = keepParts(hold(design, 'switchingFrequency', 4e5), choice)!;
  expect(moved.design.decisions).toEqual({ ...choice.design.decisions, switchingFrequency: 4e5 });
  expect(keepParts(hold(design, 'phases', 2), choice)).toBeUndefined();
  expect(keepParts(bareDesign(brief, { inductor: { partId: 'another' } }), choice)).toBeUndefined();
  // a place let go of has no part that could stay
  const held = holdPart(bareDesign(brief), 'inductor', part, shelf);
  expect(keepParts(bareDesign(brief), chooseParts(held, shelf))).toBeUndefined();
});

test('a usual inductor’s winding, core and heat are of one body: less resistance takes a larger one', () => {
  const [small, large] = [0.01, 0.002].map((resistance) => usualBody(3.3e-6, 12, resistance));
  expect(large!.volume).toBeGreaterThan(2 * small!.volume);
  expect(large!.heat).toBeGreaterThan(small!.heat);
  for (const { turns, area } of [small!, large!]) expect((3.3e-6 * 12) / (turns * area)).toBeLessThanOrEqual(0.331);
});
