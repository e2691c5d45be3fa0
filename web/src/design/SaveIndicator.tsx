import { useEffect, useMemo, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { describeChanges, type Design } from '@yundro/core';
import { redo, saveNow, undo, useDocument, useSaving } from '../stores/designStore.ts';
import { ago } from '../app/ago.ts';
import css from './workspace.module.css';

/** Whether what is on screen is kept, said honestly; and the way back and forth. */
export function SaveIndicator() {
  const save = useSaving((state) => state.save);
  const document = useDocument((state) => state.document);
  const past = useStore(useDocument.temporal, (state) => state.pastStates);
  const future = useStore(useDocument.temporal, (state) => state.futureStates);
  const back = useMemo(() => entryBetween(past.at(-1)?.document, document), [past, document]);
  const forth = useMemo(() => entryBetween(document, future.at(-1)?.document), [future, document]);
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 5000);
    return () => clearInterval(timer);
  }, []);
  const words = (): string => {
    switch (save.kind) {
      case 'saved':
        return save.elsewhere ? `shows what another window saved ${ago(now - save.at)}` : `saved ${ago(now - save.at)}`;
      case 'unsaved':
      case 'saving':
        return 'saving…';
      case 'away':
        return save.drafted
          ? 'not saved: the server is away; kept here, trying again'
          : 'not saved: the server is away, and this browser has no room to keep it. Leave this window open, or export the design';
      case 'refused':
        return `not saved: ${save.message}`;
      case 'conflict':
        return 'not saved: changed elsewhere';
    }
  };
  return (
    <>
      <span className={css['steps']}>
        <Button size="sm" variant="link" onClick={undo} disabled={past.length === 0} title={`Undo${back} (Ctrl Z)`}>
          Undo
        </Button>
        <Button
          size="sm"
          variant="link"
          onClick={redo}
          disabled={future.length === 0}
          title={`Redo${forth} (Ctrl Shift Z)`}
        >
          Redo
        </Button>
      </span>
      <span className={css['save']} data-save={save.kind} data-testid="save" role="status">
        {words()}
        {save.kind === 'away' ? (
          <Button size="sm" variant="link" onClick={() => void saveNow()}>
            now
          </Button>
        ) : null}
      </span>
    </>
  );
}

/** What changed between two states, by name: what a step back or forth is about. */
function entryBetween(before: Design | undefined, after: Design | undefined): string {
  if (!before || !after) return '';
  const names = [...new Set(describeChanges(before, after).map(({ name }) => name))];
  return names.length === 0 ? '' : `: ${names.slice(0, 2).join(', ')}${names.length > 2 ? ' and more' : ''}`;
}
