import { lazy, memo, Suspense, useEffect, useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Link, NavLink, useNavigate, useParams } from 'react-router';
import { useQuery } from '@tanstack/react-query';
import { api, ApiError } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { MarginRail } from '../margins/MarginRail.tsx';
import { LaterRung } from '../rungs/LaterRung.tsx';
import { RUNGS } from '../rungs/rungs.ts';
import { openDesign, redo, undo, useDesign } from '../stores/designStore.ts';
import { useView } from '../stores/viewStore.ts';
import { ConflictDialog } from './ConflictDialog.tsx';
import { FileButtons } from './FileButtons.tsx';
import { SaveIndicator } from './SaveIndicator.tsx';

const BriefRung = lazy(() => import('../rungs/BriefRung.tsx'));
const StageRung = lazy(() => import('../rungs/StageRung.tsx'));
const TopologyRung = lazy(() => import('../rungs/TopologyRung.tsx'));
const StillBrief = memo(BriefRung);
const StillStage = memo(StageRung);
const StillTopology = memo(TopologyRung);
const WhySheet = lazy(() => import('../why/WhySheet.tsx'));

/** Single keys act on tapes too, which count as form fields by their role, but never where text is typed. */
const ON_TAPES = { enableOnFormTags: ['slider' as const] };
const EVERYWHERE = { preventDefault: true, enableOnFormTags: true };

/** The workspace of one design: ladder, rung, margins. */
export function DesignPage() {
  const { designId = '', rung: rungId = 'stage' } = useParams();
  const [trouble, setTrouble] = useState<string>();
  // what changes with every move of a value is read further down, so that this page stays still
  const name = useDesign((state) => (state.id === designId ? state.document?.name : undefined));
  const projectId = useDesign((state) => state.projectId);
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
    return () => clearTimeout(again);
  }, [designId]);

  useHotkeys('mod+z', undo, EVERYWHERE);
  useHotkeys('mod+shift+z, mod+y', redo, EVERYWHERE);
  useHotkeys(
    'h',
    () => {
      const row = document.activeElement?.closest('[data-decision]');
      row?.querySelector<HTMLButtonElement>('.hold')?.click();
    },
    ON_TAPES,
  );
  useHotkeys('b', () => void navigate(`/designs/${designId}/brief`), ON_TAPES);
  useHotkeys('t', () => void navigate(`/designs/${designId}/topology`), ON_TAPES);
  useHotkeys('s', () => void navigate(`/designs/${designId}/stage`), ON_TAPES);

  const rung = RUNGS.find((r) => r.id === rungId);
  return (
    <div className="workspace">
      <Header>
        <span className="crumb">
          {projectId === undefined ? null : (
            <Link to={`/projects/${projectId}`}>{project.data?.name ?? 'Project'}</Link>
          )}{' '}
          / <strong>{name ?? '…'}</strong>
        </span>
        {name === undefined ? null : <FileButtons />}
        {name === undefined ? null : <SaveIndicator />}
      </Header>
      <Ladder designId={designId} />
      <main>
        {rung === undefined ? (
          <p>There is no such rung.</p>
        ) : trouble !== undefined && name === undefined ? (
          <p role="alert" className="trouble">
            This design cannot be shown: {trouble}.
          </p>
        ) : name === undefined ? (
          <p className="soft">Opening…</p>
        ) : (
          <>
            <h1 className="visually-hidden">
              {name}, {rung.name}
            </h1>
            <Suspense fallback={<p className="soft">Opening…</p>}>
              {rung.id === 'brief' ? (
                <StillBrief />
              ) : rung.id === 'topology' ? (
                <StillTopology />
              ) : rung.id === 'stage' ? (
                <StillStage />
              ) : (
                <LaterRung rung={rung} />
              )}
            </Suspense>
          </>
        )}
      </main>
      <MarginRail />
      {asking ? (
        <Suspense fallback={null}>
          <WhySheet />
        </Suspense>
      ) : null}
      <ConflictDialog />
    </div>
  );
}

/** The order of work, each rung with its state in a few figures. */
function Ladder({ designId }: { designId: string }) {
  const document = useDesign((state) => (state.id === designId ? state.document : undefined));
  const result = useDesign((state) => state.result);
  return (
    <nav className="ladder" aria-label="Ladder of work">
      <ol>
        {RUNGS.map((r) => (
          <li key={r.id} className={r.ready ? 'ready' : 'later'}>
            <NavLink to={`/designs/${designId}/${r.id}`}>
              {r.name}
              <small className="mono">{document ? r.summary(document, result) : ''}</small>
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}
