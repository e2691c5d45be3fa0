import { del, get, set } from 'idb-keyval';
import { create, type StoreApi, type UseBoundStore } from 'zustand';

/** What keeps values for a reload. */
export interface Keeping {
  read: (key: string) => Promise<unknown>;
  write: (key: string, value: unknown) => Promise<void>;
  forget: (key: string) => Promise<void>;
}

/** The browser's own database; where it is forbidden or full the open page still holds everything. */
const browser: Keeping = {
  read: (key) => get<unknown>(key),
  write: async (key, value) => set(key, value),
  forget: async (key) => del(key),
};
const nobody = (): void => undefined;

/** Which design is open, and what tells when that changes. */
export type Opened = Pick<StoreApi<{ id: string | undefined }>, 'getState' | 'subscribe'>;

/**
 * What a rung is set to, for the design that is open: another design has its own, and the first comes back as it was
 * left. What `kept` names, measurements that were brought in, is there again after a reload.
 */
export function createSettings<T extends object>(
  name: string,
  initial: T,
  kept: readonly (keyof T)[],
  opened: Opened,
  keeping: Keeping = browser,
): UseBoundStore<StoreApi<T>> {
  const store = create<T>()(() => initial);
  const left = new Map<string, T>();
  let open: string | undefined;
  let fresh = false;
  const keyOf = (id: string): string => `${name} ${id}`;
  const isBare = (state: T): boolean => kept.every((field) => state[field] === initial[field]);

  const follow = ({ id }: { id: string | undefined }): void => {
    if (id === open) return;
    if (open !== undefined) left.set(open, store.getState());
    open = id;
    fresh = true;
    store.setState((id !== undefined && left.get(id)) || initial, true);
    fresh = false;
    if (id === undefined || left.has(id)) return;
    keeping.read(keyOf(id)).then((found) => {
      // what was brought in meanwhile is newer
      if (open === id && found && isBare(store.getState())) store.setState(found as Partial<T>);
    }, nobody);
  };
  opened.subscribe(follow);
  follow(opened.getState());

  store.subscribe((state, before) => {
    if (fresh || open === undefined || kept.every((field) => state[field] === before[field])) return;
    const done = isBare(state)
      ? keeping.forget(keyOf(open))
      : keeping.write(keyOf(open), Object.fromEntries(kept.map((field) => [field, state[field]])));
    done.catch(nobody);
  });
  return store;
}
