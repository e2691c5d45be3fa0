import { expect, test } from '@jest/globals';
import type { Chart } from 'chart.js';
import { markNear, type Picture } from './draw.ts';
import type { Lane } from './model.ts';

test('the mark nearest to the pointer says what it is, in its own lane, and none where none is near', () => {
  const scales = {
    x: { left: 0, right: 300, min: 1, max: 1000 },
    y: { top: 0, bottom: 100, min: 0, max: 10 },
    out: { top: 120, bottom: 160, min: 0, max: 1 },
  };
  const marks = (x: number[], y: number[], tells?: string[]): Lane['traces'][number] => ({
    name: '',
    x,
    y,
    ink: '--ink',
    marks: 'circle',
    ...(tells ? { tells } : {}),
  });
  const lanes: Lane[] = [
    { id: 'y', name: '', unit: 'W', traces: [marks([10, 100], [5, 5], ['ten', 'hundred']), marks([10], [5])] },
    { id: 'out', name: '', unit: '', names: ['voltage'], traces: [marks([10], [0.5], ['too low'])] },
  ];
  const picture = { across: { name: '', unit: '', log: true }, lanes } as unknown as Picture;
  const at = (x: number, y: number) => markNear({ scales } as unknown as Chart, picture, x, y)?.words;
  // a decade is 100 px; half of 0 to 10 stands half way up
  expect(at(100, 50)).toBe('ten');
  expect(at(195, 54)).toBe('hundred');
  expect(at(150, 50)).toBeUndefined();
  expect(at(103, 138)).toBe('too low');
});
