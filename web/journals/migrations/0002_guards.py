"""What the application may do to posted books beyond adding to them, as functions that run with the owner's rights.

The application's role may only read and insert there (web/shell/roles.py). Two things need more: spelling account strings
anew, which is recorded row by row, and dropping and building indexes around the first load of an empty table.
"""

from django.db import migrations


RECODE = """
CREATE FUNCTION pine_recode(target text, of_chart text, was text[], now text[]) RETURNS bigint
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    changed bigint;
BEGIN
    IF target NOT IN ('account', 'natural', 'codes') THEN
        RAISE EXCEPTION 'pine: nothing called % is spelled anew', target USING ERRCODE = 'check_violation';
    END IF;
    INSERT INTO journals_recoded (at, target, chart, was, now)
    SELECT statement_timestamp(), target, of_chart, w.was, w.now FROM unnest(was, now) AS w(was, now);
    IF target = 'codes' THEN
        UPDATE journals_dimensionset t SET codes = w.now, posted_as = CASE t.posted_as WHEN '' THEN t.codes ELSE t.posted_as END
        FROM unnest(was, now) AS w(was, now) WHERE t.codes = w.was;
    ELSIF target = 'account' THEN
        UPDATE journals_account a SET account = w.now, posted_as = CASE a.posted_as WHEN '' THEN a.account ELSE a.posted_as END
        FROM unnest(was, now) AS w(was, now) WHERE a.account = w.was AND a.chart = of_chart;
    ELSE
        UPDATE journals_account a SET "natural" = w.now
        FROM unnest(was, now) AS w(was, now) WHERE a."natural" = w.was AND a.chart = of_chart;
    END IF;
    GET DIAGNOSTICS changed = ROW_COUNT;
    RETURN changed;
END $$;
"""

LOADING = """
CREATE TABLE pine_loading (target text NOT NULL, name text NOT NULL, definition text NOT NULL, rule text, place int NOT NULL);

CREATE FUNCTION pine_load_begin(target text) RETURNS boolean
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    filled boolean;
    kept record;
BEGIN
    IF target NOT IN ('journals_journal', 'journals_journalline', 'journals_account') THEN
        RAISE EXCEPTION 'pine: % is not loaded in one go', target USING ERRCODE = 'check_violation';
    END IF;
    EXECUTE format('LOCK TABLE %I IN ACCESS EXCLUSIVE MODE', target);
    EXECUTE format('SELECT EXISTS (SELECT 1 FROM %I)', target) INTO filled;
    IF filled THEN
        RETURN false;
    END IF;
    FOR kept IN
        SELECT c.relname::text AS name, pg_get_indexdef(i.indexrelid) AS definition, pg_get_constraintdef(con.oid) AS rule,
               row_number() OVER (ORDER BY con.contype = 'p' DESC NULLS LAST, c.relname) AS place
        FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
        LEFT JOIN pg_constraint con ON con.conindid = i.indexrelid AND con.conrelid = i.indrelid AND con.contype IN ('p', 'u')
        WHERE i.indrelid = target::regclass
          AND NOT EXISTS (SELECT 1 FROM pg_constraint f WHERE f.conindid = i.indexrelid AND f.contype = 'f')
    LOOP
        INSERT INTO pine_loading VALUES (target, kept.name, kept.definition, kept.rule, kept.place);
        IF kept.rule IS NULL THEN
            EXECUTE format('DROP INDEX %I', kept.name);
        ELSE
            EXECUTE format('ALTER TABLE %I DROP CONSTRAINT %I', target, kept.name);
        END IF;
    END LOOP;
    RETURN true;
END $$;

CREATE FUNCTION pine_load_end(of_target text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    kept record;
BEGIN
    FOR kept IN SELECT * FROM pine_loading l WHERE l.target = of_target ORDER BY l.place LOOP
        IF kept.rule IS NULL THEN
            EXECUTE kept.definition;
        ELSE
            EXECUTE format('ALTER TABLE %I ADD CONSTRAINT %I %s', of_target, kept.name, kept.rule);
        END IF;
    END LOOP;
    DELETE FROM pine_loading l WHERE l.target = of_target;
END $$;
"""
UNDO = """
DROP FUNCTION pine_recode(text, text, text[], text[]); DROP FUNCTION pine_load_begin(text);
DROP FUNCTION pine_load_end(text); DROP TABLE pine_loading;
"""
CLOSED = "REVOKE ALL ON FUNCTION pine_recode(text, text, text[], text[]), pine_load_begin(text), pine_load_end(text) FROM PUBLIC"


class Migration(migrations.Migration):
    dependencies = [("journals", "0001_initial")]

    operations = [
        # Packs are read whole and hardly compress: they are kept out of line and as they are.
        migrations.RunSQL("ALTER TABLE journals_bookpack ALTER COLUMN data SET STORAGE EXTERNAL", migrations.RunSQL.noop),
        migrations.RunSQL(RECODE + LOADING + CLOSED, UNDO),
    ]
