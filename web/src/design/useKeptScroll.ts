import { useLayoutEffect, type RefObject } from 'react';

/** Where each rung of each design was left, px from its top. */
const left = new Map<string, number>();

/** ms that a rung has to become as long as it was. */
const PATIENCE = 3000;

/** A rung is found where it was left: its content comes bit by bit, so it is gone down to as soon as it is long enough. */
export function useKeptScroll(scroller: RefObject<HTMLElement | null>, key: string): void {
  // before the next rung is laid out: one that is shorter would move the place, and pass for where this one was left
  useLayoutEffect(() => {
    const place = scroller.current;
    if (!place) return;
    const wanted = left.get(key) ?? 0;
    let seeking = wanted > 0;
    const since = performance.now();
    const settle = (): void => {
      seeking = false;
    };
    const seek = (): void => {
      if (!seeking) return;
      place.scrollTo({ top: wanted, behavior: 'instant' });
      if (place.scrollTop >= wanted - 1 || performance.now() - since > PATIENCE) settle();
      else requestAnimationFrame(seek);
    };
    const keep = (): void => {
      if (!seeking) left.set(key, place.scrollTop);
    };
    // whoever moves by themselves is not led
    const own = ['wheel', 'pointerdown', 'keydown'] as const;
    place.scrollTo({ top: 0, behavior: 'instant' });
    seek();
    place.addEventListener('scroll', keep, { passive: true });
    for (const type of own) place.addEventListener(type, settle, { passive: true });
    return () => {
      seeking = false;
      place.removeEventListener('scroll', keep);
      for (const type of own) place.removeEventListener(type, settle);
    };
  }, [scroller, key]);
}
