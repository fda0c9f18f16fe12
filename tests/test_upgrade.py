"""A database of each release comes up to now: its migrations are what they were, and nothing in it goes."""

from __future__ import annotations

import json
import os
import tomllib
import zipfile
from pathlib import Path
from typing import Any

import psycopg

from core.version import VERSION
from tests.serving import ROOT
from tests.test_backup import Restoring
from web.exchange.backup import account
from web.shell import prepare

RELEASES = sorted((ROOT / "tests/cases").glob("release-*.pine"))


def manifest_of(path: Path) -> dict[str, Any]:
    with zipfile.ZipFile(path) as archive:
        manifest: dict[str, Any] = json.loads(archive.read("manifest.json"))
        return manifest


class Upgrade(Restoring):
    def test_releases_are_named_alike_everywhere(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        self.assertEqual(project["version"], VERSION)
        self.assertIn(f"\n## {VERSION}, ", (ROOT / "CHANGELOG.md").read_text())
        self.assertIn(f"release-{VERSION}.pine", [path.name for path in RELEASES])

    def test_migrations_of_a_release_are_never_rewritten(self) -> None:
        now = prepare.digests()
        for path in RELEASES:
            for file, digest in manifest_of(path)["migrations"].items():
                with self.subTest(path.name, file=file):
                    self.assertEqual(now.get(file), digest)

    def test_its_data_is_all_there(self) -> None:
        for path in RELEASES:
            with self.subTest(path.name):
                status, told = self.act("restore", str(path), database=self.other)
                self.assertEqual(status, 0, told)
                for words in (("books", "verify", "--output", os.devnull), ("migrate", "--check")):
                    status, told = self.act(*words, database=self.other)
                    self.assertEqual(status, 0, told)
                was = manifest_of(path)
                with psycopg.connect(self.url(self.other)) as there:
                    now = account(there)
                for part in ("balances", "ends"):
                    self.assertEqual(now[part], was[part], part)
                fewer = {t: n for t, n in was["counts"].items() if now["counts"].get(t, 0) < n}
                self.assertEqual(fewer, {})
                self.assertGreater(was["counts"]["journals_journalline"], 4_000)
                self.on("postgres", f'DROP DATABASE "{self.other}" WITH (FORCE)')
