import { useQuery } from '@tanstack/react-query';
import Form from 'react-bootstrap/Form';
import { useParams } from 'react-router';
import type { Design } from '@yundro/core';
import { api } from '../api/client.ts';
import page from '../app/page.module.css';

/** Picks a saved revision to be compared with; nothing while there is no other. */
export function Against({
  version,
  onPick,
}: {
  version: number | undefined;
  onPick: (version: number | undefined) => void;
}) {
  const { designId = '' } = useParams();
  const list = useQuery({ queryKey: ['revisions', designId, 'against'], queryFn: () => api.revisions(designId) });
  const found = (list.data?.revisions ?? []).filter(({ document }) => document);
  if (found.length < 2) return null;
  return (
    <Form.Select
      size="sm"
      aria-label="Compare with a revision"
      className={page['pick']}
      value={version ?? ''}
      onChange={(event) => onPick(event.target.value === '' ? undefined : Number(event.target.value))}
    >
      <option value="">against no revision</option>
      {found.map(({ version: at, label }) => (
        <option key={at} value={at}>
          against {label ?? `version ${at}`}
        </option>
      ))}
    </Form.Select>
  );
}

/** What a rung finds of a saved revision. */
export function useThen<R>(
  of: string,
  version: number | undefined,
  ask: (document: Design) => Promise<R>,
): { then?: R; trouble?: string } {
  const { designId = '' } = useParams();
  const found = useQuery({
    queryKey: [of, designId, version],
    enabled: version !== undefined,
    queryFn: async () => {
      const { revisions } = await api.revisions(designId);
      const document = revisions.find((one) => one.version === version)?.document;
      if (!document) throw new Error('that revision cannot be read');
      return ask(document);
    },
  });
  if (version === undefined) return {};
  return {
    ...(found.data === undefined ? {} : { then: found.data }),
    ...(found.error ? { trouble: `The revision cannot be compared: ${found.error.message}.` } : {}),
  };
}
