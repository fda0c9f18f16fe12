"""Lines in parts by fiscal year: nobody gets past their guards, a load into a new year keeps nobody waiting,
and a year that is detached comes back as it was."""

from __future__ import annotations

import csv
import html
import io
from datetime import date
from typing import Any
from unittest.mock import patch

import psycopg
from django.db import IntegrityError, ProgrammingError, connection, transaction

from tests.base import CommittingTest, bring, client_of, forget, package, person, run, world
from tests.serving import database_url
from tests.test_books import balance, keyed
from tests.test_nothing_waits import in_a_thread
from web.exchange.importing import import_package
from web.journals import actions, line_parts, posting
from web.journals.models import Journal, JournalLine

NEXT_YEAR = "calendar,fiscal_year,period,name,starts_on,ends_on\nm,2027,1,1/2027,2026-05-01,2026-05-31\n"
COLUMNS = posting.LINE_COLUMNS
OF_2026 = f"SELECT {COLUMNS} FROM journals_journalline WHERE fiscal_year = 2026 ORDER BY journal_id, line"
LEFT_OUT = "INSERT INTO {} (" + COLUMNS + ") SELECT {} FROM journals_journalline WHERE fiscal_year = 2026"


def rows(sql: str) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql)
        fetched: list[tuple[Any, ...]] = cursor.fetchall()
        return fetched


def altered(**changes: str) -> str:
    """The columns of a line, some with another value."""
    return ", ".join(changes.get(name, name) for name in COLUMNS.split(", "))


def many(name: str, count: int) -> dict[str, str]:
    """So many journals of two lines in fiscal year 2027."""
    heads, lines = io.StringIO(newline=""), io.StringIO(newline="")
    head, line = csv.writer(heads), csv.writer(lines)
    head.writerow(("company", "journal", "date"))
    line.writerow(("company", "journal", "line", "account", "debit", "credit"))
    for n in range(count):
        head.writerow(("alpha", f"{name}{n}", f"2026-05-{1 + n % 28:02d}"))
        line.writerow(("alpha", f"{name}{n}", 1, "10-1010", f"{n + 1}.00", ""))
        line.writerow(("alpha", f"{name}{n}", 2, "10-3010", "", f"{n + 1}.00"))
    return {"journals": heads.getvalue(), "journal_lines": lines.getvalue()}


