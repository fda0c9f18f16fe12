"""Posted books are safe from the application itself, and what a superuser changes is found."""

from __future__ import annotations

import csv
import hashlib
import io
import os
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import psycopg
from django.db import connection

from core.books.chain import BEGINNING, Sealed, line_text, link
from tests.base import CommittingTest, InWorld, bring, client_of, forget, person, run, world
from tests.serving import database_url
from web.exchange.exporting import export_package
from web.journals.models import BookPack, Journal
from web.packs.models import Pack, PackFile
from web.shell.roles import missing

FURTHER = """
    INSERT INTO journals_journalline (journal_id, line, book_id, fiscal_year, period, date, closing,
    account_id, amount, keyed, generated, sequence, description,
    source_type, source_number, source_party, source_item) SELECT journal_id, line + 100, book_id,
    fiscal_year, period, date, closing, account_id, amount, keyed,
    generated, sequence, '', '', '', '', '' FROM journals_journalline WHERE journal_id = (SELECT min(id)
    FROM journals_journal)
"""
FURTHER_BY_THE_LOAD = FURTHER.replace("line + 100", "line + 100 * g").replace(
    "FROM journals_journalline WHERE", "FROM journals_journalline, generate_series(1, 12000) AS g WHERE"
)
"""So many that the guard counts in another way."""
REFUSED = (
    ("SET session_replication_role = replica", "permission denied"),
    ("ALTER TABLE journals_journalline DISABLE TRIGGER ALL", "must be owner"),
    ("UPDATE journals_journalline SET amount = amount + 1", "permission denied"),
    ("DELETE FROM journals_journal", "permission denied"),
    ("TRUNCATE journals_journalline", "permission denied"),
    ("UPDATE journals_account SET account = 'x'", "permission denied"),
    ("UPDATE journals_dimensionset SET codes = 'x'", "permission denied"),
    ("DELETE FROM definitions_edited", "permission denied"),
    ("UPDATE definitions_version SET sentence = ''", "permission denied"),
    (
        "INSERT INTO journals_recoded (at, target, chart, was, now) VALUES (now(), 'account', 'c', 'a', 'b')",
        "permission denied",
    ),
    ("SELECT * FROM pine_loading", "permission denied"),
    ("SELECT pine_load_begin('people_person')", "pine: people_person is not loaded in one go"),
    ("CREATE TABLE mine (a int)", "permission denied"),
    ("DROP FUNCTION pine_recode", "must be owner"),
    ("CREATE ROLE other SUPERUSER", "must be superuser"),
    (FURTHER, "pine: a posted journal gets no further lines"),
    (FURTHER_BY_THE_LOAD, "pine: a posted journal gets no further lines"),
)


class AsTheApplication(CommittingTest):
    def test_its_role_can_only_add(self) -> None:
        bring(world())
        with psycopg.connect(database_url(), autocommit=True) as own:
            for statement, expected in REFUSED:
                with self.subTest(statement[:60]), self.assertRaises(psycopg.Error) as told:
                    own.execute(statement)
                self.assertIn(expected, str(told.exception), statement[:60])
            self.assertEqual(missing(own.cursor()), [])
        with connection.cursor() as cursor:
            self.assertIn(
                "The application's database role is a superuser: it could switch off what guards posted"
                " books.",
                missing(cursor),
            )
        self.assertEqual(run("verify")[0], 0)


def tampered(statement: str, *values: Any) -> None:
    """A change as a superuser makes it, past every guard."""
    with connection.cursor() as cursor:
        cursor.execute("SET session_replication_role = replica")
        cursor.execute(statement, values)
        cursor.execute("SET session_replication_role = DEFAULT")


