import { expect, test } from '@jest/globals';
import { designJsonSchema, fieldOf, fieldRecords, nameOfEntry } from './index.ts';

test('every leaf of the file has a name of its own, and every number its unit', () => {
  const records = [...fieldRecords().values()].filter(({ path }) => path !== 'format' && path !== 'version');
  expect(records.length).toBeGreaterThan(200);
  expect(records.filter(({ name }) => name === '').map(({ path }) => path)).toEqual([]);
  expect(records.filter(({ kind, unit }) => kind === 'number' && unit === undefined).map(({ path }) => path)).toEqual(
    [],
  );
  // a curve stands in place of the one value that it is named after
  const plain = records.filter(({ path }) => !path.includes('.*.0') && !path.includes('.*.1'));
  expect(new Set(plain.map(({ name }) => name)).size).toBe(plain.length);
});

test('a place in a document is found by its path, with the file’s own bounds', () => {
  expect(fieldOf('decisions.inductor.acResistance.2.1')).toMatchObject({ unit: 'Ω' });
  expect(fieldOf('decisions.inductor.acResistance.2.0')).toMatchObject({ unit: 'Hz' });
  expect(fieldOf('decisions.compensator.feedbackCapacitor')).toMatchObject({ unit: 'F' });
  expect(fieldOf('decisions.rectifier.kind')!.values).toEqual(['synchronous', 'diode']);
  expect(fieldOf('decisions.nothing')).toBeUndefined();
  const ambient = fieldOf('brief.ambientTemperature')!;
  expect([ambient.check(-300), ambient.check(25)]).toEqual(['expected a temperature above −273.15 °C', undefined]);
  expect(fieldOf('decisions.rippleRatio')!.check(11)).toMatch(/at most 10/u);
  expect(nameOfEntry('decisions.reasons.inductor.inductance')).toBe('Reason: Inductance');
  expect(nameOfEntry('decisions.boostLeg.rectifier.leakageDoubling')).toBe('Boost rectifier, leakage doubles with, K');
});

test('the JSON Schema carries name and unit of each field', () => {
  const text = JSON.stringify(designJsonSchema());
  expect(text).toContain('"title":"Winding resistance","unit":"Ω","description":"at 25 °C"');
});
