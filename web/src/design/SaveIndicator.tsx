import { useEffect, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { redo, saveNow, undo, useDocument, useSaving } from '../stores/designStore.ts';
import css from './workspace.module.css';

/** Whether what is on screen is kept, said honestly; and the way back and forth. */
export function SaveIndicator() {
  const save = useSaving((state) => state.save);
  const past = useStore(useDocument.temporal, (state) => state.pastStates.length);
  const future = useStore(useDocument.temporal, (state) => state.futureStates.length);
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
        <Button size="sm" variant="link" onClick={undo} disabled={past === 0} title="Undo (Ctrl Z)">
          Undo
        </Button>
        <Button size="sm" variant="link" onClick={redo} disabled={future === 0} title="Redo (Ctrl Shift Z)">
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

function ago(milliseconds: number): string {
  const seconds = Math.max(0, Math.round(milliseconds / 1000));
  if (seconds < 5) return 'just now';
  if (seconds < 90) return `${seconds} s ago`;
  const minutes = Math.round(seconds / 60);
  return minutes < 90
    ? `${minutes} min ago`
    : minutes < 2880
      ? `${Math.round(minutes / 60)} h ago`
      : `${Math.round(minutes / 1440)} days ago`;
}
