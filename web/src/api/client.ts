import type { Design, Fault } from '@yundro/core';

export interface StoredDesign {
  id: string;
  projectId: string;
  version: number;
  updatedAt: string;
  document: Design;
}

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

/** An answer the server gave that is not the one hoped for; `status` 0 means that it gave none. */
export class ApiError extends Error {
  readonly status: number;
  readonly faults: Fault[];
  readonly current: StoredDesign | undefined;
  constructor(status: number, faults: Fault[], current?: StoredDesign) {
    super(faults.map((f) => `${f.path === '' ? '' : `${f.path}: `}${f.message}`).join('; ') || `status ${status}`);
    this.status = status;
    this.faults = faults;
    this.current = current;
  }
  /** whether trying again later may help */
  get away(): boolean {
    return this.status === 0 || this.status >= 500;
  }
}

async function call<T>(method: string, address: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${address}`, {
      method,
      ...(body === undefined ? {} : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
    });
  } catch {
    throw new ApiError(0, [{ path: '', message: 'the server does not answer', expected: 'a running server' }]);
  }
  const answer = (await response.json().catch(() => undefined)) as
    (T & { errors?: Fault[]; current?: StoredDesign }) | undefined;
  if (!response.ok || answer === undefined) throw new ApiError(response.status, answer?.errors ?? [], answer?.current);
  return answer;
}

export const api = {
  projects: () => call<{ projects: ProjectSummary[] }>('GET', '/projects'),
  project: (id: string) => call<Project>('GET', `/projects/${id}`),
  createProject: (name: string, description: string) =>
    call<ProjectSummary>('POST', '/projects', { name, description }),
  createDesign: (projectId: string, document: Design) =>
    call<StoredDesign>('POST', `/projects/${projectId}/designs`, { document }),
  design: (id: string) => call<StoredDesign>('GET', `/designs/${id}`),
  save: (id: string, version: number, document: Design) =>
    call<StoredDesign>('PUT', `/designs/${id}`, { version, document }),
};
