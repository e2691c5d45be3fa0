import { expect, test } from '@jest/globals';
import { reportOf } from './report.ts';

test('a report tells what failed where, in which version, with the open design, and nothing of the address but its path', () => {
  Object.assign(globalThis, {
    __YUNDRO_VERSION__: '0.1.0',
    location: { pathname: '/designs/a/stage', search: '?token=secret' },
    navigator: { userAgent: 'a browser' },
  });
  const report = reportOf('The traces', new Error('no trace'), '\n at Traces', { name: 'mine' });
  expect(report).toMatchObject({
    format: 'yundro-report',
    version: '0.1.0',
    address: '/designs/a/stage',
    of: 'The traces',
    message: 'no trace',
    components: '\n at Traces',
    design: { name: 'mine' },
  });
  expect(report.stack).toContain('report.test');
  expect(JSON.stringify(report)).not.toContain('secret');
  expect(reportOf('It', 'a word', '', undefined)).toMatchObject({ message: 'a word', stack: '' });
});
