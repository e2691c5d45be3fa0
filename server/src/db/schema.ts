import { relations, sql } from 'drizzle-orm';
import {
  bigserial,
  boolean,
  index,
  integer,
  jsonb,
  pgTable,
  text,
  timestamp,
  uniqueIndex,
  uuid,
  customType,
} from 'drizzle-orm/pg-core';
import type { Design, Part } from '@yundro/core';

const moment = (name: string) => timestamp(name, { withTimezone: true }).notNull().defaultNow();

export const projects = pgTable('projects', {
  id: uuid('id')
    .primaryKey()
    .default(sql`gen_random_uuid()`),
  name: text('name').notNull(),
  description: text('description').notNull().default(''),
  createdAt: moment('created_at'),
  /** when it was put away; gone for good after {@link KEEP_REMOVED} */
  removedAt: timestamp('removed_at', { withTimezone: true }),
});

/** A browser that has shown the key of this Yundro: it keeps a secret of its own, and the database what proves it. */
export const sessions = pgTable('sessions', {
  id: uuid('id')
    .primaryKey()
    .default(sql`gen_random_uuid()`),
  proof: text('proof').notNull().unique(),
  createdAt: moment('created_at'),
  /** when it was logged out */
  endedAt: timestamp('ended_at', { withTimezone: true }),
});

/** A design's body is the one document; its columns are what lists and searches need. */
export const designs = pgTable(
  'designs',
  {
    id: uuid('id')
      .primaryKey()
      .default(sql`gen_random_uuid()`),
    projectId: uuid('project_id')
      .notNull()
      .references(() => projects.id),
    name: text('name').notNull(),
    document: jsonb('document').$type<Design>().notNull(),
    /** counts up with every save; a write that names an older one is refused */
    version: integer('version').notNull().default(1),
    createdAt: moment('created_at'),
    updatedAt: moment('updated_at'),
    removedAt: timestamp('removed_at', { withTimezone: true }),
  },
  (table) => [index('designs_project').on(table.projectId)],
);

/**
 * Saved states of a design. Append-only but for its label: a trigger refuses every other change, and removal but by the
 * database's own functions that thin and purge.
 */
export const revisions = pgTable(
  'revisions',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    designId: uuid('design_id')
      .notNull()
      .references(() => designs.id),
    version: integer('version').notNull(),
    document: jsonb('document').$type<Design>().notNull(),
    createdAt: moment('created_at'),
    /** what a person called it; named ones are never thinned out */
    label: text('label'),
    /** the save that made it, so that one sent twice is known for the same */
    saveKey: uuid('save_key'),
  },
  (table) => [
    uniqueIndex('revisions_design_version').on(table.designId, table.version),
    uniqueIndex('revisions_save').on(table.designId, table.saveKey),
  ],
);

export const projectRelations = relations(projects, ({ many }) => ({ designs: many(designs) }));
export const designRelations = relations(designs, ({ one }) => ({
  project: one(projects, { fields: [designs.projectId], references: [projects.id] }),
}));

const lexemes = customType<{ data: string }>({ dataType: () => 'tsvector' });

/** The Shelf: each part as it stands now. Its document is the one truth; the columns are what searches need. */
export const parts = pgTable(
  'parts',
  {
    id: text('id').primaryKey(),
    kind: text('kind').notNull(),
    name: text('name').notNull(),
    retired: boolean('retired').notNull().default(false),
    document: jsonb('document').$type<Part>().notNull(),
    /** counts up with every edit; a write that names an older one is refused */
    version: integer('version').notNull().default(1),
    updatedAt: moment('updated_at'),
    /** kept beside them, so that a search in which the planner takes no index need not split every name anew */
    words: lexemes('words')
      .notNull()
      .generatedAlwaysAs(sql`to_tsvector('simple', "id" || ' ' || "name")`),
  },
  (table) => [index('parts_kind').on(table.kind, table.id), index('parts_words').using('gin', table.words)],
);

/** Every state that a part has been in: a design says by it what it was made with. */
export const partVersions = pgTable(
  'part_versions',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    partId: text('part_id')
      .notNull()
      .references(() => parts.id),
    version: integer('version').notNull(),
    document: jsonb('document').$type<Part>().notNull(),
    createdAt: moment('created_at'),
  },
  (table) => [uniqueIndex('part_versions_part').on(table.partId, table.version)],
);
