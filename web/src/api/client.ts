import type { Design, Fault, Part, PartKind } from '@yundro/core';

/** A design as the server keeps it; one whose document does not fit carries the faults instead. */
export interface StoredDesign {
  id: string;
  projectId: string;
  name: string;
  version: number;
  updatedAt: string;
  document?: Design;
  unreadable?: Fault[];
}

export type ReadableDesign = StoredDesign & { document: Design };

export interface ProjectSummary {
  id: string;
  name: string;
  description: string;
  designCount: number;
}

export interface Project {
  id: string;
  name: string;
  description: string;
  designs: StoredDesign[];
}

export interface Revision {
  version: number;
  createdAt: string;
  label: string | null;
  document?: Design;
  unreadable?: Fault[];
}

/** A part as the server keeps it, with when each of its states was. */
export interface StoredPart {
  version: number;
  updatedAt: string;
  part: Part;
  versions?: { version: number; createdAt: string }[];
}

export interface Removed {
  kind: 'project' | 'design';
  id: string;
  name: string;
  project?: string;
  removedAt: string;
}

/** An answer the server gave that is not the one hoped for; `status` 0 means that it gave none. */
export class ApiError extends Error {
  readonly status: number;
  readonly faults: Fault[];
  readonly current: ReadableDesign | undefined;
  constructor(status: number, faults: Fault[], current?: ReadableDesign) {
    super(faults.map((f) => `${f.path === '' ? '' : `${f.path}: `}${f.message}`).join('; ') || `status ${status}`);
    this.status = status;
    this.faults = faults;
    this.current = current;
  }
  /** whether trying again later may help */
  get away(): boolean {
    return this.status === 0 || this.status === 429 || this.status >= 500;
  }
}

/** A design that can be worked with; one that does not fit this release is an error in words. */
export function readable(design: StoredDesign): ReadableDesign {
  if (design.document) return { ...design, document: design.document };
  throw new ApiError(422, design.unreadable ?? []);
}

const call = <T>(method: string, address: string, body?: unknown): Promise<T> =>
  ask(method, address, body === undefined ? undefined : { type: 'application/json', text: JSON.stringify(body) });

async function ask<T>(method: string, address: string, body?: { type: string; text: string }): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${address}`, {
      method,
      ...(body === undefined ? {} : { headers: { 'Content-Type': body.type }, body: body.text }),
    });
  } catch {
    throw new ApiError(0, [{ path: '', message: 'the server does not answer', expected: 'a running server' }]);
  }
  const answer = (await response.json().catch(() => undefined)) as
    (T & { errors?: Fault[]; current?: StoredDesign }) | undefined;
  if (!response.ok || answer === undefined) {
    const { current } = answer ?? {};
    throw new ApiError(response.status, answer?.errors ?? [], current?.document ? readable(current) : undefined);
  }
  return answer;
}

export const api = {
  /** Ends this browser's session: it has to show the key again. */
  logOut: () => call<object>('POST', '/session/end', {}),
  projects: () => call<{ projects: ProjectSummary[] }>('GET', '/projects'),
  project: (id: string) => call<Project>('GET', `/projects/${id}`),
  rails: () => call<{ rails: (StoredDesign & { projectName: string })[] }>('GET', '/rails'),
  createProject: (name: string, description: string) =>
    call<ProjectSummary>('POST', '/projects', { name, description }),
  changeProject: (id: string, change: { name?: string; description?: string }) =>
    call<ProjectSummary>('PATCH', `/projects/${id}`, change),
  removeProject: (id: string) => call<object>('DELETE', `/projects/${id}`),
  createDesign: (projectId: string, document: Design) =>
    call<StoredDesign>('POST', `/projects/${projectId}/designs`, { document }),
  design: (id: string) => call<StoredDesign>('GET', `/designs/${id}`),
  save: (id: string, version: number, document: Design, key: string) =>
    call<StoredDesign>('PUT', `/designs/${id}`, { version, document, save: key }),
  removeDesign: (id: string) => call<object>('DELETE', `/designs/${id}`),
  removed: () => call<{ removed: Removed[] }>('GET', '/removed'),
  restore: (id: string) => call<object>('POST', `/removed/${id}/restore`),
  forget: (id: string) => call<object>('DELETE', `/removed/${id}`),
  revisions: (id: string, before?: number) =>
    call<{ revisions: Revision[]; more: boolean }>(
      'GET',
      `/designs/${id}/revisions${before === undefined ? '' : `?before=${before}`}`,
    ),
  /** The whole shelf, curves and all. */
  shelf: () => call<{ mark: string; parts: Part[] }>('GET', '/shelf'),
  /** What a table of one kind shows: its parts without their curves, and how many of each kind there are. */
  async shelfTable(kind: PartKind): Promise<{ counts: Partial<Record<PartKind, number>>; parts: Part[] }> {
    const { counts, keys, rows } = await call<{
      counts: Partial<Record<PartKind, number>>;
      keys: string[];
      rows: unknown[][];
    }>('GET', `/shelf/table?kind=${kind}`);
    const parts = rows.map((row) => {
      const part: Record<string, unknown> = { kind };
      for (let k = 0; k < keys.length; k += 1) if (row[k] !== null) part[keys[k]!] = row[k];
      return part as unknown as Part;
    });
    return { counts, parts };
  },
  part: (id: string) => call<StoredPart>('GET', `/shelf/parts/${id}`),
  savePart: (part: Part, version: number) => call<StoredPart>('PUT', `/shelf/parts/${part.id}`, { version, part }),
  importParts: (parts: readonly Part[]) =>
    ask<{ added: number; changed: number; same: number }>('POST', '/shelf/parts', {
      // one part a line: the server reads it as it comes
      type: 'application/x-ndjson',
      text: parts.map((part) => JSON.stringify(part)).join('\n'),
    }),
  label: (id: string, version: number, label: string | null) =>
    call<object>('PATCH', `/designs/${id}/revisions/${version}`, { label }),
};
