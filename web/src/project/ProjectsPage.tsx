import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { api } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { Quiet } from '../app/Quiet.tsx';
import { Trouble } from '../app/Trouble.tsx';
import { LineForm } from '../fields/LineForm.tsx';
import { LateRails } from './LateRails.tsx';
import css from './project.module.css';
import page from '../app/page.module.css';

/** All projects, and a place to begin one. */
export function ProjectsPage() {
  const projects = useQuery({ queryKey: ['projects'], queryFn: api.projects });
  const navigate = useNavigate();
  const client = useQueryClient();
  const create = useMutation({
    mutationFn: (name: string) => api.createProject(name, ''),
    onSuccess: (project) => {
      void client.invalidateQueries({ queryKey: ['projects'] });
      void navigate(`/projects/${project.id}`);
    },
  });
  const leave = useMutation({ mutationFn: api.logOut });
  return (
    <div className={page['plain']}>
      <Header />
      <main>
        <h1 className="visually-hidden">Yundro</h1>
        <LateRails />
        <h2 className={css['section']}>Projects</h2>
        <p className={`text-body-secondary ${page['lead-in']}`}>
          A project holds the rails of one product, from its source to its loads.
        </p>
        {projects.error ? <Trouble error={projects.error} retry={() => void projects.refetch()} /> : null}
        {projects.data?.projects.length === 0 ? <p>No project yet: give the first one a name.</p> : null}
        <ul className={css['cards']}>
          {projects.data?.projects.map((project) => (
            <li key={project.id} className="border rounded-1 bg-body-tertiary">
              <h3>
                <Link to={`/projects/${project.id}`}>{project.name}</Link>
              </h3>
              <p>{project.description}</p>
              <p className="text-body-secondary">
                {project.designCount === 1 ? 'one rail' : `${project.designCount} rails`}
              </p>
            </li>
          ))}
        </ul>
        <LineForm
          id="project-name"
          label="New project"
          placeholder="its name"
          maxLength={200}
          action="Begin"
          busy={create.isPending}
          onSend={(name) => create.mutate(name)}
        />
        {create.error ? <Trouble error={create.error} /> : null}
        <p>
          <Link to="/removed">Recently removed</Link>
          {' · '}
          <Quiet onClick={() => leave.mutate()}>Log this browser out</Quiet>
        </p>
        {leave.isSuccess ? (
          <p role="status">Logged out: the address that the start command printed lets this browser in again.</p>
        ) : null}
        {leave.error ? <Trouble error={leave.error} /> : null}
      </main>
    </div>
  );
}
