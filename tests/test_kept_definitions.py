"""Definitions kept in a file of the machine: what a process reads of it is what the tables hold, and a file
that is anything else counts as none."""

from __future__ import annotations

import tempfile
import uuid
from pathlib import Path
from unittest.mock import patch

from django.test import override_settings

from core.changes.kinds import Put
from core.definitions.state import UnreadPart
from core.definitions.tables import DEFINING_TABLES, Code
from tests.base import InWorld, forget, run
from web.definitions import actions, kept_definitions, snapshot, store
from web.shell import kept_files


class KeptDefinitionsTest(InWorld):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        for overriding in (
            override_settings(KEPT=folder.name),
            patch.object(kept_definitions, "FROM_ROWS", 0),
            patch.object(snapshot, "KEPT_ANEW_AFTER", 2),
        ):
            overriding.__enter__()
            self.addCleanup(overriding.__exit__, None, None, None)
        forget()
        self.state = snapshot.current().state

    def rename(self, *names: str) -> None:
        for name in names:
            bank = snapshot.current().state.require(Code, "acc", "1010")
            actions.make_change(Put(bank._replace(name=name)), self.mirela)

    def name_without_tables(self) -> str:
        """As a new process sees it that must not read the tables of definitions."""
        forget()
        with patch.object(store, "load", side_effect=AssertionError("the tables were read")):
            return snapshot.current().state.require(Code, "acc", "1010").name

    @property
    def file(self) -> Path:
        folder = kept_files.folder()
        assert folder is not None
        return folder / kept_definitions.NAME

    def test_a_new_process_reads_the_same_rows_and_only_those_it_is_asked_for(self) -> None:
        forget()
        with patch.object(store, "load", side_effect=AssertionError("the tables were read")):
            state = snapshot.current().state
        state.require(Code, "acc", "1010")
        unread = {(table, first) for table, first, part in state.parts() if isinstance(part, UnreadPart)}
        self.assertNotIn(("codes", "acc"), unread)
        self.assertIn(("codes", "site"), unread)
        self.assertEqual(state.count(Code), self.state.count(Code))
        self.assertIn(("codes", "site"), {key[:2] for key in unread})
        for table in DEFINING_TABLES:
            with self.subTest(table.name):
                self.assertEqual(dict(state.table(table.name)), dict(self.state.table(table.name)))
        self.assertEqual(state.digest, self.state.digest)
        self.assertFalse(any(isinstance(part, UnreadPart) and not part.is_read for *_, part in state.parts()))

    def test_versions_since_are_replayed_and_after_some_a_newer_one_is_kept(self) -> None:
        self.rename("One", "Two")
        self.assertEqual(self.name_without_tables(), "Two")
        kept = kept_definitions.kept()
        assert kept is not None
        self.assertEqual(kept.version, 1)
        self.rename("Three")
        self.assertEqual(self.name_without_tables(), "Three")
        kept = kept_definitions.kept()
        assert kept is not None
        self.assertEqual((kept.version, kept.state.require(Code, "acc", "1010").name), (4, "Three"))

    def test_a_file_that_is_damaged_counts_as_none(self) -> None:
        whole = self.file.read_bytes()
        for at in (0, 40, len(whole) // 2, len(whole) - 1):
            with self.subTest(at):
                self.file.write_bytes(whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :])
                with self.assertLogs("web.shell.kept_files", "WARNING") as logged:
                    self.assertIsNone(kept_definitions.kept())
                self.assertIn("is not as it was written, and is not used.", logged.output[0])
        for text in (b"", whole[:20]):
            with self.subTest(len(text)):
                self.file.write_bytes(text)
                with self.assertLogs("web.shell.kept_files", "WARNING") if text else patch("sys.path"):
                    self.assertIsNone(kept_definitions.kept())
        forget()
        with self.assertNoLogs("web.definitions.snapshot"):
            self.assertEqual(snapshot.current().state.digest, self.state.digest)
        self.assertEqual(self.name_without_tables(), "Bank")

    def test_one_of_another_installation_or_database_counts_as_none(self) -> None:
        with (
            override_settings(SECRET_KEY="another"),
            self.assertLogs("web.shell.kept_files", "WARNING"),
        ):
            self.assertIsNone(kept_definitions.kept())
        now = snapshot.current()
        assert now.token is not None
        other = self.state.edited([])
        for version, token in ((now.version, uuid.uuid4()), (now.version + 1, now.token)):
            with self.subTest(version=version):
                kept_definitions.keep(version, token, other)
                forget()
                self.assertEqual(snapshot.current().version, now.version)
                kept = kept_definitions.kept()
                assert kept is not None
                self.assertEqual((kept.version, kept.token), (now.version, now.token))

    def test_one_with_other_columns_counts_as_none(self) -> None:
        with patch.object(kept_definitions, "_layout", return_value="another"):
            self.assertIsNone(kept_definitions.kept())

    def test_verify_tells_of_rows_that_are_not_those_of_the_version(self) -> None:
        self.assertEqual(run("verify")[0], 0)
        now = snapshot.current()
        assert now.token is not None
        bank = self.state.require(Code, "acc", "1010")
        digest = self.state.digest
        wrong = self.state.of(
            bank._replace(name="Not so") if row == bank else row
            for table in DEFINING_TABLES
            for row in self.state.rows(table.row)
        )
        wrong._digest = int(digest, 16)
        kept_definitions.keep(now.version, now.token, wrong)
        status, _, told = run("verify")
        self.assertEqual(status, 1)
        self.assertIn("The definitions kept on this machine are not those of version 1.", told)

    def test_check_reads_the_tables_whatever_is_kept(self) -> None:
        from django.db import connection

        with connection.cursor() as cursor:
            cursor.execute("UPDATE codes_code SET name = 'By hand' WHERE code = '1010'")
        with self.assertLogs("web.definitions.snapshot", "ERROR"):
            status, _, told = run("check")
        self.assertEqual(status, 1)
        self.assertIn("somebody changed rows beside the log.", told)

    def test_a_machine_that_cannot_write_goes_on_without(self) -> None:
        self.file.unlink()
        with (
            override_settings(KEPT="/proc/none"),
            self.assertLogs("web.shell.kept_files", "WARNING") as logged,
        ):
            forget()
            self.assertEqual(snapshot.current().state.digest, self.state.digest)
        self.assertIn("definitions is not kept: ", logged.output[0])
