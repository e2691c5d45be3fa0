import { create } from 'zustand';
import type { Range } from './model.ts';

/** What plots over one axis share: the stretch they show, the cursor that moves and the one that stays. */
export interface Link {
  /** the whole where undefined */
  range: Range | undefined;
  at: number | undefined;
  pinned: number | undefined;
}

const APART: Link = { range: undefined, at: undefined, pinned: undefined };

const useLinks = create<Record<string, Link>>()(() => ({}));

export function useLink(id: string): Link {
  return useLinks((links) => links[id] ?? APART);
}

export function setLink(id: string, change: Partial<Link>): void {
  useLinks.setState((links) => ({ [id]: { ...(links[id] ?? APART), ...change } }));
}
