import { useSyncExternalStore } from 'react';

/** CSS pixels: the height of window that drawings are laid out for. */
const USUAL = 800;
const MOST = 1.8;

function subscribe(changed: () => void): () => void {
  window.addEventListener('resize', changed);
  return () => window.removeEventListener('resize', changed);
}

/** How many times as high as usual the window is, from 1 on: what a drawing may take more of it. */
export function useTall(): number {
  return useSyncExternalStore(subscribe, () => Math.min(MOST, Math.max(1, window.innerHeight / USUAL)));
}
