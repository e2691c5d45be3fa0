import { memo, Suspense, useEffect, useRef, useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Link, NavLink, useLocation, useNavigate, useParams } from 'react-router';
import { useQuery } from '@tanstack/react-query';
import { api, ApiError } from '../api/client.ts';
import { ErrorBoundary } from '../app/ErrorBoundary.tsx';
import { Header } from '../app/Header.tsx';
import { Notices } from '../app/Notices.tsx';
import { patiently } from '../app/patiently.ts';
import type { Verdict } from '@yundro/core';
import { MarginRail } from '../margins/MarginRail.tsx';
import { Mark } from '../margins/Mark.tsx';
import { stateOfRung } from '../margins/order.ts';
import { useJudging, useVerdicts } from '../margins/verdicts.ts';
import { RUNGS } from '../rungs/ladder.ts';
import type { Rung } from '../rungs/rung.ts';
import {
  followOthers,
  openDesign,
  redo,
  undo,
  useDocument,
  useSaving,
  useSolved,
  warnBeforeLeaving,
} from '../stores/designStore.ts';
import { useView } from '../stores/viewStore.ts';
import { useAddress } from './address.ts';
import { ConflictDialog } from './ConflictDialog.tsx';
import { LeaveDialog } from './LeaveDialog.tsx';
import { FileButtons } from './FileButtons.tsx';
import { SaveIndicator } from './SaveIndicator.tsx';
import { useKeptScroll } from './useKeptScroll.ts';
import css from './workspace.module.css';
import page from '../app/page.module.css';

const WhySheet = patiently(() => import('../why/WhySheet.tsx'));

/** Single keys act on tapes too, which count as form fields by their role, but never where text is typed. */
const ON_TAPES = { enableOnFormTags: ['slider' as const] };
/** Undo of the design; a text that is being typed keeps its own, a choice from a list has none. */
const UNDO = { preventDefault: true, enableOnFormTags: ['slider' as const, 'select' as const] };