class YearsOfLines(CommittingTest):
    def setUp(self) -> None:
        super().setUp()
        line_parts._known.clear()
        bring(world())
        bring({"periods": NEXT_YEAR})
        self.mirela = person("mirela")
        actions.post_all([keyed("K1", "7.25"), keyed("K2", "1.00")], self.mirela)

    def refuses(self, sql: str) -> str:
        with self.assertRaises((IntegrityError, ProgrammingError)) as told, transaction.atomic():
            rows(sql)
        return str(told.exception).split("\n")[0]

    def without_part(self, year: int) -> None:
        """As before anybody posted to the year."""
        with connection.cursor() as cursor:
            cursor.execute(f"DROP TABLE IF EXISTS journals_journalline_{year}")
        line_parts._known.clear()

    def test_each_line_carries_its_books_year_and_its_journals_date(self) -> None:
        bring(many("N", 3))
        for line in JournalLine.objects.select_related("journal", "book"):
            self.assertEqual((line.fiscal_year, line.date), (line.book.fiscal_year, line.journal.date))
        self.assertEqual(
            rows("SELECT tableoid::regclass::text, count(*) FROM journals_journalline GROUP BY 1 ORDER BY 1"),
            [
                ("journals_journalline_2026", JournalLine.objects.filter(fiscal_year=2026).count()),
                ("journals_journalline_2027", 6),
            ],
        )

    def test_whatever_lines_say_of_year_day_and_sums_is_held_in_each_part(self) -> None:
        bring(many("N", 1))
        fresh = "journal_id + 90000"
        for name in ("journals_journalline", "journals_journalline_2026"):
            for changes, says in (
                ({"line": "line + 100"}, "a posted journal gets no further lines"),
                ({"journal_id": fresh, "amount": "amount + 1"}, "must balance in every company"),
                ({"date": "date + 1", "line": "line + 100"}, "a posted journal gets no further lines"),
            ):
                with self.subTest(name, **changes):
                    self.assertIn(says, self.refuses(LEFT_OUT.format(name, altered(**changes))))
            for sql in (f"UPDATE {name} SET amount = 0", f"DELETE FROM {name}", f"TRUNCATE {name}"):
                with self.subTest(sql):
                    self.assertIn("are never altered", self.refuses(sql))
        self.assertIn(
            "must balance in every company",
            self.refuses(
                LEFT_OUT.format("journals_journalline", altered(journal_id=fresh, fiscal_year="2027"))
            ),
            "a line of a year that its book isn't of",
        )

    def test_the_application_reaches_parts_through_the_table_alone(self) -> None:
        with psycopg.connect(database_url(), autocommit=True) as own:
            for sql in (
                "SELECT * FROM journals_journalline_2026",
                LEFT_OUT.format("journals_journalline_2026", COLUMNS),
                "UPDATE journals_journalline_2026 SET amount = 0",
                "SELECT pine_lines_attach('people_person', 2030)",
                "SELECT pine_lines_guarded('people_person')",
            ):
                with self.subTest(sql), self.assertRaisesRegex(psycopg.Error, "permission denied"):
                    own.execute(sql)
            for sql in (
                "ALTER TABLE journals_journalline DETACH PARTITION journals_journalline_2026",
                "DROP TABLE journals_journalline_2026",
            ):
                with self.subTest(sql), self.assertRaisesRegex(psycopg.Error, "must be owner"):
                    own.execute(sql)

    def test_many_lines_of_a_new_year_are_loaded_apart_and_the_same(self) -> None:
        self.without_part(2027)
        with patch.object(posting, "LOADED_FROM", 10):
            bring(many("N", 8))
        own, other = (
            rows(
                "SELECT pg_get_indexdef(indexrelid) FROM pg_index"
                f" WHERE indrelid = 'journals_journalline_{year}'::regclass"
            )
            for year in (2027, 2026)
        )
        shapes = [sorted(text.split(" USING ")[1] for (text,) in some) for some in (own, other)]
        self.assertEqual(shapes[0], shapes[1])
        self.assertEqual(len(shapes[0]), 5)
        guards = (
            "SELECT tgname FROM pg_trigger WHERE tgrelid = 'journals_journalline_{}'::regclass ORDER BY 1"
        )
        self.assertEqual(rows(guards.format(2027)), rows(guards.format(2026)))
        self.assertEqual(
            rows("SELECT conname FROM pg_constraint WHERE conname = 'of_year'"), [], "no check is left over"
        )
        self.assertEqual(run("verify")[0], 0)
        self.assertIn("are never altered", self.refuses("UPDATE journals_journalline_2027 SET amount = 0"))
        bring(many("P", 2))
        self.assertEqual(JournalLine.objects.filter(fiscal_year=2027).count(), 20)
        self.assertEqual(run("verify")[0], 0)

    def test_whoever_posts_to_the_year_meanwhile_and_whoever_reads_waits_for_no_load(self) -> None:
        self.without_part(2027)
        before = balance("alpha", "1010")
        said: list[object] = []

        def reading() -> object:
            return rows("SELECT count(*) FROM journals_journalline")[0][0] >= 4

        def posting_to_it() -> object:
            moved = [
                (head._replace(company="beta", date=date(2026, 5, 5)), lines)
                for head, lines in [keyed("Z9", "3.00", "beta", "20")]
            ]
            return actions.post_all(moved, self.mirela) and "posted"

        def progress(what: str, done: int) -> None:
            if what == "finishing" and not said:
                said.append(in_a_thread(reading))
            if what == "posting" and done and len(said) < 1:
                said.append(in_a_thread(posting_to_it))
                said.append(in_a_thread(reading))

        with patch.object(posting, "LOADED_FROM", 10), package(many("N", 8)) as path:
            import_package(path, None, progress)
        self.assertEqual(said, ["posted", True])
        self.assertEqual(JournalLine.objects.filter(fiscal_year=2027).count(), 18)
        self.assertEqual(balance("alpha", "1010"), before + 36_00)
        self.assertEqual(run("verify")[0], 0)
        self.assertEqual(rows("SELECT relname FROM pg_class WHERE relname LIKE 'pine\\_lines\\_2%'"), [])

    def test_a_load_that_does_not_balance_or_has_no_journals_is_refused(self) -> None:
        self.without_part(2027)
        for changes, says in (
            ({"amount": "amount + 1"}, "must balance in every company"),
            ({}, "must balance in every company"),  # their book is of 2026
        ):
            with self.subTest(**changes):
                self.assertIn(says, self._loading(2027, **changes))
        self.assertIn("a posted journal gets no further lines", self._loading(2026, line="line + 100"))
        self.assertIn(
            "a posted journal gets no further lines", self._loading(2026, journal_id="journal_id + 90")
        )
        self.assertEqual(run("verify")[0], 0)

    def _loading(self, year: int, **changes: str) -> str:
        with (
            self.assertRaises(IntegrityError) as told,
            transaction.atomic(),
            line_parts.loading_year(year) as name,
        ):
            rows(LEFT_OUT.format(name, altered(**{"fiscal_year": str(year), **changes})) + " RETURNING 1")
        return str(told.exception).split("\n")[0]

    def test_a_kill_before_the_end_leaves_no_part(self) -> None:
        self.without_part(2027)

        def fails(*_: Any) -> None:
            raise RuntimeError("killed")

        with (
            patch.object(posting, "LOADED_FROM", 10),
            patch.object(posting, "bring_in", fails),
            self.assertRaises(RuntimeError),
        ):
            bring(many("N", 8))
        self.assertEqual(rows("SELECT relname FROM pg_class WHERE relname ~ '_2027|lines_2027'"), [])
        self.assertEqual(Journal.objects.filter(journal__startswith="N").count(), 0)
        bring(many("N", 8))
        self.assertEqual(JournalLine.objects.filter(fiscal_year=2027).count(), 16)

    def test_a_year_is_detached_and_attached_again_by_postgresqls_own_means(self) -> None:
        before = rows(OF_2026)
        with connection.cursor() as cursor:
            cursor.execute("ALTER TABLE journals_journalline DETACH PARTITION journals_journalline_2026")
        self.assertEqual(rows(OF_2026), [])
        told = "The lines of alpha in 2026 are not attached, so its books can't be added up."
        self.assertEqual(run("verify")[0], 1)
        rows("DELETE FROM journals_bookpack RETURNING book_id")
        forget()
        figures = client_of(self.mirela).get("/statements/trial-balance/?company=alpha&year=2026&period=2")
        self.assertLess(figures.status_code, 500)
        self.assertIn(html.escape(told), figures.content.decode(), "and never nil")
        with connection.cursor() as cursor:
            cursor.execute(
                "ALTER TABLE journals_journalline ATTACH PARTITION journals_journalline_2026"
                " FOR VALUES IN (2026)"
            )
        self.assertEqual(rows(OF_2026), before)
        self.assertEqual(run("verify")[0], 0)
        self.assertIn("are never altered", self.refuses("UPDATE journals_journalline_2026 SET amount = 0"))
