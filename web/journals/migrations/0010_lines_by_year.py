"""Lines of journals in parts by fiscal year, by PostgreSQL's own means: a year can be detached, kept elsewhere and attached
again. Each line carries its book's fiscal year and its journal's date; every line and every hash stays."""

import pgtrigger.compiler
import pgtrigger.migrations
from django.db import migrations, models

TABLE = """
ALTER TABLE journals_journalline RENAME TO journals_journalline_whole;
CREATE TABLE journals_journalline (
    journal_id bigint NOT NULL,
    book_id bigint NOT NULL,
    account_id bigint NOT NULL,
    dimensions_id bigint,
    amount bigint NOT NULL,
    keyed bigint NOT NULL,
    sequence bigint NOT NULL,
    line integer NOT NULL,
    partner_id integer,
    fiscal_year integer NOT NULL,
    date date NOT NULL,
    period smallint NOT NULL,
    closing boolean NOT NULL,
    generated boolean NOT NULL,
    description text NOT NULL,
    source_type text NOT NULL,
    source_number text NOT NULL,
    source_party text NOT NULL,
    source_item text NOT NULL
) PARTITION BY LIST (fiscal_year);
"""
YEARS = """
CREATE FUNCTION pine_lines_part(year int) RETURNS text LANGUAGE sql IMMUTABLE AS $$
    SELECT 'journals_journalline_' || replace(year::text, '-', 'before_')
$$;

CREATE FUNCTION pine_lines_guarded(part text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    kept record;
BEGIN
    FOR kept IN
        SELECT pg_get_triggerdef(t.oid) AS definition FROM pg_trigger t
        WHERE t.tgrelid = 'journals_journalline'::regclass AND NOT t.tgisinternal
    LOOP
        EXECUTE regexp_replace(kept.definition, ' ON \S*journals_journalline ', format(' ON %I ', part));
    END LOOP;
END $$;

CREATE FUNCTION pine_lines_attach(part text, year int) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
BEGIN
    EXECUTE format('ALTER TABLE journals_journalline ATTACH PARTITION %I FOR VALUES IN (%s)', part, year);
    EXECUTE format('ALTER TABLE %I DROP CONSTRAINT IF EXISTS of_year', part);
    PERFORM pine_lines_guarded(part);
END $$;

CREATE FUNCTION pine_lines_of_year(year int) RETURNS boolean
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    part text := pine_lines_part(year);
BEGIN
    IF to_regclass(part) IS NOT NULL THEN
        RETURN true;
    END IF;
    PERFORM pg_advisory_xact_lock(hashtext('pine_lines_of_year'), year);
    IF to_regclass(part) IS NOT NULL THEN
        RETURN true;
    END IF;
    EXECUTE format('CREATE TABLE public.%I (LIKE journals_journalline INCLUDING DEFAULTS)', part);
    PERFORM pine_lines_attach(part, year);
    RETURN false;
END $$;

CREATE FUNCTION pine_lines_load(year int) RETURNS text
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    part text := format('pine_lines_%s_%s', year, pg_backend_pid());
BEGIN
    EXECUTE format('CREATE TABLE public.%I (LIKE journals_journalline INCLUDING DEFAULTS)', part);
    EXECUTE format('ALTER TABLE %I ADD CONSTRAINT of_year CHECK (fiscal_year = %s)', part, year);
    EXECUTE format('GRANT INSERT ON %I TO %I', part, session_user);
    RETURN part;
END $$;

CREATE FUNCTION pine_lines_loaded(year int) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public SET maintenance_work_mem = '256MB' AS $$
DECLARE
    part text := format('pine_lines_%s_%s', year, pg_backend_pid());
    kept record;
    first_journal bigint;
    last_journal bigint;
    broken boolean;
BEGIN
    EXECUTE format('SELECT EXISTS (SELECT 1 FROM %I l JOIN journals_book b ON b.id = l.book_id GROUP BY l.journal_id, b.company'
        ' HAVING sum(l.amount) <> 0 OR bool_or(b.fiscal_year <> l.fiscal_year))', part) INTO broken;
    IF broken THEN
        RAISE EXCEPTION 'pine: the lines of a journal must balance in every company' USING ERRCODE = 'check_violation';
    END IF;
    EXECUTE format('SELECT min(journal_id), max(journal_id) FROM %I', part) INTO first_journal, last_journal;
    EXECUTE format('SELECT EXISTS (SELECT 1 FROM (SELECT journal_id, count(*) AS lines, min(date) AS day, max(date) AS last_day'
        ' FROM %I GROUP BY journal_id) n LEFT JOIN journals_journal j ON j.id = n.journal_id'
        ' WHERE (n.lines, n.day, n.last_day) IS DISTINCT FROM (j.line_count, j.date, j.date))', part) INTO broken;
    IF NOT broken THEN
        EXECUTE format('SELECT EXISTS (SELECT 1 FROM journals_journalline l WHERE l.journal_id BETWEEN $1 AND $2'
            ' AND EXISTS (SELECT 1 FROM %I n WHERE n.journal_id = l.journal_id))', part)
            INTO broken USING first_journal, last_journal;
    END IF;
    IF broken THEN
        RAISE EXCEPTION 'pine: a posted journal gets no further lines' USING ERRCODE = 'check_violation';
    END IF;
    EXECUTE format('REVOKE ALL ON %I FROM %I', part, session_user);
    FOR kept IN
        SELECT c.relname AS name, pg_get_indexdef(i.indexrelid) AS definition, pg_get_constraintdef(con.oid) AS rule
        FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
        LEFT JOIN pg_constraint con ON con.conindid = i.indexrelid AND con.conrelid = i.indrelid
        WHERE i.indrelid = 'journals_journalline'::regclass
    LOOP
        IF kept.rule IS NULL THEN
            EXECUTE regexp_replace(
                kept.definition, ' INDEX \S+ ON ONLY \S+', format(' INDEX %I ON %I', part || '_' || kept.name, part));
        ELSE
            EXECUTE format('ALTER TABLE %I ADD %s', part, kept.rule);
        END IF;
    END LOOP;
END $$;

CREATE FUNCTION pine_lines_brought_in(year int) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    part text := format('pine_lines_%s_%s', year, pg_backend_pid());
    kept record;
BEGIN
    PERFORM pg_advisory_xact_lock(hashtext('pine_lines_of_year'), year);
    IF to_regclass(pine_lines_part(year)) IS NULL THEN
        EXECUTE format('ALTER TABLE %I RENAME TO %I', part, pine_lines_part(year));
        FOR kept IN
            SELECT c.relname AS name FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
            WHERE i.indrelid = pine_lines_part(year)::regclass
        LOOP
            EXECUTE format('ALTER INDEX %I RENAME TO %I', kept.name, replace(kept.name, part, pine_lines_part(year)));
        END LOOP;
        PERFORM pine_lines_attach(pine_lines_part(year), year);
    ELSE
        -- others posted to the year meanwhile
        EXECUTE format('INSERT INTO journals_journalline SELECT * FROM %I', part);
        EXECUTE format('DROP TABLE %I', part);
    END IF;
END $$;
"""
LINES = """
SELECT pine_lines_of_year(y) FROM (SELECT DISTINCT fiscal_year AS y FROM journals_book) b;
INSERT INTO journals_journalline (journal_id, book_id, account_id, dimensions_id, amount, keyed, sequence, line, partner_id,
    fiscal_year, date, period, closing, generated, description, source_type, source_number, source_party, source_item)
SELECT l.journal_id, l.book_id, l.account_id, l.dimensions_id, l.amount, l.keyed, l.sequence, l.line, l.partner_id,
    b.fiscal_year, j.date, l.period, l.closing, l.generated, l.description, l.source_type, l.source_number, l.source_party,
    l.source_item
FROM journals_journalline_whole l JOIN journals_book b ON b.id = l.book_id JOIN journals_journal j ON j.id = l.journal_id;
DO $$ BEGIN
    IF (SELECT count(*) FROM journals_journalline) <> (SELECT count(*) FROM journals_journalline_whole) THEN
        RAISE EXCEPTION 'pine: there are lines without a book or a journal: ./pine verify of the release before tells which';
    END IF;
END $$;
DROP TABLE journals_journalline_whole;
ALTER TABLE journals_journalline ADD PRIMARY KEY (journal_id, line, fiscal_year);
CREATE INDEX journals_line_account ON journals_journalline (account_id, book_id, period, date) INCLUDE (amount);
CREATE INDEX journals_line_book ON journals_journalline (book_id, sequence);
CREATE INDEX journals_line_partner ON journals_journalline (partner_id, book_id) WHERE partner_id IS NOT NULL;
CREATE INDEX journals_line_source ON journals_journalline (source_number) WHERE NOT source_number = '';
ANALYZE journals_journalline;
"""
RESORT = """
CREATE OR REPLACE FUNCTION pine_resort(journals bigint[], old_books bigint[], new_books bigint[], periods int[], sequences bigint[])
RETURNS bigint LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    changed bigint;
BEGIN
    IF EXISTS (
        SELECT 1 FROM unnest(old_books, new_books) AS w(was, now)
        JOIN journals_book o ON o.id = w.was JOIN journals_book n ON n.id = w.now WHERE o.company <> n.company
    ) THEN
        RAISE EXCEPTION 'pine: lines stay with their company' USING ERRCODE = 'check_violation';
    END IF;
    PERFORM pine_lines_of_year(n.fiscal_year)
    FROM (SELECT DISTINCT b.fiscal_year FROM unnest(new_books) AS w(now) JOIN journals_book b ON b.id = w.now) n;
    INSERT INTO journals_resortedline (journal_id, line, fiscal_year, period, at)
    SELECT l.journal_id, l.line, b.fiscal_year, l.period, statement_timestamp()
    FROM unnest(journals, old_books) AS w(journal, book)
    JOIN journals_journalline l ON l.journal_id = w.journal AND l.book_id = w.book JOIN journals_book b ON b.id = l.book_id
    ON CONFLICT (journal_id, line) DO NOTHING;
    PERFORM set_config('pgtrigger.ignore', (
        SELECT array_agg(t.tgname)::text FROM pg_trigger t
        WHERE t.tgrelid = 'journals_journalline'::regclass AND t.tgname LIKE 'pgtrigger_never_altered_%'), true);
    UPDATE journals_journalline l
    SET book_id = w.new_book, fiscal_year = n.fiscal_year, period = w.period, sequence = w.sequence
    FROM unnest(journals, old_books, new_books, periods, sequences) AS w(journal, book, new_book, period, sequence)
    JOIN journals_book n ON n.id = w.new_book
    WHERE l.journal_id = w.journal AND l.book_id = w.book;
    GET DIAGNOSTICS changed = ROW_COUNT;
    PERFORM set_config('pgtrigger.ignore', '{}', true);
    RETURN changed;
END $$;
"""
GUARDED = """
SELECT pine_lines_guarded(c.relname::text) FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
WHERE i.inhparent = 'journals_journalline'::regclass;
REVOKE ALL ON FUNCTION pine_lines_part(int), pine_lines_guarded(text), pine_lines_attach(text, int), pine_lines_of_year(int),
    pine_lines_load(int), pine_lines_loaded(int), pine_lines_brought_in(int) FROM PUBLIC;
"""
CHANGES = [
    migrations.RemoveIndex(model_name='journalline', name='journals_jo_account_2443d1_idx'),
    migrations.RenameIndex(
        model_name='journalline', new_name='journals_line_book', old_name='journals_jo_book_id_f4b80f_idx',
    ),
    migrations.AddField(
        model_name='journalline', name='date', field=models.DateField(default=None), preserve_default=False,
    ),
    migrations.AddField(
        model_name='journalline', name='fiscal_year', field=models.IntegerField(default=None), preserve_default=False,
    ),
    migrations.AddIndex(
        model_name='journalline',
        index=models.Index(
            fields=['account', 'book', 'period', 'date'], include=('amount',), name='journals_line_account',
        ),
    ),
    migrations.AddIndex(
        model_name='journalline',
        index=models.Index(
            condition=models.Q(('partner_id__isnull', False)), fields=['partner_id', 'book'],
            name='journals_line_partner',
        ),
    ),
]