/** The workspace of one design: ladder, rung, margins. */
export function DesignPage() {
  const { designId = '', rung: rungId = 'stage' } = useParams();
  const [trouble, setTrouble] = useState<string>();
  useJudging();
  // what changes with every move of a value is read further down, so that this page stays still
  const name = useDocument((state) => (state.id === designId ? state.document?.name : undefined));
  const projectId = useDocument((state) => state.projectId);
  const asking = useView((state) => state.why.length > 0);
  const navigate = useNavigate();
  const project = useQuery({
    queryKey: ['project', projectId],
    queryFn: () => api.project(projectId!),
    enabled: projectId !== undefined,
  });

  useEffect(() => {
    let again: ReturnType<typeof setTimeout> | undefined;
    const open = (): void => {
      openDesign(designId).then(
        () => setTrouble(undefined),
        (error: unknown) => {
          setTrouble(error instanceof ApiError ? error.message : 'the design could not be opened');
          if (error instanceof ApiError && error.away) again = setTimeout(open, 2000);
        },
      );
    };
    open();
    const unfollow = followOthers(designId);
    const unwarn = warnBeforeLeaving();
    return () => {
      clearTimeout(again);
      unfollow();
      unwarn();
    };
  }, [designId]);
  useAddress(designId, name !== undefined);
  useEffect(() => {
    document.title = `${name ?? 'Design'} · Yundro`;
  }, [name]);
  // while a question is open, nothing acts behind it
  const enabled = !useSaving((state) => state.save.kind === 'conflict');
  const stopped = useSolved((state) => state.trouble);

  useHotkeys('mod+z', undo, { ...UNDO, enabled });
  useHotkeys('mod+shift+z, mod+y', redo, { ...UNDO, enabled });
  useHotkeys(
    'h',
    () => {
      const row = document.activeElement?.closest('[data-decision]');
      row?.querySelector<HTMLButtonElement>('[data-hold]')?.click();
    },
    { ...ON_TAPES, enabled },
  );
  /** Another rung, with the view as it is. */
  const climb = (to: string): void =>
    void navigate({ pathname: `/designs/${designId}/${to}`, search: window.location.search });
  useHotkeys(
    RUNGS.map(({ key }) => key),
    (event) => {
      const to = RUNGS.find(({ key }) => key === event.key.toLowerCase());
      if (to) climb(to.id);
    },
    { ...ON_TAPES, enabled },
  );

  const rung = RUNGS.find((r) => r.id === rungId);
  const main = useRef<HTMLElement>(null);
  useKeptScroll(main, `${designId}/${rungId}`);
  return (
    <div className={css['workspace']}>
      <Header>
        <span className={page['crumb']}>
          {projectId === undefined ? null : (
            <Link to={`/projects/${projectId}`}>{project.data?.name ?? 'Project'}</Link>
          )}{' '}
          / <strong>{name ?? '…'}</strong>
        </span>
        {name === undefined ? null : <FileButtons />}
        {name === undefined ? null : (
          <Link to={`/designs/${designId}/revisions`} className="btn btn-sm btn-link">
            Revisions
          </Link>
        )}
        {name === undefined ? null : <SaveIndicator />}
      </Header>
      <ErrorBoundary of="The ladder">
        <Ladder designId={designId} />
      </ErrorBoundary>
      <main ref={main}>
        {rung === undefined ? (
          <p>There is no such rung.</p>
        ) : trouble !== undefined && name === undefined ? (
          <p role="alert">This design cannot be shown: {trouble}.</p>
        ) : name === undefined ? (
          <p className="text-body-secondary">Opening…</p>
        ) : (
          <>
            <h1 className="visually-hidden">
              {name}, {rung.name}
            </h1>
            {stopped === undefined ? null : <Notices role="alert">{stopped}</Notices>}
            <ErrorBoundary key={rung.id} of={`The ${rung.name} rung`}>
              <Suspense fallback={<p className="text-body-secondary">Opening…</p>}>
                <Screen rung={rung} />
              </Suspense>
            </ErrorBoundary>
          </>
        )}
      </main>
      <ErrorBoundary of="The margins">
        <MarginRail key={designId} />
      </ErrorBoundary>
      {asking ? (
        <ErrorBoundary of="The sheet">
          <Suspense fallback={null}>
            <WhySheet />
          </Suspense>
        </ErrorBoundary>
      ) : null}
      <ConflictDialog />
      <LeaveDialog />
    </div>
  );
}

/** A rung's screen, still while nothing it reads changes. */
const Screen = memo(function Screen({ rung }: { rung: Rung }) {
  return <rung.screen />;
});

/** A rung's state by itself: while a value moves, the links round it stand still. */
function Summary({ designId, rung }: { designId: string; rung: Rung }) {
  const document = useDocument((state) => (state.id === designId ? state.document : undefined));
  const judged = useVerdicts((state) => state.targets);
  const words = useSolved((state) => (document ? rung.summary(document, state.result, judged) : ''));
  return <small className="font-monospace">{words}</small>;
}

/** The worst that stands on a rung, by its mark and in words; nothing where nothing is asked of it. */
function RungState({ rung }: { rung: Rung }) {
  const words = useVerdicts(({ targets }) => stateOfRung(rung.id, targets));
  if (words === undefined) return null;
  const [verdict, text] = words.split('|') as [Verdict, string];
  return (
    <span className={css['rung-state']} data-verdict={verdict} data-testid={`rung-${rung.id}`}>
      <Mark verdict={verdict} /> {text}
    </span>
  );
}

/** The order of work, each rung with its state in a few figures. */
function Ladder({ designId }: { designId: string }) {
  const { search } = useLocation();
  return (
    <nav className={css['ladder']} aria-label="Ladder of work">
      <ol>
        {RUNGS.map((r) => (
          <li key={r.id}>
            <NavLink to={{ pathname: `/designs/${designId}/${r.id}`, search }}>
              {r.name} <RungState rung={r} />
              <Summary designId={designId} rung={r} />
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}
