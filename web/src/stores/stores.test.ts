import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { hold, newDesign, type Choice, type Design, type Result } from '@yundro/core';
import { ApiError, type ReadableDesign } from '../api/client.ts';
import { createAsker, latestOnly, TakesTooLong } from '../workers/solver.ts';
import { CALM, createCalm, IN_HAND } from './calm.ts';
import { createDocument } from './document.ts';
import type { Draft } from './drafts.ts';
import { createSaving, RETRY_DELAY, SAVE_DELAY } from './saving.ts';
import { createSolving, nearestCorner, type Solver } from './solving.ts';

/** A server of designs that several windows share; it can be slow, away, or lose an answer on the way back. */
class FakeServer {
  readonly designs = new Map<string, ReadableDesign>();
  readonly keys = new Map<string, number>();
  saves = 0;
  away = false;
  losesAnswer = false;
  slow: Promise<void> | undefined;

  constructor(...ids: string[]) {
    for (const id of ids) this.put(id, newDesign(id), 1);
  }
  put(id: string, document: Design, version: number): void {
    const updatedAt = new Date(0).toISOString();
    this.designs.set(id, { id, projectId: 'p', name: document.name, version, updatedAt, document });
  }
  private gone(): never {
    throw new ApiError(0, [{ path: '', message: 'the server does not answer', expected: '' }]);
  }
  async load(id: string): Promise<ReadableDesign> {
    const stored = this.designs.get(id)!;
    await this.slow;
    if (this.away) this.gone();
    return stored;
  }
  async save(id: string, version: number, document: Design, key: string): Promise<ReadableDesign> {
    await Promise.resolve();
    if (this.away) this.gone();
    const stored = this.designs.get(id)!;
    const before = this.keys.get(key);
    if (before !== undefined) return { ...stored, version: before };
    if (stored.version !== version)
      throw new ApiError(409, [{ path: 'version', message: 'saved elsewhere', expected: '' }], stored);
    this.put(id, document, version + 1);
    this.keys.set(key, version + 1);
    this.saves += 1;
    if (this.losesAnswer) {
      this.losesAnswer = false;
      this.gone();
    }
    return this.designs.get(id)!;
  }
}

/** A page on the fake server; several share one browser's drafts when given them. */
function page(server: FakeServer, drafts = new Map<string, Draft>(), full = false) {
  const documents = createDocument();
  let keys = 0;
  const owner = Math.random();
  const saving = createSaving(documents, {
    load: (id) => server.load(id),
    save: (id, version, document, key) => server.save(id, version, document, key),
    drafts: {
      read: (id) => drafts.get(id),
      write: (id, draft) => !full && Boolean(drafts.set(id, draft)),
      clear: (id) => drafts.delete(id),
    },
    newKey: () => `${owner}-${(keys += 1)}`,
    now: () => 0,
  });
  const current = () => documents.store.getState();
  return {
    documents,
    saving,
    drafts,
    open: (id: string) => saving.open(id),
    rename: (name: string) => documents.edit((d) => ({ ...d, name })),
    get name() {
      return current().document?.name;
    },
    get version() {
      return current().version;
    },
    get state() {
      return saving.store.getState().save;
    },
  };
}

const settle = (ms = SAVE_DELAY + 10) => jest.advanceTimersByTimeAsync(ms);

beforeEach(() => {
  jest.useFakeTimers();
});
afterEach(() => {
  jest.useRealTimers();
});

describe('the document and its history', () => {
  test('an entry is one step, a drag is one step, and a drag that is cut short still counts', async () => {
    const here = page(new FakeServer('a'));
    await here.open('a');
    const { documents } = here;
    here.rename('one');
    documents.beginScrub();
    for (const f of [1e5, 2e5, 3e5]) documents.edit((d) => hold(d, 'switchingFrequency', f));
    documents.endScrub();
    documents.undo();
    expect(documents.store.getState().document!.decisions).toEqual({});
    documents.undo();
    expect(here.name).toBe('a');
    documents.redo();
    documents.redo();
    expect(documents.store.getState().document!.decisions.switchingFrequency).toBe(3e5);
    // undo in the middle of a drag ends it first
    documents.beginScrub();
    documents.edit((d) => hold(d, 'switchingFrequency', 4e5));
    documents.undo();
    expect(documents.store.getState().document!.decisions.switchingFrequency).toBe(3e5);
    expect(documents.scrubbing).toBeUndefined();
  });

  test('opening another design begins a new history', async () => {
    const here = page(new FakeServer('a', 'b'));
    await here.open('a');
    here.rename('x');
    await here.open('b');
    here.documents.undo();
    expect(here.name).toBe('b');
  });
});

