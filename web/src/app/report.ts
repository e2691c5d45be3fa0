import { fileName, handOver } from './files.ts';

/** What a fault report holds: enough to have the fault again, nothing that the person has not seen. */
export interface Report {
  format: 'yundro-report';
  version: string;
  /** ISO time, and where in the page */
  at: string;
  address: string;
  browser: string;
  /** what could not be shown, and how it failed */
  of: string;
  message: string;
  stack: string;
  components: string;
  /** the design that stood open */
  design?: unknown;
}

/** Gathers a report. It is sent by nobody but the person who saves it. */
export function reportOf(of: string, error: unknown, components: string, design: unknown): Report {
  const { message, stack } = error instanceof Error ? error : { message: String(error), stack: undefined };
  return {
    format: 'yundro-report',
    version: __YUNDRO_VERSION__,
    at: new Date().toISOString(),
    // the key stands in no address once a browser has a session; a query is left out all the same
    address: location.pathname,
    browser: navigator.userAgent,
    of,
    message,
    stack: stack ?? '',
    components,
    ...(design === undefined ? {} : { design }),
  };
}

export function saveReport(report: Report): void {
  const text = `${JSON.stringify(report, null, 2)}\n`;
  handOver(fileName(`fault ${report.of}`, 'json', 'fault'), new Blob([text], { type: 'application/json' }));
}
