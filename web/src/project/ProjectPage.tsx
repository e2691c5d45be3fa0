import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import { useNavigate, useParams } from 'react-router';
import { addUpTree, newDesign, type Design, type Fault } from '@yundro/core';
import { api } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import { DesignFilePicker } from '../design/DesignFilePicker.tsx';
import { FaultList } from '../design/FileButtons.tsx';
import { backgroundSolver } from '../workers/solver.ts';
import { PowerTreeView } from './PowerTreeView.tsx';

/** One product's rails: the power tree, and the ways to add a rail. */
export function ProjectPage() {
  const { projectId = '' } = useParams();
  const navigate = useNavigate();
  const client = useQueryClient();
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
              <DesignFilePicker
                label="Design file to add"
                words="Add one from a file"
                className="btn btn-outline-secondary"
                onDesign={(design) => {
                  setFaults(undefined);
                  add.mutate(design);
                }}
                onFaults={(_, list) => setFaults(list)}
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
