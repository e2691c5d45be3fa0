import { relations, sql } from 'drizzle-orm';
import { bigserial, index, integer, jsonb, pgTable, text, timestamp, uniqueIndex, uuid } from 'drizzle-orm/pg-core';
import type { Design } from '@yundro/core';

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