class Chain(InWorld):
    """Each way of changing posted books beside the application, and what verify says of it."""

    CASES = (
        (
            "UPDATE journals_journalline SET amount = amount + 1, keyed = keyed + 1 WHERE line = 1",
            "journals, alpha A1: The journal A1 is not what was posted: its hash is another.",
        ),
        (
            "UPDATE journals_journal SET date = date + 1 WHERE journal = 'A2'",
            "journals, alpha A2: The journal A2 is not what was posted: its hash is another.",
        ),
        (
            "UPDATE journals_journal SET poster = 'nobody' WHERE journal = 'B1'",
            "journals, beta B1: The journal B1 is not what was posted: its hash is another.",
        ),
        (
            (
                "UPDATE journals_journal SET posted_by_id = (SELECT id FROM people_person WHERE username ="
                " 'other') WHERE journal = 'B1'"
            ),
            "journals, beta B1: The journal B1 shows other as who posted it; posted it has",
        ),
        (
            "DELETE FROM journals_journalline WHERE line = 3",
            "journals, alpha A2: The journal A2 has not the lines that it was posted with.",
        ),
        (
            "DELETE FROM journals_journal WHERE journal = 'A1'",
            "journals, alpha A2: A journal is missing before A2: it is number 2 of its chain, after 0.",
        ),
        (
            "UPDATE journals_account SET account = '10-1020-' WHERE account = '10-1010-'",
            "journals, alpha A1: The journal A1 is not what was posted: its hash is another.",
        ),
        (
            (
                "UPDATE journals_account SET posted_as = account, account = '10-1020-' WHERE account ="
                " '10-1010-'"
            ),
            "journals_account: The posted text 10-1010- stands as 10-1020- now, which nobody recorded.",
        ),
        (
            "UPDATE packs_packfile SET content = 'other figures'",
            "The pack Board is not the one that was made: its hash is another.",
        ),
        (
            "UPDATE codes_code SET name = 'By hand' WHERE code = '1010'",
            "The definitions are not those that version 1 left.",
        ),
    )

    def test_what_is_changed_beside_the_application_is_found(self) -> None:
        pack = Pack.objects.create(
            by=person("other"), name="Board", form="pdf", fiscal_year=2026, period=1, items=[]
        )
        content = b"the figures"
        PackFile.objects.create(
            pack=pack, content=content, digest=hashlib.sha256(content).hexdigest(), version=1
        )
        self.assertEqual(run("verify")[0], 0)
        for statement, expected in self.CASES:
            with self.subTest(statement[:70]):
                with connection.cursor() as cursor:
                    cursor.execute("SAVEPOINT before_it")
                tampered(statement)
                status, _, told = run("verify")
                self.assertEqual(status, 1)
                self.assertIn(f"Does not hold: {expected}", told)
                with connection.cursor() as cursor:
                    cursor.execute("ROLLBACK TO SAVEPOINT before_it")

    def test_a_line_posted_without_an_account_shows_and_is_reversed(self) -> None:
        """Charts once could do without their natural account; what was posted then is never lost."""
        tampered("UPDATE journals_account SET account = '10--', \"natural\" = '' WHERE account = '10-1010-'")
        forget()
        for target in (
            "/journals/alpha/journal/A1/",
            "/journals/alpha/",
            "/statements/trial-balance/?company=alpha&year=2026&period=2",
            "/statements/st/?company=alpha&year=2026&period=2",
            "/statements/st/figures/?company=alpha&year=2026&period=2",
            "/find/?q=10-",
        ):
            with self.subTest(target):
                self.assertEqual(self.group.get(target).status_code, 200)
        self.assertContains(self.group.get("/journals/alpha/journal/A1/"), "no account")
        self.group.post("/journals/alpha/journal/A1/reverse/", {"on": "2026-03-01"})
        self.assertTrue(Journal.objects.filter(reverses__journal="A1").exists())

    def test_a_chain_cut_off_at_its_end_shows_beside_an_end_kept_elsewhere(self) -> None:
        with TemporaryDirectory() as folder:
            kept = Path(folder) / "heads.csv"
            self.assertEqual(run("verify", "--output", str(kept))[0], 0)
            tampered(
                "DELETE FROM journals_journalline WHERE journal_id = (SELECT id FROM journals_journal WHERE"
                " journal = 'A2')"
            )
            tampered("DELETE FROM journals_journal WHERE journal = 'A2'")
            BookPack.objects.all().delete()
            self.assertEqual(run("verify")[0], 0, "the rest is a sound chain by itself")
            status, _, told = run("verify", "--heads", str(kept))
            self.assertEqual(status, 1)
            self.assertIn("The chain of alpha has no journal number 2, which was kept elsewhere.", told)
            kept.write_text("nothing\n")
            self.assertEqual(run("verify", "--heads", str(kept))[0], 2)

    def test_balances_that_are_not_the_sums_of_lines_are_found_and_mended(self) -> None:
        before = run("trial-balance", "--company", "alpha", "--year", "2026", "--period", "2")
        pack = BookPack.objects.get(book__company_id="alpha")
        data = bytearray(pack.data)
        data[-8] ^= 1
        BookPack.objects.filter(pk=pack.pk).update(data=bytes(data))
        status, _, told = run("verify", "--mend")
        self.assertEqual(status, 1)
        self.assertIn("The balances kept of alpha in 2026 are not the sums of its lines.", told)
        self.assertEqual(run("verify")[0], 0)
        forget()
        self.assertEqual(
            run("trial-balance", "--company", "alpha", "--year", "2026", "--period", "2"), before
        )

    def test_anybody_can_recompute_it_from_an_export(self) -> None:
        """By docs/chain.md alone: no table of ours is read but for the hashes to compare with."""
        self.group.post("/journals/alpha/journal/A2/reverse/", {"on": "2026-03-01"})
        with TemporaryDirectory() as folder:
            export_package(Path(folder) / "out")
            heads = list(csv.DictReader(io.StringIO((Path(folder) / "out" / "journals.csv").read_text())))
            lines = list(
                csv.DictReader(io.StringIO((Path(folder) / "out" / "journal_lines.csv").read_text()))
            )
        last = {"alpha": BEGINNING, "beta": BEGINNING}
        for head in heads:
            texts = [
                self._cells(line, head)
                for line in lines
                if (line["company"], line["journal"]) == (head["company"], head["journal"])
            ]
            stamp = head["posted_at"].replace("+00:00", "Z")
            seal = Sealed(
                head["company"],
                head["journal"],
                head["date"],
                head["kind"],
                head["description"],
                head["currency"],
                head["rate"],
                stamp if "." in stamp else stamp.replace("Z", ".000000Z"),
                head["posted_by"],
                head["reverses"],
            )
            last[head["company"]] = link(last[head["company"]], seal, texts)
            self.assertEqual(
                Journal.objects.get(company_id=head["company"], journal=head["journal"]).hash,
                last[head["company"]],
            )

    def _cells(self, line: dict[str, str], head: dict[str, str]) -> str:
        amount = str(round(float(line["debit"] or 0) * 100) - round(float(line["credit"] or 0) * 100))
        return line_text(
            [
                line["line"],
                line["line_company"] or line["company"],
                "2026",
                str(int(head["date"][5:7])),
                "0",
                line["account"],
                line["dimensions"],
                amount,
                amount,
                line["partner"],
                str(int(line["generated"] == "true")),
                line["description"],
                line["source_type"],
                line["source_number"],
                line["source_party"],
                line["source_item"],
            ]
        )

    def test_codes_spelled_anew_leave_the_chain_whole(self) -> None:
        self.assertEqual(
            self.group.post("/codes/acc/settings/length/", {"length": "6", "side": "behind"}).status_code, 200
        )
        self.assertEqual(run("verify")[0], 0)
        body = (
            '{"journal":"A9","date":"2026-02-20","kind":"general","lines":'
            '[{"account":"10-101000-","debit":"5"},{"account":"10-301000-","credit":"5"}]}'
        )
        self.assertEqual(
            self.group.post("/journals/alpha/post/", body, content_type="application/json").status_code, 200
        )
        self.assertEqual(run("verify")[0], 0)
        self.group.post("/codes/acc/settings/length/", {"length": "7", "side": "front"})
        self.assertEqual(run("verify")[0], 0)