class Migration(migrations.Migration):
    dependencies = [("journals", "0009_balanced_by_new_lines")]

    operations = [
        pgtrigger.migrations.RemoveTrigger(model_name='journalline', name='balanced'),
        pgtrigger.migrations.RemoveTrigger(model_name='journalline', name='never_altered'),
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(TABLE), migrations.RunSQL(YEARS), migrations.RunSQL(LINES), migrations.RunSQL(RESORT),
            ],
            state_operations=CHANGES,
        ),
        pgtrigger.migrations.AddTrigger(
            model_name='journalline',
            trigger=pgtrigger.compiler.Trigger(name='never_altered', sql=pgtrigger.compiler.UpsertTriggerSql(func="RAISE EXCEPTION 'pine: rows of % are never altered', TG_TABLE_NAME USING ERRCODE = 'check_violation';", hash='c846d3c6d6792397a83cee25279152a0fc7169e6', level='STATEMENT', operation='UPDATE OR DELETE OR TRUNCATE', pgid='pgtrigger_never_altered_3e254', table='journals_journalline', when='BEFORE')),
        ),
        pgtrigger.migrations.AddTrigger(
            model_name='journalline',
            trigger=pgtrigger.compiler.Trigger(name='balanced', sql=pgtrigger.compiler.UpsertTriggerSql(declare='DECLARE first_journal bigint; last_journal bigint; given bigint;', func="\n    IF EXISTS (\n        SELECT 1 FROM new_lines l JOIN journals_book b ON b.id = l.book_id\n        GROUP BY l.journal_id, b.company HAVING sum(l.amount) <> 0 OR bool_or(b.fiscal_year <> l.fiscal_year)\n    ) THEN\n        RAISE EXCEPTION 'pine: the lines of a journal must balance in every company'\n        USING ERRCODE = 'check_violation';\n    END IF;\n    SELECT min(journal_id), max(journal_id), count(*) INTO first_journal, last_journal, given FROM new_lines;\n    IF EXISTS (\n        SELECT 1 FROM (\n            SELECT journal_id, count(*) AS lines, min(date) AS day, max(date) AS last_day FROM new_lines\n            GROUP BY journal_id\n        ) n JOIN journals_journal j ON j.id = n.journal_id\n        WHERE j.id BETWEEN first_journal AND last_journal\n          AND (n.lines <> j.line_count OR n.day <> j.date OR n.last_day <> j.date)\n    ) OR (\n        (SELECT count(*) FROM journals_journalline WHERE journal_id BETWEEN first_journal AND last_journal)\n        <> given\n        AND EXISTS (\n            SELECT 1 FROM (SELECT journal_id, count(*) AS lines FROM new_lines GROUP BY journal_id) n,\n            LATERAL (SELECT count(*) AS lines FROM journals_journalline l WHERE l.journal_id = n.journal_id) t\n            WHERE t.lines <> n.lines\n        )\n    ) THEN\n        RAISE EXCEPTION 'pine: a posted journal gets no further lines' USING ERRCODE = 'check_violation';\n    END IF;\n    IF EXISTS (SELECT 1 FROM new_lines GROUP BY journal_id HAVING min(fiscal_year) <> max(fiscal_year)) THEN\n        IF EXISTS (SELECT 1 FROM new_lines GROUP BY journal_id, line HAVING count(*) > 1) THEN\n            RAISE EXCEPTION 'pine: a journal has each line once' USING ERRCODE = 'unique_violation';\n        END IF;\n    END IF;\n    RETURN NULL;\n", hash='929ac224552198ab3b2cdf682900fac26badcb16', level='STATEMENT', operation='INSERT', pgid='pgtrigger_balanced_6430d', referencing='REFERENCING NEW TABLE AS new_lines ', table='journals_journalline', when='AFTER')),
        ),
        migrations.RunSQL(GUARDED),
    ]
