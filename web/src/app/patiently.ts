import { lazy, type ComponentType } from 'react';

const AGAIN = 2000;

/**
 * A part of the page that is loaded when it is first wanted, and tried again until the server gives it: a server that
 * is away for a while must not cost the page.
 */
export function patiently<P extends object>(load: () => Promise<{ default: ComponentType<P> }>) {
  const attempt = (): Promise<{ default: ComponentType<P> }> =>
    load().catch(
      () =>
        new Promise((resolve) => {
          setTimeout(() => resolve(attempt()), AGAIN);
        }),
    );
  return lazy(attempt);
}
