import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { readDesignText } from '@yundro/core';
import type { Database } from './db/database.ts';
import { createDesign, createProject } from './db/queries.ts';

interface SampleFile {
  id: string;
  name: string;
  description: string;
  designs: { id: string; file: string }[];
}

/** Puts the sample project in, once: where its id already stands, whatever became of it is left as it is. */
export async function loadSample(db: Database, folder: string): Promise<'loaded' | 'present'> {
  const sample = JSON.parse(await readFile(path.join(folder, 'project.json'), 'utf8')) as SampleFile;
  const designs = await Promise.all(
    sample.designs.map(async ({ id, file }) => {
      const read = readDesignText(await readFile(path.join(folder, file), 'utf8'));
      if (!read.ok) throw new Error(`${file}: ${JSON.stringify(read.faults)}`);
      return { id, design: read.design };
    }),
  );
  return db.transaction(async (tx) => {
    const made = await createProject(tx, { id: sample.id, name: sample.name, description: sample.description });
    if (!made) return 'present';
    for (const { id, design } of designs) await createDesign(tx, sample.id, design, id);
    return 'loaded';
  });
}
