import { create } from 'zustand';
import type { Corner, QuantityId } from '@yundro/core';

export type Theme = 'light' | 'dark';

/** Another corner than the one looked at, whose number is asked about. */
export interface WhyOf {
  corner: Corner;
  /** what sets it apart, in words */
  words?: string;
}

interface ViewState {
  theme: Theme;
  /** trail of quantities asked about; the last one is shown */
  why: QuantityId[];
  /** what it was asked of, where that is not the corner looked at */
  whyOf: WhyOf | undefined;
  /** the part of the schematic pointed at */
  part: string | undefined;
  /** waveforms on screen, and whether their balance areas are shaded */
  lanes: readonly string[];
  areas: boolean;
}

const KEY = 'yundro.theme';

function firstTheme(): Theme {
  try {
    const kept = localStorage.getItem(KEY);
    if (kept === 'light' || kept === 'dark') return kept;
  } catch {
    // fall through to what the system prefers
  }
  return globalThis.matchMedia?.('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

/** The waveforms that are on screen at first. */
export const FIRST_LANES: readonly string[] = ['sw', 'sw2', 'il', 'sum', 'co', 'vo', 'ci'];

export const useView = create<ViewState>()(() => ({
  theme: firstTheme(),
  why: [],
  whyOf: undefined,
  part: undefined,
  lanes: FIRST_LANES,
  areas: false,
}));

/** Puts the theme on the document, before anything reads its colours. */
export function applyTheme(theme: Theme): void {
  document.documentElement.dataset['bsTheme'] = theme;
}

export function toggleTheme(): void {
  const theme = useView.getState().theme === 'light' ? 'dark' : 'light';
  applyTheme(theme);
  useView.setState({ theme });
  try {
    localStorage.setItem(KEY, theme);
  } catch {
    // not kept, still shown
  }
}

export function askWhy(id: QuantityId, of?: WhyOf): void {
  useView.setState(({ why, whyOf }) => ({
    why: of === whyOf ? [...why.filter((other) => other !== id), id] : [id],
    whyOf: of,
  }));
}
/** On to a number that the one shown is made of. */
export function followWhy(id: QuantityId): void {
  useView.setState(({ why }) => ({ why: [...why.filter((other) => other !== id), id] }));
}
export function backWhy(): void {
  useView.setState(({ why }) => ({ why: why.slice(0, -1) }));
}
export function closeWhy(): void {
  useView.setState({ why: [], whyOf: undefined });
}

export function toggleLane(id: string): void {
  useView.setState(({ lanes }) => {
    const next = lanes.includes(id) ? lanes.filter((other) => other !== id) : [...lanes, id];
    return { lanes: next.length > 0 ? next : lanes };
  });
}
export function toggleAreas(): void {
  useView.setState(({ areas }) => ({ areas: !areas }));
}
