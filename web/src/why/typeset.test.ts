import { describe, expect, test } from '@jest/globals';
import katex from 'katex';
import { chooseParts, demoShelf, explain, listQuantities, readDesign, solve, type Design } from '@yundro/core';

const designs = ['buck', 'boost', 'inverting-buck-boost', 'four-switch-buck-boost'].flatMap((topology) =>
  [
    { inputVoltage: { min: 9, nominal: 12, max: 18 }, load: { min: 0.2, max: 4 } },
    { inputVoltage: { min: 3, nominal: 3.3, max: 3.6 }, load: { min: 0.001, max: 0.05 } },
  ].map(({ inputVoltage, load }) => ({
    format: 'yundro-design',
    version: 1,
    name: topology,
    brief: {
      inputVoltage,
      outputVoltage: topology === 'buck' ? 2.5 : 150,
      outputCurrent: load,
      load: 'resistive',
      loadStep: { from: load.min, to: load.max, deviation: 0.1 },
    },
    decisions: { topology },
  })),
);

const shelf = demoShelf().parts;
/** As it is, and with its places filled: parts bring losses and temperatures of their own. */
const bothWays = (design: Design): Design[] => [design, chooseParts(design, shelf).design];

describe('what Why? shows', () => {
  // a lost backslash leaves text that still looks like a formula: here the typesetter may forgive nothing
  test.each(designs.map((design) => [design.name, design.brief.inputVoltage.nominal, design] as const))(
    'every formula is one that the typesetter takes: %s from %d V, all free',
    (_name, input, file) => {
      const read = readDesign(file);
      if (!read.ok) throw new Error('the design does not read');
      const set = new Set<string>();
      // what parts bring is the same from any input
      for (const [design, result, point] of (input < 5 ? [read.design] : bothWays(read.design)).flatMap((made) => {
        const solved = solve(made);
        return [solved.operatingPoints[0]!, solved.operatingPoints.at(-1)!].map((at) => [made, solved, at] as const);
      })) {
        for (const { id } of listQuantities()) {
          const { formula } = explain({ design, result, point }, id) ?? {};
          for (const tex of formula ? [formula.symbols, formula.numbers] : []) {
            if (set.has(tex)) continue;
            set.add(tex);
            expect(tex).not.toMatch(/[\f\t\v\r\n]|(?<![\\a-zA-Z])(?:frac|mathrm|left|right|cdot|text)(?![a-zA-Z])/u);
            expect(() => katex.renderToString(tex, { throwOnError: true, strict: 'error' })).not.toThrow();
          }
        }
      }
      expect(set.size).toBeGreaterThan(input < 5 ? 60 : 80);
    },
  );
});
