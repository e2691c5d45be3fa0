CREATE TABLE "part_versions" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"part_id" text NOT NULL,
	"version" integer NOT NULL,
	"document" jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "parts" (
	"id" text PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"retired" boolean DEFAULT false NOT NULL,
	"document" jsonb NOT NULL,
	"version" integer DEFAULT 1 NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "part_versions" ADD CONSTRAINT "part_versions_part_id_parts_id_fk" FOREIGN KEY ("part_id") REFERENCES "public"."parts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "part_versions_part" ON "part_versions" USING btree ("part_id","version");--> statement-breakpoint
CREATE INDEX "parts_kind" ON "parts" USING btree ("kind","id");--> statement-breakpoint
CREATE INDEX "parts_words" ON "parts" USING gin (to_tsvector('simple', "id" || ' ' || "name"));