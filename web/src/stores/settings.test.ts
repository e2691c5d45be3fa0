import { describe, expect, test } from '@jest/globals';
import { create } from 'zustand';
import { createSettings, type Keeping } from './settings.ts';

interface Set {
  inputs: string;
  capture: number[] | undefined;
}
const initial: Set = { inputs: 'nominal', capture: undefined };
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** A page on a browser's database, and the design that it has open. */
function page(kept: Map<string, unknown>, broken = false) {
  const fail = (): Promise<never> => Promise.reject(new Error('forbidden'));
  const keeping: Keeping = {
    read: (key) => (broken ? fail() : Promise.resolve(kept.get(key))),
    write: (key, value) => (broken ? fail() : Promise.resolve(void kept.set(key, value))),
    forget: (key) => (broken ? fail() : Promise.resolve(void kept.delete(key))),
  };
  const opened = create<{ id: string | undefined }>()(() => ({ id: undefined }));
  const store = createSettings<Set>('rung', initial, ['capture'], opened, keeping);
  return {
    set: store.setState,
    get: store.getState,
    open: async (id: string | undefined) => {
      opened.setState({ id });
      await settle();
    },
  };
}

describe('what a rung is set to', () => {
  test('belongs to the design that is open, and comes back with it', async () => {
    const here = page(new Map());
    await here.open('a');
    here.set({ inputs: 'all', capture: [1, 2] });
    await here.open('b');
    expect(here.get()).toEqual(initial);
    here.set({ inputs: 'max' });
    await here.open('a');
    expect(here.get()).toEqual({ inputs: 'all', capture: [1, 2] });
    await here.open('b');
    expect(here.get()).toEqual({ inputs: 'max', capture: undefined });
  });

  test('what was brought in is there again after a reload, what was put away is not', async () => {
    const kept = new Map<string, unknown>();
    const here = page(kept);
    await here.open('a');
    here.set({ inputs: 'all', capture: [3] });
    const reloaded = page(kept);
    await reloaded.open('b');
    expect(reloaded.get()).toEqual(initial);
    await reloaded.open('a');
    expect(reloaded.get()).toEqual({ inputs: 'nominal', capture: [3] });
    reloaded.set({ capture: undefined });
    expect(kept.size).toBe(0);
  });

  test('what comes from the browser late overwrites neither another design nor what was brought in meanwhile', async () => {
    const kept = new Map<string, unknown>([['rung a', { capture: [1] }]]);
    const one = page(kept);
    void one.open('a');
    await one.open('b');
    expect(one.get().capture).toBeUndefined();
    const two = page(kept);
    void two.open('a');
    two.set({ capture: [9] });
    await settle();
    expect(two.get().capture).toEqual([9]);
  });

  test('where the browser keeps nothing the page still does', async () => {
    const here = page(new Map(), true);
    await here.open('a');
    here.set({ capture: [4] });
    await here.open('b');
    await here.open('a');
    expect(here.get().capture).toEqual([4]);
  });
});
