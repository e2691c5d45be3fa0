import { expect, test } from '@jest/globals';
import { free, hold, taken } from '../design/decision.ts';
import { judge } from '../judge.ts';
import { demoShelf } from '../shelf/shelf.ts';
import { bareDesign } from '../testing/designs.ts';
import { chooseParts } from './choose.ts';
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
  const { chosen } = chooseParts(lost, shelf);
  const of = (place: string) => chosen.find((one) => one.place === place);
  expect(of('inductor')).toMatchObject({ filled: false, parts: [], words: 'there is no part "no-such" on the shelf' });
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
