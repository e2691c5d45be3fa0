import { readDesign, type Design } from '@yundro/core';

/** What a save that has not gone through yet would send: kept by the browser so that a reload loses nothing. */
export interface Draft {
  document: Design;
  version: number;
}

const key = (id: string): string => `yundro.draft.${id}`;

/** @returns whether the browser keeps it: storage may be full or forbidden, and then the open page alone holds the document */
export function writeDraft(id: string, draft: Draft): boolean {
  try {
    localStorage.setItem(key(id), JSON.stringify(draft));
    return true;
  } catch {
    return false;
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
