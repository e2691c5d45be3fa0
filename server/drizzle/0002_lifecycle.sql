ALTER TABLE "designs" ADD COLUMN "removed_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "projects" ADD COLUMN "removed_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "label" text;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "save_key" uuid;--> statement-breakpoint
CREATE UNIQUE INDEX "revisions_save" ON "revisions" USING btree ("design_id","save_key");