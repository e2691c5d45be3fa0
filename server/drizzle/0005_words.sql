DROP INDEX "parts_words";--> statement-breakpoint
ALTER TABLE "parts" ADD COLUMN "words" "tsvector" GENERATED ALWAYS AS (to_tsvector('simple', "id" || ' ' || "name")) STORED NOT NULL;--> statement-breakpoint
CREATE INDEX "parts_words" ON "parts" USING gin ("words");