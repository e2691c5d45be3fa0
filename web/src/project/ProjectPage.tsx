import { useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import Button from 'react-bootstrap/Button';
import Dropdown from 'react-bootstrap/Dropdown';
import { useNavigate, useParams } from 'react-router';
import { addUpTree, newDesign, type Design, type Fault } from '@yundro/core';
import { api, type ReadableDesign, type StoredDesign } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import { say } from '../app/undoToast.tsx';
import { DesignFilePicker } from '../design/DesignFilePicker.tsx';
import { FaultList } from '../design/FileButtons.tsx';
import { TextField } from '../fields/TextField.tsx';
import { backgroundSolver, judgeInTurn } from '../workers/solver.ts';
import { PowerTreeView } from './PowerTreeView.tsx';
import css from './project.module.css';
import fields from '../fields/fields.module.css';
import page from '../app/page.module.css';

const NO_DESIGNS: StoredDesign[] = [];

/** One product's rails: the power tree, and the ways to add, copy, rename and remove a rail. */
export function ProjectPage() {
  const { projectId = '' } = useParams();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [faults, setFaults] = useState<Fault[]>();
  const [renaming, setRenaming] = useState(false);
  const project = useQuery({ queryKey: ['project', projectId], queryFn: () => api.project(projectId) });
  const designs = project.data?.designs ?? NO_DESIGNS;
  const readable = useMemo(() => designs.filter((d): d is ReadableDesign => d.document !== undefined), [designs]);
  // each rail is solved by itself: one that fails or takes too long keeps the others on screen
  const solved = useQueries({
    queries: readable.map((d) => ({
      queryKey: ['summary', d.id, d.version],
      queryFn: () => backgroundSolver.ask((solver) => solver.summary(d.document)),
      retry: false,
      staleTime: Infinity,
    })),
  });
  const verdicts = useQueries({
    queries: readable.map((d) => ({
      queryKey: ['summary', 'judged', d.id, d.version],
      queryFn: () => judgeInTurn(d.document),
      retry: false,
      staleTime: Infinity,
    })),
  });
  const results = readable.map((_, at) => solved[at]?.data);
  const judged = readable.map((_, at) => verdicts[at]?.data);
  const failed = readable.filter((_, at) => solved[at]?.isError);
  const tree = addUpTree(readable.map(({ document }, at) => ({ design: document, result: results[at] })));
  // a rail that is solved stays solved: only what the server tells is asked for again
  const refresh = (): void => void client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'summary' });
  useEffect(() => {
    document.title = `${project.data?.name ?? 'Project'} · Yundro`;
  }, [project.data?.name]);

  const add = useMutation({
    mutationFn: (document: Design) => api.createDesign(projectId, document),
    onSuccess: (design) => {
      refresh();
      void navigate(`/designs/${design.id}/brief`);
    },
  });
  const copy = useMutation({
    mutationFn: (design: ReadableDesign) =>
      api.createDesign(projectId, { ...design.document, name: `${design.document.name}, copy` }),
    onSuccess: (made) => {
      refresh();
      say(`“${made.name}” was made.`);
    },
  });
  const undo = (id: string) => () => void api.restore(id).then(refresh);
  const remove = useMutation({
    mutationFn: (design: StoredDesign) => api.removeDesign(design.id),
    onSuccess: (_, design) => {
      refresh();
      say(`“${design.name}” was removed; it is kept for 30 days.`, undo(design.id));
    },
  });
  const removeAll = useMutation({
    mutationFn: () => api.removeProject(projectId),
    onSuccess: () => {
      refresh();
      say(`“${project.data?.name ?? ''}” was removed with its rails; it is kept for 30 days.`, undo(projectId));
      void navigate('/');
    },
  });
  const change = useMutation({
    mutationFn: (values: { name?: string; description?: string }) => api.changeProject(projectId, values),
    onSuccess: refresh,
  });
  const trouble = [add.error, copy.error, remove.error, removeAll.error, change.error].find((error) => error !== null);

  return (
    <div className={page['plain']}>
      <Header>
        <span className={page['crumb']}>
          <strong>{project.data?.name ?? '…'}</strong>
        </span>
      </Header>
      <main>
        {project.error ? <Trouble error={project.error} retry={() => void project.refetch()} /> : null}
        {project.data ? (
          <>
            <div className={page['row-head']}>
              <h1>{project.data.name}</h1>
              <Dropdown align="end">
                <Dropdown.Toggle size="sm" variant="outline-secondary" id="project-actions">
                  Project
                </Dropdown.Toggle>
                <Dropdown.Menu>
                  <Dropdown.Item onClick={() => setRenaming(!renaming)}>
                    {renaming ? 'Done renaming' : 'Rename'}
                  </Dropdown.Item>
                  <Dropdown.Item onClick={() => removeAll.mutate()}>Remove the project</Dropdown.Item>
                </Dropdown.Menu>
              </Dropdown>
            </div>
            {renaming ? (
              <div className={fields['fields']}>
                <TextField
                  id="project-name"
                  label="Name of this project"
                  value={project.data.name}
                  maxLength={200}
                  onChange={(name) => {
                    if (name.trim() !== '') change.mutate({ name });
                  }}
                />
                <TextField
                  id="project-description"
                  label="What it is"
                  value={project.data.description}
                  maxLength={2000}
                  rows={2}
                  onChange={(description) => change.mutate({ description })}
                />
              </div>
            ) : (
              <p className={`text-body-secondary ${page['lead-in']}`}>{project.data.description}</p>
            )}
            {designs.length === 0 ? (
              <p>No rail yet. Add one: with nothing but its brief it is already a complete first design.</p>
            ) : null}
            <PowerTreeView designs={readable} results={results} judged={judged} failed={failed} tree={tree} />
            <RailList designs={designs} failed={failed} onCopy={copy.mutate} onRemove={remove.mutate} />
            <div className={page['actions']}>
              <Button
                size="sm"
                variant="dark"
                disabled={add.isPending}
                onClick={() => add.mutate(newDesign('New rail'))}
              >
                Add a rail
              </Button>
              <DesignFilePicker
                label="Design file to add"
                words="Add one from a file"
                variant="outline-secondary"
                onDesign={(design) => {
                  setFaults(undefined);
                  add.mutate(design);
                }}
                onFaults={(_, list) => setFaults(list)}
              />
            </div>
            {trouble ? <Trouble error={trouble} /> : null}
            {faults ? (
              <Alert variant="danger" dismissible onClose={() => setFaults(undefined)}>
                <strong>The file was not taken in.</strong>
                <FaultList faults={faults} />
              </Alert>
            ) : null}
          </>
        ) : null}
      </main>
    </div>
  );
}

