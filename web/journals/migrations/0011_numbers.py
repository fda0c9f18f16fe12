"""Numbers of journals taken in one go: one that follows another is of the same statement, and a package of a quarter of a
million doesn't ask a quarter of a million times."""

from django.db import migrations

TAKE = """
CREATE FUNCTION pine_take_numbers(count bigint) RETURNS bigint
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    numbers regclass := pg_get_serial_sequence('journals_journal', 'id');
    first bigint;
BEGIN
    -- until the numbers are taken, not until commit: whoever takes them asks here
    PERFORM pg_advisory_lock(hashtext('pine_take_numbers'));
    first := nextval(numbers);
    PERFORM setval(numbers, first + count - 1);
    PERFORM pg_advisory_unlock(hashtext('pine_take_numbers'));
    RETURN first;
END $$;
REVOKE ALL ON FUNCTION pine_take_numbers(bigint) FROM PUBLIC;
"""


class Migration(migrations.Migration):
    dependencies = [("journals", "0010_lines_by_year")]

    operations = [migrations.RunSQL(TAKE, "DROP FUNCTION pine_take_numbers(bigint)")]
