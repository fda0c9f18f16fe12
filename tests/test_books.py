"""What books promise: never altered, always balanced, one poster after the other, nothing left of a kill."""

import io
import os
import signal
import subprocess
import sys
import time
import zipfile
from datetime import date
from decimal import Decimal
from pathlib import Path

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import DatabaseError, connection, transaction
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Put
from core.definitions.tables import Journal as JournalRow, JournalLine as LineRow, Period
from core.faults import Refused
from tests.base import (
    CommittingTest,
    PineTest,
    Together,
    bring,
    client_of,
    forget,
    package,
    person,
    run,
    tables,
    world,
)
from web.definitions import actions as definition_actions
from web.definitions.models import Edited, Version
from web.definitions.snapshot import current
from web.journals import actions
from web.journals.books import LONGEST_TAIL, books_for
from web.journals.models import BookPack, Journal, JournalLine

ROOT = Path(__file__).resolve().parent.parent


def keyed(
    name: str, amount: str = "5", company: str = "alpha", code: str = "10"
) -> tuple[JournalRow, list[LineRow]]:
    head = JournalRow(company, name, date(2026, 2, 3), "general", "keyed")
    lines = [
        LineRow(company, name, 1, account=f"{code}-1010", debit=amount),
        LineRow(company, name, 2, account=f"{code}-2010", credit=amount),
    ]
    return head, lines


def balance(company: str, code: str) -> int:
    total = 0
    for book in books_for(current().state, [company])[company]:
        if code in book.naturals:
            rows = book.rows[book.rows["natural"] == book.naturals.index(code)]
            total += int((rows["debit"] - rows["credit"]).sum())
    return total


