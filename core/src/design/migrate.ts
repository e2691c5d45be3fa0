import { VERSION } from './schema.ts';

/** One step forward: a document of the version before, as the version that the step is listed under wants it. */
export type MigrationStep = (document: Record<string, unknown>) => Record<string, unknown>;

/**
 * How documents of older versions are brought forward, by the version they become. A release that changes the file's
 * meaning adds its step here and never removes one, so that whatever was stored stays readable.
 */
export const MIGRATIONS: Readonly<Record<number, MigrationStep>> = {};

/**
 * Brings a document forward step by step.
 * @returns the document of the wanted version; as given where it is that already, is newer, or says no version at all
 */
export function bringForward(
  document: Record<string, unknown>,
  steps: Readonly<Record<number, MigrationStep>> = MIGRATIONS,
  wanted: number = VERSION,
): Record<string, unknown> {
  let at = document;
  for (let version = at['version']; typeof version === 'number' && version < wanted; version = at['version']) {
    const step = steps[version + 1];
    if (!step) return at;
    at = { ...step(at), version: version + 1 };
  }
  return at;
}
