import { expect, test } from '@jest/globals';
import { resultsApart } from './apart.ts';
import { designWith } from './testing/designs.ts';

test('two designs part in what they come to, target by target; alike ones in nothing', () => {
  const design = designWith({}, {});
  expect(resultsApart(design, { ...design, name: 'another' })).toEqual([]);
  const faster = { ...design, decisions: { ...design.decisions, switchingFrequency: 800e3 } };
  const apart = resultsApart(design, faster);
  const ripple = apart.find(({ path }) => path === 'outputRipple')!;
  expect(ripple.name).toBe('Output ripple');
  const millivolts = (text: string): number => Number(/^[\d.]+/u.exec(text)![0]);
  expect(millivolts(ripple.to)).toBeLessThan(millivolts(ripple.from));
  expect(ripple.from).toMatch(/, met$/u);
  // what one alone is held to
  const wishing = { ...design, brief: { ...design.brief, controller: { accuracy: 0.01 } } };
  expect(resultsApart(design, wishing).map(({ path, from }) => [path, from])).toEqual([['referenceAccuracy', 'none']]);
});