class Promises(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.person = person("mirela")

    def refuses(self, sql: str) -> str:
        with self.assertRaises(DatabaseError) as told, transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
            cursor.execute(sql)
        return str(told.exception).split("\n")[0]

    def test_posted_rows_and_the_log_are_never_altered_by_sql(self) -> None:
        for table, column in [
            ("journals_journal", "description"),
            ("journals_journalline", "description"),
            ("definitions_version", "sentence"),
            ("definitions_edited", "key"),
        ]:
            for sql in (
                f"UPDATE {table} SET {column} = 'x'",
                f"DELETE FROM {table}",
                f"TRUNCATE {table} CASCADE",
            ):
                with self.subTest(sql):
                    self.assertIn("are never altered", self.refuses(sql))

    def test_an_unbalanced_journal_is_refused_by_the_database(self) -> None:
        sql = (
            "INSERT INTO journals_journalline SELECT journal_id, line + 100, book_id, fiscal_year, period,"
            " date, closing, account_id,"
            " dimensions_id, partner_id, amount + 1, keyed, generated, sequence, description,"
            " source_type, source_number, source_party, source_item FROM journals_journalline"
        )
        sql = sql.replace(
            "INSERT INTO journals_journalline SELECT",
            "INSERT INTO journals_journalline (journal_id, line, book_id, fiscal_year, period, date, closing,"
            " account_id,"
            " dimensions_id, partner_id, amount, keyed, generated, sequence, description, source_type,"
            " source_number, source_party, source_item) SELECT",
        )
        self.assertEqual(self.refuses(sql), "pine: the lines of a journal must balance in every company")

    def test_posting_moves_the_balance_and_reversing_moves_it_back(self) -> None:
        before = balance("alpha", "1010")
        actions.post_all([keyed("K1", "7.25")], self.person)
        self.assertEqual(balance("alpha", "1010"), before + 725)
        actions.reverse("alpha", "K1", date(2026, 3, 1), "K2", self.person)
        self.assertEqual(balance("alpha", "1010"), before)
        for again, expected in [
            (("alpha", "K1", date(2026, 3, 1), "K3"), "K1 was reversed already."),
            (("alpha", "A1", date(2026, 3, 1), "K2"), "There is a journal K2 already."),
            (("alpha", "A1", date(2031, 3, 1), "K4"), "2031-03-01 falls into no period of company alpha."),
            (("alpha", "none", date(2026, 3, 1), "K4"), "There is no journal none."),
        ]:
            with self.subTest(expected), self.assertRaises(Refused) as told:
                actions.reverse(*again, self.person)
            self.assertEqual(told.exception.faults[0].what, expected)

    def test_all_or_none(self) -> None:
        with self.assertRaises(Refused):
            actions.post_all([keyed("K1"), keyed("K2", "-1")], self.person)
        self.assertFalse(Journal.objects.filter(journal__in=["K1", "K2"]).exists())

    def test_balances_from_lines_from_packs_and_from_tails_are_the_same(self) -> None:
        actions.post_all([keyed("K1", "7.25")], self.person)
        tail = balance("alpha", "1010")
        forget()
        BookPack.objects.all().delete()
        self.assertEqual(balance("alpha", "1010"), tail)
        forget()
        self.assertEqual(balance("alpha", "1010"), tail)

    def test_posting_queries_do_not_grow_with_lines(self) -> None:
        def count(lines: int) -> int:
            head, made = keyed(f"Q{lines}")
            made += [
                LineRow(
                    "alpha",
                    head.journal,
                    n,
                    account="10-1010" if n % 2 else "10-2010",
                    debit="1" if n % 2 else "",
                    credit="" if n % 2 else "1",
                )
                for n in range(3, lines + 3)
            ]
            with CaptureQueriesContext(connection) as seen:
                actions.post_all([(head, made)], self.person)
            return len(seen)

        current()
        count(4)  # its account strings are new, and known from then on
        self.assertEqual(count(2), count(40))
        self.assertLessEqual(count(8), COUNTED)

    def test_two_changes_of_the_same_row(self) -> None:
        seen = Version.objects.count()
        row = Period("m", 2026, 1, "January", date(2026, 1, 1), date(2026, 1, 31))
        definition_actions.make_change(Put(row), self.person, seen)
        with self.assertRaises(Refused) as told:
            definition_actions.make_change(Put(row._replace(name="Jan")), person("tamsin"), seen)
        self.assertEqual(
            str(told.exception.faults[0]),
            "periods, m 2026 1: Mirela changed this meanwhile: Changed period 2026 1 M1 of m: name from M1 to"
            " January. Look at it as it is now, then decide again.",
        )
        definition_actions.take_back(seen + 1, self.person)
        self.assertEqual((Edited.objects.get(version=seen + 2).new or {})["name"], "M1")
        with self.assertRaises(Refused) as told:
            definition_actions.take_back(seen + 1, self.person)
        self.assertEqual(told.exception.faults[0].what, "This change was taken back already.")

    def test_figures_of_the_demo_agree_with_an_addition_of_its_lines(self) -> None:
        """An independent sum over the lines of the package, in decimals, against the command line."""
        forget()
        with connection.cursor() as cursor:
            cursor.execute("SET session_replication_role = replica")
            for table in ("journals_journalline", "journals_journal", "journals_bookpack", "journals_book"):
                cursor.execute(f"DELETE FROM {table}")
            cursor.execute("SET session_replication_role = DEFAULT")
        from demo import years

        lived = years.life()
        with package({}) as folder:
            from demo.__main__ import write_package

            write_package(folder)
            self.assertEqual(run("import", str(folder))[0], 0)
        months = {(journal.company, journal.journal): journal for journal in lived.journals}
        for company, first in (("nurseries", 3), ("hexley", 1), ("veenbol", 9)):
            sums: dict[str, list[Decimal]] = {}
            for line in lived.lines:
                if line.company != company:
                    continue
                on = months[(company, line.journal)].date
                parts = line.account.replace("/", "-").replace(".", "-").split("-")
                natural = next(part for part in parts if len(part) in (4, 5))
                debit, credit = Decimal(line.debit or 0), Decimal(line.credit or 0)
                row = sums.setdefault(natural, [Decimal(0), Decimal(0), Decimal(0)])
                if (on.year, on.month) < (2026, first):
                    row[0] += debit - credit
                else:
                    row[1], row[2] = row[1] + debit, row[2] + credit
            expected = [
                f"{code},{o:.2f},{d:.2f},{c:.2f},{o + d - c:.2f}" for code, (o, d, c) in sorted(sums.items())
            ]
            out = run(
                "trial-balance",
                "--company",
                company,
                "--year",
                "2026",
                "--period",
                "9",
                "--from-period",
                str(first),
            )[1]
            found = [",".join([line.split(",")[0], *line.split(",")[-4:]]) for line in out.splitlines()[1:]]
            self.assertEqual(found, expected)


COUNTED = 17


class Races(Together, CommittingTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.person = person("mirela")

    def test_posters_of_the_same_book_wait_for_each_other(self) -> None:
        before = balance("alpha", "1010")
        self.together(
            *(lambda n=n: actions.post_all([keyed(f"P{n}", "1.00")], self.person) for n in range(6))
        )
        self.assertEqual(balance("alpha", "1010"), before + 600)
        sequences = list(
            JournalLine.objects.filter(journal__journal__startswith="P")
            .values_list("sequence", flat=True)
            .distinct()
        )
        self.assertEqual(len(sequences), 6)

    def test_the_same_number_twice(self) -> None:
        ended = self.together(*(lambda: actions.post_all([keyed("SAME")], self.person) for _ in range(2)))
        self.assertIn("A journal of this number was posted meanwhile.", ended)
        self.assertEqual(Journal.objects.filter(journal="SAME").count(), 1)

    def test_poster_against_the_close_of_a_period(self) -> None:
        close = Put(Period("m", 2026, 2, "M2", date(2026, 2, 1), date(2026, 2, 28), "regular", "closed"))
        ended = self.together(
            lambda: actions.post_all([keyed("LATE")], self.person),
            lambda: definition_actions.make_change(close, self.person),
        )
        self.assertEqual(
            Journal.objects.filter(journal="LATE").exists(), ended[0] != "M2 is closed for company alpha."
        )

    def test_two_publishers_make_two_versions(self) -> None:
        names = ("First", "Second")
        rows = [
            Period("m", 2026, n, name, date(2026, n, 1), date(2026, n, 28 if n == 2 else 31))
            for n, name in ((1, names[0]), (2, names[1]))
        ]
        before = Version.objects.count()
        self.together(
            *(
                lambda period=period: definition_actions.make_change(Put(period), self.person)
                for period in rows
            )
        )
        self.assertEqual(
            sorted(Version.objects.values_list("version", flat=True)), list(range(1, before + 3))
        )

    def test_a_kill_in_the_middle_of_an_import_leaves_nothing(self) -> None:
        rows = "".join(f"alpha,L{n},2026-02-10\n" for n in range(20_000))
        lines = "".join(f"alpha,L{n},1,10-1010,5,\nalpha,L{n},2,10-2010,,5\n" for n in range(20_000))
        before = (Journal.objects.count(), JournalLine.objects.count(), Version.objects.count())
        settings = connection.settings_dict
        address = "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**settings)
        content = {
            **tables(),
            "journals": "company,journal,date\n" + rows,
            "journal_lines": "company,journal,line,account,debit,credit\n" + lines,
            "codes": "code_list,code,name,account_class\nacc,1600,New,asset\n",
        }
        with package(content) as folder:
            environment = {**os.environ, "PINE_DATABASE_URL": address, "PYTHONPATH": str(ROOT)}
            started = subprocess.Popen(
                [sys.executable, "-m", "web.manage", "books", "import", str(folder)],
                env=environment,
                stderr=subprocess.DEVNULL,
            )
            seen = False
            for _ in range(600):
                time.sleep(0.02)
                with connection.cursor() as cursor:
                    cursor.execute(
                        "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND query"
                        " LIKE 'COPY journals_journalline%'"
                    )
                    seen = cursor.fetchone()[0] > 0
                if seen or started.poll() is not None:
                    break
            started.send_signal(signal.SIGKILL)
            started.wait()
        self.assertTrue(seen, "the import was not caught while writing")
        self.assertEqual(
            (Journal.objects.count(), JournalLine.objects.count(), Version.objects.count()), before
        )
        self.assertGreater(LONGEST_TAIL, 0)
        forget()
        self.assertEqual(run("check")[0], 0)


class Jobs(CommittingTest):
    """A package too large to wait for: its progress is seen, it can be stopped, and it ends with what it
    did."""

    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.person = person("mirela")
        settings = connection.settings_dict
        address = "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**settings)
        worker = subprocess.Popen(
            [sys.executable, "-m", "web.manage", "procrastinate", "worker", "--concurrency=1"],
            env={**os.environ, "PINE_DATABASE_URL": address},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(worker.wait)
        self.addCleanup(worker.kill)

    def send(self, count: int) -> str:
        heads = "".join(f"alpha,L{n},2026-02-10\n" for n in range(count))
        lines = "".join(f"alpha,L{n},1,10-1010,5,\nalpha,L{n},2,10-2010,,5\n" for n in range(count))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("journals.csv", "company,journal,date\n" + heads)
            archive.writestr("journal_lines.csv", "company,journal,line,account,debit,credit\n" + lines)
        self.client_ = client_of(self.person)
        reply = self.client_.post("/exchange/in/", {"file": SimpleUploadedFile("big.zip", out.getvalue())})
        return str(reply["Location"])

    def ended(self, address: str) -> str:
        for _ in range(1200):
            page = self.client_.get(address).content.decode()
            if "Stop<kbd>" not in page:
                return page
            time.sleep(0.1)
        return page

    def test_it_comes_in(self) -> None:
        self.assertIn("20,000 new in journals, 40,000 new in journal_lines", self.ended(self.send(20_000)))
        self.assertEqual(Journal.objects.filter(journal__startswith="L").count(), 20_000)

    def test_it_can_be_stopped(self) -> None:
        address = self.send(60_000)
        self.client_.post(f"{address}stop/")
        self.assertIn("Stopped; nothing was written.", self.ended(address))
        self.assertFalse(Journal.objects.filter(journal__startswith="L").exists())
