import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import Button from 'react-bootstrap/Button';
import ListGroup from 'react-bootstrap/ListGroup';
import { Link, useNavigate, useParams } from 'react-router';
import { describeChanges, type Change, type Design } from '@yundro/core';
import { api, readable, type Revision } from '../api/client.ts';
import { DataTable } from '../app/DataTable.tsx';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import { say } from '../app/undoToast.tsx';
import { LineForm } from '../fields/LineForm.tsx';
import { backgroundSolver } from '../workers/solver.ts';
import css from './revisions.module.css';
import page from '../app/page.module.css';

const time = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' });
const FEW = 3;

/** Every kept state of a design: when, what changed in words, looked at, held against now, and restored. */
export function RevisionsPage() {
  const { designId = '' } = useParams();
  const client = useQueryClient();
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<number>();
  const list = useInfiniteQuery({
    queryKey: ['revisions', designId],
    queryFn: ({ pageParam }: { pageParam: number | undefined }) => api.revisions(designId, pageParam),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: ({ revisions, more }) => (more ? revisions.at(-1)?.version : undefined),
  });
  const all = list.data?.pages.flatMap(({ revisions }) => revisions) ?? [];
  const newest = all[0];
  const shown = all.find(({ version }) => version === chosen);
  const before = shown && all[all.indexOf(shown) + 1];
  useEffect(() => {
    document.title = 'Revisions · Yundro';
  }, []);

  const restore = useMutation({
    mutationFn: async (revision: Revision) => {
      const now = readable(await api.design(designId));
      return api.save(designId, now.version, revision.document!, crypto.randomUUID());
    },
    onSuccess: (saved, revision) => {
      void client.invalidateQueries({ queryKey: ['revisions', designId] });
      say(`Version ${revision.version} stands again, as version ${saved.version}.`);
      void navigate(`/designs/${designId}/stage`);
    },
  });

  return (
    <div className={page['plain']}>
      <Header>
        <span className={page['crumb']}>
          <Link to={`/designs/${designId}/stage`}>{newest?.document?.name ?? 'Design'}</Link> /{' '}
          <strong>revisions</strong>
        </span>
      </Header>
      <main>
        <h1>Revisions</h1>
        <p className={`text-body-secondary ${page['lead-in']}`}>
          Every save is kept for an hour, then the last of ten minutes for a day, of an hour for thirty days, of a day
          after that. The first, the newest and those you name stay.
        </p>
        {list.error ? <Trouble error={list.error} retry={() => void list.refetch()} /> : null}
        {restore.error ? <Trouble error={restore.error} /> : null}
        <div className={css['revision-columns']}>
          <ListGroup aria-label="Revisions, the newest first">
            {all.map((revision, at) => (
              <ListGroup.Item
                key={revision.version}
                action
                active={revision.version === chosen}
                onClick={() => setChosen(revision.version)}
              >
                <strong>{revision.label ?? `Version ${revision.version}`}</strong>{' '}
                <span className="text-body-secondary">
                  {revision.label === null ? '' : `version ${revision.version}, `}
                  {time.format(new Date(revision.createdAt))}
                  {at === 0 ? ', the one that stands' : ''}
                </span>
                <small className="d-block">{summary(all[at + 1], revision, list.hasNextPage)}</small>
              </ListGroup.Item>
            ))}
            {list.hasNextPage ? (
              <Button variant="outline-secondary" size="sm" onClick={() => void list.fetchNextPage()}>
                Older ones
              </Button>
            ) : null}
          </ListGroup>
          {shown ? (
            <section aria-label={`Version ${shown.version}`}>
              <LabelField key={shown.version} designId={designId} revision={shown} />
              {shown.document ? (
                <>
                  <h2>Against the one that stands</h2>
                  <Changes
                    changes={newest?.document ? describeChanges(shown.document, newest.document) : []}
                    from={`version ${shown.version}`}
                    to="now"
                  />
                  {newest?.document && newest !== shown ? (
                    <Results from={shown.document} to={newest.document} version={shown.version} />
                  ) : null}
                  {before?.document ? (
                    <>
                      <h2>What it changed</h2>
                      <Changes
                        changes={describeChanges(before.document, shown.document)}
                        from={`version ${before.version}`}
                        to={`version ${shown.version}`}
                      />
                    </>
                  ) : null}
                  <Button
                    variant="dark"
                    disabled={shown === newest || restore.isPending}
                    onClick={() => restore.mutate(shown)}
                  >
                    Restore as a new revision
                  </Button>
                </>
              ) : (
                <Alert variant="warning">
                  This revision does not fit this release:{' '}
                  {shown.unreadable?.map((fault) => `${fault.path} ${fault.message}`).join('; ')}. It is kept as it is.
                </Alert>
              )}
            </section>
          ) : (
            <p className="text-body-secondary">Choose one to see what it holds against the one that stands.</p>
          )}
        </div>
      </main>
    </div>
  );
}

/** What a revision changed, in a line. */
function summary(before: Revision | undefined, revision: Revision, more: boolean): string {
  if (!revision.document) return 'does not fit this release';
  if (!before?.document) return more || before ? '' : 'the first';
  const changes = describeChanges(before.document, revision.document);
  if (changes.length === 0) return 'nothing changed';
  const words = changes.slice(0, FEW).map(({ name, from, to }) => `${name}: ${from} → ${to}`);
  return `${words.join('; ')}${changes.length > FEW ? `; and ${changes.length - FEW} more` : ''}`;
}

/** What two states come to, where they part: both are judged whole. */
function Results({ from, to, version }: { from: Design; to: Design; version: number }) {
  const apart = useQuery({
    queryKey: ['apart', JSON.stringify(from), JSON.stringify(to)],
    queryFn: () => backgroundSolver.ask((solver) => solver.resultsApart(from, to)),
    staleTime: Infinity,
    retry: false,
  });
  return (
    <>
      <h2>What they come to</h2>
      {apart.data ? (
        <Changes changes={apart.data} from={`version ${version}`} to="now" />
      ) : (
        <p className="text-body-secondary">{apart.error ? 'The two could not be judged.' : 'Both are being judged…'}</p>
      )}
    </>
  );
}

/** Differences by their names, with units, side by side. */
export function Changes({ changes, from, to }: { changes: readonly Change[]; from: string; to: string }) {
  if (changes.length === 0) return <p>The two are alike.</p>;
  return (
    <DataTable
      rows={changes}
      rowKey={({ path }) => path}
      columns={[
        { id: 'entry', head: 'entry', cell: ({ name }) => name },
        { id: 'from', head: from, figures: true, cell: (change) => change.from },
        { id: 'to', head: to, figures: true, cell: (change) => change.to },
      ]}
    />
  );
}

function LabelField({ designId, revision }: { designId: string; revision: Revision }) {
  const client = useQueryClient();
  const label = useMutation({
    mutationFn: (text: string) => api.label(designId, revision.version, text === '' ? null : text),
    onSuccess: () => void client.invalidateQueries({ queryKey: ['revisions', designId] }),
  });
  return (
    <>
      <LineForm
        id="revision-name"
        label={`Name of version ${revision.version}`}
        value={revision.label ?? ''}
        placeholder="none: thinned out with time"
        maxLength={120}
        optional
        small
        action="Name it"
        busy={label.isPending}
        onSend={(text) => label.mutate(text)}
      />
      {label.error ? <Trouble error={label.error} /> : null}
    </>
  );
}
