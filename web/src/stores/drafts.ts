import { readDesign, type Design } from '@yundro/core';

/** What a save that has not gone through yet would send: kept by the browser so that a reload loses nothing. */
export interface Draft {
  document: Design;
  version: number;
}

const key = (id: string): string => `yundro.draft.${id}`;

export function writeDraft(id: string, draft: Draft): void {
  try {
    localStorage.setItem(key(id), JSON.stringify(draft));
  } catch {
    // storage full or forbidden: the open page still holds the document
  }
}

export function readDraft(id: string): Draft | undefined {
  try {
    const kept = JSON.parse(localStorage.getItem(key(id)) ?? 'null') as {
      document?: unknown;
      version?: unknown;
    } | null;
    const read = kept && readDesign(kept.document);
    return read?.ok && typeof kept?.version === 'number' ? { document: read.design, version: kept.version } : undefined;
  } catch {
    return undefined;
  }
}

export function clearDraft(id: string): void {
  try {
    localStorage.removeItem(key(id));
  } catch {
    // nothing was kept
  }
}
