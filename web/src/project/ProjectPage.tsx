import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import { useNavigate, useParams } from 'react-router';
import { addUpTree, newDesign, readDesignText, type Design, type Fault } from '@yundro/core';
import { api } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import { FaultList } from '../design/FileButtons.tsx';
import { backgroundSolver } from '../workers/solver.ts';
import { PowerTreeView } from './PowerTreeView.tsx';

/** One product's rails: the power tree, and the ways to add a rail. */
export function ProjectPage() {
  const { projectId = '' } = useParams();
  const navigate = useNavigate();
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [faults, setFaults] = useState<Fault[]>();
  const project = useQuery({ queryKey: ['project', projectId], queryFn: () => api.project(projectId) });
  const designs = project.data?.designs;
  const tree = useQuery({
    queryKey: ['tree', projectId, designs?.map((d) => `${d.id}@${d.version}`)],
    enabled: designs !== undefined,
    queryFn: async () => {
      const results = await Promise.all(designs!.map((d) => backgroundSolver().summary(d.document)));
      return { results, tree: addUpTree(designs!.map((d, i) => ({ design: d.document, result: results[i]! }))) };
    },
  });
  const add = useMutation({
    mutationFn: (document: Design) => api.createDesign(projectId, document),
    onSuccess: (design) => {
      void client.invalidateQueries({ queryKey: ['project', projectId] });
      void navigate(`/designs/${design.id}/brief`);
    },
  });
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const read = readDesignText(await file.text());
    setFaults(read.ok ? undefined : read.faults);
    if (read.ok) add.mutate(read.design);
  };
  return (
    <div className="plain">
      <Header>
        <span className="crumb">
          <strong>{project.data?.name ?? '…'}</strong>
        </span>
      </Header>
      <main>
        {project.error ? <Trouble error={project.error} retry={() => void project.refetch()} /> : null}
        {project.data ? (
          <>
            <h1>{project.data.name}</h1>
            <p className="soft lead-in">{project.data.description}</p>
            {project.data.designs.length === 0 ? (
              <p>No rail yet. Add one: with nothing but its brief it is already a complete first design.</p>
            ) : null}
            {tree.data ? (
              <PowerTreeView designs={project.data.designs} results={tree.data.results} tree={tree.data.tree} />
            ) : null}
            <div className="actions">
              <button
                type="button"
                className="btn btn-dark"
                disabled={add.isPending}
                onClick={() => add.mutate(newDesign('New rail'))}
              >
                Add a rail
              </button>
              <button type="button" className="btn btn-outline-secondary" onClick={() => input.current?.click()}>
                Add one from a file
              </button>
              <input
                ref={input}
                type="file"
                accept=".json,application/json"
                hidden
                aria-label="Design file to add"
                onChange={(event) => {
                  void take(event.target.files?.[0]);
                  event.target.value = '';
                }}
              />
            </div>
            {add.error ? <Trouble error={add.error} /> : null}
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