describe('saving', () => {
  test('a change is kept here at once and there a moment later', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    here.rename('mine');
    expect([here.state.kind, here.drafts.get('a')]).toMatchObject([
      'unsaved',
      { version: 1, document: { name: 'mine' } },
    ]);
    await settle();
    expect(here.state.kind).toBe('saved');
    expect([server.designs.get('a')!.document.name, here.version, here.drafts.size]).toEqual(['mine', 2, 0]);
  });

  // a rung left with the marker held unmounted the tape: nothing was drafted or saved ever after
  test('a drag is drafted while it lasts and saved when it ends, however it ends', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    here.documents.beginScrub();
    here.rename('dragged');
    expect(here.drafts.get('a')!.document.name).toBe('dragged');
    await settle();
    expect(server.saves).toBe(0);
    here.documents.endScrub(); // what the tape does as it goes
    await settle();
    expect(server.designs.get('a')!.document.name).toBe('dragged');
    here.rename('later');
    await settle();
    expect(server.designs.get('a')!.document.name).toBe('later');
  });

  test('a reload while a conflict is open asks again and overwrites nothing', async () => {
    const server = new FakeServer('a');
    const drafts = new Map<string, Draft>();
    const here = page(server, drafts);
    await here.open('a');
    server.put('a', newDesign('theirs'), 2);
    here.rename('mine');
    await settle();
    expect(here.state.kind).toBe('conflict');
    for (let reload = 0; reload < 2; reload += 1) {
      const again = page(server, drafts);
      await again.open('a');
      await settle(5000);
      expect([again.state.kind, again.name, server.designs.get('a')!.document.name]).toEqual([
        'conflict',
        'mine',
        'theirs',
      ]);
      again.rename(`mine ${reload}`); // also what is done behind the question is kept, and sends nothing
      await settle(5000);
      expect(server.designs.get('a')!.document.name).toBe('theirs');
      expect(drafts.get('a')).toMatchObject({ version: 1 });
      again.rename('mine');
    }
    const last = page(server, drafts);
    await last.open('a');
    last.saving.resolve('mine');
    await settle();
    expect([server.designs.get('a')!.document.name, server.designs.get('a')!.version]).toEqual(['mine', 3]);
  });

  test('their state is taken at wish, and can be undone', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    server.put('a', newDesign('theirs'), 2);
    here.rename('mine');
    await settle();
    here.saving.resolve('theirs');
    expect([here.name, here.version, here.drafts.size]).toEqual(['theirs', 2, 0]);
    here.documents.undo();
    await settle();
    expect(server.designs.get('a')!.document.name).toBe('mine');
  });

  test('a conflict of two that are alike is none', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    here.rename('same');
    server.put('a', { ...newDesign('a'), name: 'same' }, 2);
    await settle();
    expect([here.state.kind, here.version]).toEqual(['saved', 2]);
  });

  test('opening another design sends what is open, and a slow answer does not replace what was opened after it', async () => {
    const server = new FakeServer('a', 'b', 'c');
    const here = page(server);
    await here.open('a');
    here.rename('changed');
    let go = (): void => undefined;
    server.slow = new Promise((resolve) => (go = resolve));
    const slow = here.open('b');
    server.slow = undefined;
    await here.open('c');
    go();
    await slow;
    expect(here.documents.store.getState().id).toBe('c');
    expect(server.designs.get('a')!.document.name).toBe('changed');
    expect(here.drafts.size).toBe(0);
  });

  test('away: kept here, tried again, found again after a reload', async () => {
    const server = new FakeServer('a', 'b');
    const drafts = new Map<string, Draft>();
    const here = page(server, drafts);
    await here.open('a');
    server.away = true;
    here.rename('mine');
    await settle();
    expect(here.state.kind).toBe('away');
    server.away = false;
    const reloaded = page(server, drafts);
    await reloaded.open('a');
    expect(reloaded.name).toBe('mine');
    await settle(RETRY_DELAY + 10);
    expect([here.state.kind, reloaded.state.kind]).toEqual(['saved', 'saved']);
    expect([server.designs.get('a')!.document.name, drafts.size]).toEqual(['mine', 0]);
  });

  test('a browser that keeps no draft says so while the server is away, and leaving then loses something', async () => {
    const server = new FakeServer('a');
    const here = page(server, new Map(), true);
    await here.open('a');
    expect(here.saving.atRisk()).toBe(false);
    server.away = true;
    here.rename('mine');
    await settle();
    expect([here.state, here.saving.atRisk()]).toMatchObject([{ kind: 'away', drafted: false }, true]);
    server.away = false;
    await settle(RETRY_DELAY + 10);
    expect([here.state.kind, here.saving.atRisk()]).toEqual(['saved', false]);
    const roomy = page(server);
    await roomy.open('a');
    server.away = true;
    roomy.rename('another');
    await settle();
    expect([roomy.state, roomy.saving.atRisk()]).toMatchObject([{ kind: 'away', drafted: true }, false]);
  });

  test('an entry that says what stands already makes no revision', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    const { version } = server.designs.get('a')!;
    here.documents.edit((d) => ({ ...d, name: d.name }));
    await settle();
    expect([here.state.kind, server.designs.get('a')!.version, here.drafts.size]).toEqual(['saved', version, 0]);
  });

  test('a save whose answer was lost is sent again as the same one, and meets no conflict with itself', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    server.losesAnswer = true;
    here.rename('mine');
    await settle();
    expect(here.state.kind).toBe('away');
    await settle(RETRY_DELAY + 10);
    expect([here.state.kind, here.version, server.saves]).toEqual(['saved', 2, 1]);
  });

  test('another window: its save is shown where nothing is held here, asked about where something is', async () => {
    const server = new FakeServer('a');
    const [here, there] = [page(server), page(server)];
    await here.open('a');
    await there.open('a');
    there.rename('theirs');
    await settle();
    await here.saving.look(2);
    expect([here.name, here.version, here.state]).toMatchObject(['theirs', 2, { kind: 'saved', elsewhere: true }]);
    here.rename('mine');
    there.rename('theirs again');
    await there.saving.saveNow();
    await here.saving.look();
    expect([here.name, here.state.kind]).toEqual(['mine', 'conflict']);
  });

  test('undone back to what is kept, it says so, and sends nothing', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    here.rename('passing');
    here.documents.undo();
    await settle();
    expect([here.state.kind, server.saves, here.drafts.size]).toEqual(['saved', 0, 0]);
  });

  test('what the server refuses is said and not tried for ever', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    await here.open('a');
    server.save = () =>
      Promise.reject(new ApiError(400, [{ path: 'document.name', message: 'is long', expected: '' }]));
    here.rename('x');
    await settle(60_000);
    expect(here.state).toEqual({ kind: 'refused', message: 'document.name: is long' });
  });
});

