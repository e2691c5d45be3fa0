import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { Link, useNavigate } from 'react-router';
import { api } from '../api/client.ts';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import css from './project.module.css';
import page from '../app/page.module.css';

/** All projects, and a place to begin one. */
export function ProjectsPage() {
  const projects = useQuery({ queryKey: ['projects'], queryFn: api.projects });
  const [name, setName] = useState('');
  const navigate = useNavigate();
  const client = useQueryClient();
  const create = useMutation({
    mutationFn: () => api.createProject(name.trim(), ''),
    onSuccess: (project) => {
      void client.invalidateQueries({ queryKey: ['projects'] });
      void navigate(`/projects/${project.id}`);
    },
  });
  return (
    <div className={page['plain']}>
      <Header />
      <main>
        <h1>Projects</h1>
        <p className={`text-body-secondary ${page['lead-in']}`}>
          A project holds the rails of one product, from its source to its loads.
        </p>
        {projects.error ? <Trouble error={projects.error} retry={() => void projects.refetch()} /> : null}
        {projects.data?.projects.length === 0 ? <p>No project yet: give the first one a name.</p> : null}
        <ul className={css['cards']}>
          {projects.data?.projects.map((project) => (
            <li key={project.id} className="border rounded-1 bg-body-tertiary">
              <h2>
                <Link to={`/projects/${project.id}`}>{project.name}</Link>
              </h2>
              <p>{project.description}</p>
              <p className="text-body-secondary">
                {project.designCount === 1 ? 'one rail' : `${project.designCount} rails`}
              </p>
            </li>
          ))}
        </ul>
        <Form
          className={page['inline-form']}
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim() !== '') create.mutate();
          }}
        >
          <Form.Group controlId="project-name">
            <Form.Label>New project</Form.Label>
            <Form.Control
              value={name}
              maxLength={200}
              placeholder="its name"
              onChange={(event) => setName(event.target.value)}
            />
          </Form.Group>
          <Button type="submit" variant="dark" disabled={name.trim() === '' || create.isPending}>
            Begin
          </Button>
        </Form>
        {create.error ? <Trouble error={create.error} /> : null}
        <p>
          <Link to="/removed">Recently removed</Link>
        </p>
      </main>
    </div>
  );
}
