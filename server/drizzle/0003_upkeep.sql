DROP TRIGGER revisions_append_only ON "revisions";
--> statement-breakpoint
CREATE OR REPLACE FUNCTION refuse_change() RETURNS trigger AS $$
DECLARE
  unlabelled "revisions";
BEGIN
  IF TG_OP = 'UPDATE' THEN
    unlabelled := NEW;
    unlabelled.label := OLD.label;
    IF unlabelled IS NOT DISTINCT FROM OLD THEN RETURN NEW; END IF;
  END IF;
  RAISE EXCEPTION 'revisions are append-only';
END;
$$ LANGUAGE plpgsql;
--> statement-breakpoint
CREATE FUNCTION refuse_removal() RETURNS trigger AS $$
BEGIN
  IF current_setting('yundro.upkeep', true) = 'on' THEN RETURN OLD; END IF;
  RAISE EXCEPTION 'revisions are append-only';
END;
$$ LANGUAGE plpgsql;
--> statement-breakpoint
CREATE TRIGGER revisions_append_only BEFORE UPDATE ON "revisions" FOR EACH ROW EXECUTE FUNCTION refuse_change();
--> statement-breakpoint
CREATE TRIGGER revisions_kept BEFORE DELETE ON "revisions" FOR EACH ROW EXECUTE FUNCTION refuse_removal();
--> statement-breakpoint
CREATE TRIGGER revisions_not_emptied BEFORE TRUNCATE ON "revisions" FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();
--> statement-breakpoint
-- Unnamed autosaves: all of the last hour, then the last of every ten minutes for a day, of every hour for thirty days,
-- of every day after that. The first and the newest of a design always stay.
CREATE FUNCTION thin_revisions() RETURNS integer LANGUAGE plpgsql SECURITY DEFINER
SET search_path = public AS $$
DECLARE thinned integer;
BEGIN
  PERFORM set_config('yundro.upkeep', 'on', true);
  WITH aged AS (
    SELECT id,
      created_at < now() - interval '1 hour' AS old,
      row_number() OVER (PARTITION BY design_id, CASE
        WHEN created_at < now() - interval '30 days' THEN date_bin('1 day', created_at, timestamptz '2000-01-01')
        WHEN created_at < now() - interval '1 day' THEN date_bin('1 hour', created_at, timestamptz '2000-01-01')
        ELSE date_bin('10 minutes', created_at, timestamptz '2000-01-01') END ORDER BY version DESC) AS place,
      version = min(version) OVER (PARTITION BY design_id) OR version = max(version) OVER (PARTITION BY design_id) AS ends
    FROM revisions WHERE true
  ), gone AS (
    DELETE FROM revisions USING aged
    WHERE revisions.id = aged.id AND aged.old AND aged.place > 1 AND NOT aged.ends AND revisions.label IS NULL
    RETURNING 1
  )
  SELECT count(*)::integer INTO thinned FROM gone;
  PERFORM set_config('yundro.upkeep', 'off', true);
  RETURN thinned;
END;
$$;
--> statement-breakpoint
-- What was removed longer ago than `age`, gone for good with its revisions.
CREATE FUNCTION purge_removed(age interval) RETURNS integer LANGUAGE plpgsql SECURITY DEFINER
SET search_path = public AS $$
DECLARE gone integer;
BEGIN
  PERFORM set_config('yundro.upkeep', 'on', true);
  CREATE TEMPORARY TABLE leaving ON COMMIT DROP AS
    SELECT d.id FROM designs d JOIN projects p ON p.id = d.project_id
    WHERE d.removed_at < now() - age OR p.removed_at < now() - age;
  DELETE FROM revisions WHERE design_id IN (SELECT id FROM leaving);
  DELETE FROM designs WHERE id IN (SELECT id FROM leaving);
  GET DIAGNOSTICS gone = ROW_COUNT;
  DELETE FROM projects p WHERE p.removed_at < now() - age AND NOT EXISTS (SELECT FROM designs d WHERE d.project_id = p.id);
  DROP TABLE leaving;
  PERFORM set_config('yundro.upkeep', 'off', true);
  RETURN gone;
END;
$$;
--> statement-breakpoint
-- One removed design, or project with its designs, gone at a person's wish.
CREATE FUNCTION forget_removed(target uuid) RETURNS boolean LANGUAGE plpgsql SECURITY DEFINER
SET search_path = public AS $$
DECLARE found_project boolean;
BEGIN
  SELECT EXISTS (SELECT FROM projects WHERE id = target AND removed_at IS NOT NULL) INTO found_project;
  IF NOT found_project AND NOT EXISTS (SELECT FROM designs WHERE id = target AND removed_at IS NOT NULL) THEN
    RETURN false;
  END IF;
  PERFORM set_config('yundro.upkeep', 'on', true);
  DELETE FROM revisions WHERE design_id IN (SELECT id FROM designs WHERE id = target OR (found_project AND project_id = target));
  DELETE FROM designs WHERE id = target OR (found_project AND project_id = target);
  IF found_project THEN DELETE FROM projects WHERE id = target; END IF;
  PERFORM set_config('yundro.upkeep', 'off', true);
  RETURN true;
END;
$$;
--> statement-breakpoint
REVOKE ALL ON FUNCTION thin_revisions(), purge_removed(interval), forget_removed(uuid) FROM PUBLIC;