describe('solving', () => {
  const answer = (name: string) => ({
    result: { verdict: name } as unknown as Result,
    figures: [],
  });
  const seen = {
    decisions: undefined,
    decided: [],
    point: undefined,
    drawn: {},
    waveforms: undefined,
    balance: undefined,
  };
  const on = (design: Design): Choice => ({ design, chosen: [], decided: [], anew: [] });
  const view = (design: Design) => Promise.resolve({ ...seen, choice: on(design) });
  const noTape = { low: 1, high: 2, stretches: [] };

  test('the newest state is solved; a failure is said beside the figures before it, and passes', async () => {
    const server = new FakeServer('a');
    const here = page(server);
    let fail = false;
    const solver: Solver = {
      view,
      solve: (d) => (fail ? Promise.reject(new Error('boom')) : Promise.resolve(answer(d.given.name))),
      tape: () => Promise.resolve(noTape),
    };
    const solving = createSolving(here.documents, solver);
    await here.open('a');
    await settle(0);
    const state = () => solving.store.getState();
    expect([state().result!.verdict, state().corner]).toEqual(['a', { inputVoltage: 12, outputCurrent: 3 }]);
    fail = true;
    here.rename('b');
    await settle(0);
    expect(state().result!.verdict).toBe('a');
    expect(state().trouble).toMatch(/failed at this design; the figures are those before/u);
    fail = false;
    here.rename('c');
    await settle(0);
    expect([state().result!.verdict, state().trouble]).toEqual(['c', undefined]);
  });

  test('a worker that gives no answer within its time is ended, said, and started anew', async () => {
    let started = 0;
    let ended = 0;
    const never = new Promise<never>(() => undefined);
    const asker = createAsker(() => {
      started += 1;
      return { answers: {} as never, end: () => (ended += 1) };
    }, 15);
    const asked = asker.ask(() => never);
    const outcome = expect(asked).rejects.toBeInstanceOf(TakesTooLong);
    await settle(15_001);
    await outcome;
    await expect(asker.ask(() => Promise.resolve(1))).resolves.toBe(1);
    expect([started, ended]).toEqual([2, 1]);
    const here = page(new FakeServer('a'));
    const solving = createSolving(here.documents, {
      view,
      solve: () => Promise.reject(new TakesTooLong(15)),
      tape: () => Promise.resolve(noTape),
    });
    await here.open('a');
    await settle(0);
    expect(solving.store.getState().trouble).toMatch(/more work than 15 s/u);
  });

  test('a corner that the brief no longer has gives way to the nominal one', () => {
    const design = newDesign('x');
    const corner = { inputVoltage: 13.2, outputCurrent: 0.2 };
    expect(nearestCorner(design, corner)).toBe(corner);
    expect(nearestCorner(design, { inputVoltage: 99, outputCurrent: 1 })).toEqual({
      inputVoltage: 12,
      outputCurrent: 3,
    });
  });

  test('what takes longer follows a moment after the last change, in the hand later, and soon when let go of', async () => {
    const here = page(new FakeServer('a'));
    const { documents } = here;
    const seen: string[] = [];
    // what it stands on is known at once
    const inForce = () => {
      const { document } = documents.store.getState();
      return document && { given: document, choice: on(document) };
    };
    const end = createCalm(documents, { inForce, subscribe: () => () => undefined })({
      moved: () => seen.push('moved'),
      rested: ({
        given: {
          name,
          decisions: { switchingFrequency: f },
        },
      }) => seen.push(`${name} ${f}`),
    });
    const taken = () => seen.splice(0);
    await here.open('a');
    await settle(CALM + 1);
    expect(taken()).toEqual(['moved', 'a undefined']);
    here.rename('b');
    await settle(CALM - 10);
    here.rename('c');
    await settle(CALM - 10);
    expect(taken()).toEqual(['moved', 'moved']);
    await settle(20);
    expect(taken()).toEqual(['c undefined']);
    documents.beginScrub();
    documents.edit((d) => hold(d, 'switchingFrequency', 1e5));
    await settle(IN_HAND - 10);
    expect(taken()).toEqual(['moved']);
    documents.edit((d) => hold(d, 'switchingFrequency', 2e5));
    await settle(IN_HAND + 1);
    expect(taken()).toEqual(['moved', 'c 200000']);
    documents.edit((d) => hold(d, 'switchingFrequency', 3e5));
    documents.endScrub();
    await settle(CALM + 1);
    expect(taken()).toEqual(['moved', 'c 300000']);
    // nothing moved: nothing follows again
    documents.beginScrub();
    documents.endScrub();
    await settle(IN_HAND);
    here.rename('d');
    end();
    await settle(IN_HAND);
    expect(taken()).toEqual(['moved']);
  });

  test('while a value moves the parts stay; let go of, they are chosen anew, and what rests on them follows once', async () => {
    const here = page(new FakeServer('a'));
    const { documents } = here;
    const asked: string[] = [];
    let chosen = 0;
    const solver: Solver = {
      view: (design, _corner, standing) => {
        asked.push(standing ? 'stays' : 'chosen');
        const choice = standing ?? { ...on({ ...design, notes: String((chosen += 1)) }) };
        return Promise.resolve({ ...seen, choice });
      },
      solve: ({ choice }) => Promise.resolve(answer(choice.design.notes ?? '')),
      tape: () => Promise.resolve(noTape),
    };
    const solving = createSolving(documents, solver);
    const rested: string[] = [];
    const end = solving.followCalmly({
      moved: () => rested.push('moved'),
      rested: ({ choice }) => rested.push(choice.design.notes ?? ''),
    });
    await here.open('a');
    await settle(CALM + 1);
    expect([asked.splice(0), rested.splice(0)]).toEqual([['chosen'], ['moved', '1']]);
    documents.beginScrub();
    for (const f of [1e5, 2e5, 3e5]) {
      documents.edit((d) => hold(d, 'switchingFrequency', f));
      await settle(1);
    }
    expect(asked.splice(0)).toEqual(['stays', 'stays', 'stays']);
    await settle(IN_HAND + 1);
    expect(rested.splice(0)).toEqual(['moved', 'moved', 'moved', '1']);
    documents.endScrub();
    await settle(CALM + 1);
    expect([asked.splice(0), rested.splice(0)]).toEqual([['chosen'], ['moved', '2']]);
    // another corner of the same design stands on the same parts
    solving.pickCorner({ inputVoltage: 13.2, outputCurrent: 0.2 });
    await settle(CALM + 1);
    expect([asked.splice(0), rested]).toEqual([['stays'], []]);
    end();
  });

  test('a job that fails makes room for the next', async () => {
    const seen: unknown[] = [];
    const ask = latestOnly(
      (n: number) => (n === 1 ? Promise.reject(new Error('first')) : Promise.resolve(n)),
      (n) => seen.push(n),
      (error) => seen.push((error as Error).message),
    );
    ask(1);
    ask(2);
    await settle(0);
    expect(seen).toEqual(['first', 2]);
  });
});
