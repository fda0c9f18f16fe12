"""Backup and back: everything there is, judged before it takes its place."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

import psycopg
from django.db import connection

from core.changes.kinds import AddCode
from core.definitions.tables import Code
from launcher import debian
from tests.base import CommittingTest, bring, client_of, person, world
from tests.serving import ROOT
from web.definitions import drafting
from web.journals.models import Journal
from web.shell import prepare


class Restoring(CommittingTest):
    """A database beside the test's own, and the commands that bring a backup into it."""

    def setUp(self) -> None:
        super().setUp()
        self.other = f"{connection.settings_dict['NAME']}_restored"
        self.addCleanup(lambda: self.on("postgres", f'DROP DATABASE IF EXISTS "{self.other}" WITH (FORCE)'))

    def url(self, name: str) -> str:
        kept = connection.settings_dict
        return f"postgres://{kept['USER']}:{kept['PASSWORD']}@{kept['HOST']}:{kept['PORT']}/{name}"

    def on(self, name: str, statement: str) -> list[tuple[object, ...]]:
        with psycopg.connect(self.url(name), autocommit=True) as there:
            found = there.execute(statement)
            return found.fetchall() if found.description else []

    def act(self, *words: str, database: str = "") -> tuple[int, str]:
        url = self.url(database or str(connection.settings_dict["NAME"]))
        own = {**os.environ, "PINE_DATABASE_URL": url, "PINE_POSTGRES_BIN": str(debian.postgres_binaries())}
        done = subprocess.run(
            [sys.executable, "-m", "web.manage", *words],
            env=own,
            cwd=ROOT,
            capture_output=True,
            text=True,
        )
        return done.returncode, done.stderr


class BackAgain(Restoring):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")
        person("pene", "company", ("alpha",))
        client = client_of(self.mirela)
        self.assertEqual(
            client.post("/journals/alpha/journal/A2/reverse/", {"on": "2026-03-01"}).status_code, 200
        )
        drafting.start(
            "Spring", self.mirela, [AddCode(Code("acc", "1030", "Till", account_class="asset"), "10")]
        )
        with connection.cursor() as cursor:
            cursor.execute(prepare.STAMPS)
            cursor.execute("DELETE FROM pine_stamp")
            cursor.execute("INSERT INTO pine_stamp VALUES ('now', %s)", [json.dumps(prepare.digests())])
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "books.pine"

    def test_everything_comes_back(self) -> None:
        status, told = self.act("backup", str(self.file))
        self.assertEqual(
            (status, told), (0, f"Backed up to {self.file}: 4 journals, 1 versions, 2 people.\n")
        )
        status, told = self.act("restore", str(self.file), database=self.other)
        self.assertEqual(status, 0, told)
        self.assertIn("2 trial balances, 2 chains.", told)
        for statement in (
            "SELECT company, journal, hash, poster, reverses_id FROM journals_journal ORDER BY id",
            "SELECT version, sentence, digest FROM definitions_version ORDER BY version",
            "SELECT id, table_name.key, old, new FROM definitions_edited table_name ORDER BY id",
            "SELECT name, status, at FROM definitions_draft ORDER BY id",
            "SELECT content FROM definitions_draftchange ORDER BY id",
            "SELECT username, role, password FROM people_person ORDER BY id",
            "SELECT tgname, tgrelid::regclass::text FROM pg_trigger WHERE NOT tgisinternal ORDER BY 2, 1",
        ):
            self.assertEqual(
                self.on(self.other, statement),
                self.on(str(connection.settings_dict["NAME"]), statement),
                statement,
            )
        self.assertEqual(
            self.act("restore", str(self.file), database=self.other)[0], 1, "it holds something now"
        )
        role = os.environ["PINE_APP_ROLE"]
        may = (
            f"SELECT has_table_privilege('{role}', 'journals_journal', 'INSERT'),"
            f" has_table_privilege('{role}', 'journals_journal', 'UPDATE')"
        )
        self.assertEqual(self.on(self.other, may), [(True, False)])

    def test_what_is_not_whole_is_not_taken(self) -> None:
        self.assertEqual(self.act("backup", str(self.file))[0], 0)
        with zipfile.ZipFile(self.file) as archive:
            manifest, dump = json.loads(archive.read("manifest.json")), archive.read("database.dump")
        amounts = dict(manifest["balances"])
        for change, expected in (
            ({"balances": {**amounts, "alpha": "0" * 64}}, "the balances of alpha are others"),
            (
                {"counts": {**manifest["counts"], "journals_journal": 5}},
                "journals_journal has 4 rows and had 5",
            ),
            (
                {"migrations": {"web/codes/migrations/0001_initial.py": "0"}},
                "was made by another state of the program",
            ),
            ({"form": "other"}, "is a backup of another form"),
        ):
            with zipfile.ZipFile(self.file, "w") as archive:
                archive.writestr("manifest.json", json.dumps({**manifest, **change}))
                archive.writestr("database.dump", dump)
            status, told = self.act("restore", str(self.file), database=self.other)
            self.assertEqual((status, expected in told), (1, True), told)
            self.assertEqual(
                self.on("postgres", f"SELECT count(*) FROM pg_database WHERE datname LIKE '{self.other}%'"),
                [(0,)],
            )
        self.file.write_bytes(b"PK\x03\x04 nothing")
        self.assertIn(
            "is no backup of ours, or damaged", self.act("restore", str(self.file), database=self.other)[1]
        )
        self.assertEqual(self.act("restore", "nowhere.pine")[0], 2)
        self.assertEqual(Journal.objects.count(), 4)
