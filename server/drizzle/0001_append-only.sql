CREATE FUNCTION refuse_change() RETURNS trigger AS $$
BEGIN
  RAISE EXCEPTION 'revisions are append-only';
END;
$$ LANGUAGE plpgsql;
--> statement-breakpoint
CREATE TRIGGER revisions_append_only BEFORE UPDATE OR DELETE ON "revisions" FOR EACH ROW EXECUTE FUNCTION refuse_change();