/** Every rail by name with what can be done to it; one that cannot be shown says why, and takes nothing else down. */
function RailList({
  designs,
  failed,
  onCopy,
  onRemove,
}: {
  designs: readonly StoredDesign[];
  failed: readonly StoredDesign[];
  onCopy: (design: ReadableDesign) => void;
  onRemove: (design: StoredDesign) => void;
}) {
  const navigate = useNavigate();
  if (designs.length === 0) return null;
  return (
    <section aria-label="Rails" className={css['rail-list']}>
      <h2>Rails</h2>
      <ul>
        {designs.map((design) => (
          <li key={design.id}>
            <Button
              variant="link"
              size="sm"
              disabled={!design.document}
              onClick={() => void navigate(`/designs/${design.id}/stage`)}
            >
              {design.name}
            </Button>
            {design.unreadable ? (
              <span className="text-danger">
                does not fit this release: {design.unreadable.map((f) => `${f.path} ${f.message}`).join('; ')}; it is
                kept as it is
              </span>
            ) : failed.includes(design) ? (
              <span className="text-danger">could not be solved here; open it to see and mend it</span>
            ) : null}
            <span className={css['rail-actions']}>
              {design.document ? (
                <Button
                  size="sm"
                  variant="outline-secondary"
                  aria-label={`Duplicate ${design.name}`}
                  onClick={() => onCopy({ ...design, document: design.document! })}
                >
                  Duplicate
                </Button>
              ) : null}{' '}
              <Button
                size="sm"
                variant="outline-secondary"
                aria-label={`Revisions of ${design.name}`}
                onClick={() => void navigate(`/designs/${design.id}/revisions`)}
              >
                Revisions
              </Button>{' '}
              <Button
                size="sm"
                variant="outline-secondary"
                aria-label={`Remove ${design.name}`}
                onClick={() => onRemove(design)}
              >
                Remove
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