class Numbers(InWorld):
    def test_whoever_comes_second_gets_the_next_number(self) -> None:
        page = self.group.get("/journals/alpha/new/").content.decode()
        proposed = page.partition('name="journal" value="')[2].partition('"')[0]
        lines = '"lines":[{"account":"10-1010-","debit":"5"},{"account":"10-3010-","credit":"5"}]'
        body = (
            f'{{"journal":"{proposed}","proposed":"{proposed}","date":"2026-02-20","kind":"general",{lines}}}'
        )
        gone = [
            self.group.post("/journals/alpha/post/", body, content_type="application/json").json()["go"]
            for _ in range(3)
        ]
        self.assertEqual([address.split("/")[-2] for address in gone], ["AL-00001", "AL-00002", "AL-00003"])
        keyed = body.replace(f'"proposed":"{proposed}"', '"proposed":"AL-00009"')
        reply = self.group.post("/journals/alpha/post/", keyed, content_type="application/json")
        self.assertEqual(
            (reply.status_code, reply.json()["faults"][0]["what"]),
            (422, "A journal of this number was posted meanwhile."),
        )
        self.assertEqual(
            client_of(person("pene")).get("/journals/alpha/new/").content.decode().count('value="AL-00004"'),
            2,
        )


assert os.environ.get("PINE_APPLICATION_URL"), (
    "the tests run on a server with a role for the application (launcher/tests.py)"
)
