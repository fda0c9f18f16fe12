"""Posted lines may go to another period where the calendar changed: by one function with the owner's rights, which keeps
where each was sealed."""

from django.db import migrations


RESORT = """
CREATE FUNCTION pine_resort(journals bigint[], old_books bigint[], new_books bigint[], periods int[], sequences bigint[])
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
    INSERT INTO journals_resortedline (journal_id, line, fiscal_year, period, at)
    SELECT l.journal_id, l.line, b.fiscal_year, l.period, statement_timestamp()
    FROM unnest(journals, old_books) AS w(journal, book)
    JOIN journals_journalline l ON l.journal_id = w.journal AND l.book_id = w.book JOIN journals_book b ON b.id = l.book_id
    ON CONFLICT (journal_id, line) DO NOTHING;
    PERFORM set_config('pgtrigger.ignore', (
        SELECT array_agg(t.tgname)::text FROM pg_trigger t
        WHERE t.tgrelid = 'journals_journalline'::regclass AND t.tgname LIKE 'pgtrigger_never_altered_%'), true);
    UPDATE journals_journalline l SET book_id = w.new_book, period = w.period, sequence = w.sequence
    FROM unnest(journals, old_books, new_books, periods, sequences) AS w(journal, book, new_book, period, sequence)
    WHERE l.journal_id = w.journal AND l.book_id = w.book;
    GET DIAGNOSTICS changed = ROW_COUNT;
    PERFORM set_config('pgtrigger.ignore', '{}', true);
    RETURN changed;
END $$;
REVOKE ALL ON FUNCTION pine_resort(bigint[], bigint[], bigint[], int[], bigint[]) FROM PUBLIC;
"""
UNDO = "DROP FUNCTION pine_resort(bigint[], bigint[], bigint[], int[], bigint[]);"


class Migration(migrations.Migration):
    dependencies = [("journals", "0007_resorted_lines")]

    operations = [migrations.RunSQL(RESORT, UNDO)]
