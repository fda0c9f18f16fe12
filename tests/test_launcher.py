"""The two commands on a checkout of its own: started, started again, killed without warning, started once
more, stopped."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from pathlib import Path

import psycopg

ROOT = Path(__file__).resolve().parent.parent
TRACKED = (
    "core",
    "demo",
    "launcher",
    "web",
    "pine",
    "pyproject.toml",
    "requirements.lock",
    "requirements-dev.lock",
)


class Launcher(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="pine-launch-", dir="/var/tmp"))
        folder.chmod(0o755)
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        for name in TRACKED:
            one = ROOT / name
            if one.is_dir():
                shutil.copytree(one, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(one, folder / name)
        (folder / ".venv").symlink_to(ROOT / ".venv")
        self.folder = folder
        self.addCleanup(self.pine, "stop")
        self.addCleanup(self.pine, "stop", PINE_DATABASE="beside")
        self.environment = {
            name: value
            for name, value in os.environ.items()
            if not name.startswith(("PINE_", "DJANGO_", "PYTHONPATH"))
        }

    def pine(self, *words: str, **more: str) -> tuple[int, str, str]:
        done = subprocess.run(
            ["./pine", *words],
            cwd=self.folder,
            env={**self.environment, **more},
            capture_output=True,
            text=True,
            timeout=240,
        )
        return done.returncode, done.stdout, done.stderr

    def start(self) -> str:
        status, out, self.told = self.pine("start")
        self.assertEqual(status, 0, self.told)
        found = re.search(r"http://127\.0\.0\.1:\d+/", out)
        assert found, out
        self.assertIn("m.okafor  glasshouse-ledger", out)
        return found[0]

    def alive(self, address: str) -> bool:
        try:
            with urllib.request.urlopen(address + "alive", timeout=5) as reply:
                return bool(reply.read() == b"pine scaffold")
        except (urllib.error.URLError, OSError):
            return False

    def processes(self) -> dict[str, int]:
        """Our server, its worker, the database, by what they are."""
        found = {}
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            with contextlib.suppress(OSError):
                words = path.read_bytes().replace(b"\0", b" ").decode(errors="replace")
                for name in ("gunicorn", "keeping", "procrastinate", "postgres"):
                    if name in words and str(self.folder) in words:
                        found[name] = int(path.parent.name)
        return found

    def test_start_and_stop(self) -> None:
        address = self.start()
        self.assertTrue(self.alive(address))
        running = self.processes()
        self.assertEqual(set(running), {"gunicorn", "keeping", "procrastinate", "postgres"})
        os.kill(running["procrastinate"], signal.SIGKILL)
        until = time.monotonic() + 30
        while self.processes().get("procrastinate") in (None, running["procrastinate"]):
            self.assertLess(time.monotonic(), until, "no other worker took the place of the one that ended")
            time.sleep(0.3)
        with urllib.request.urlopen(address, timeout=20) as reply:
            self.assertIn("Sign in", reply.read().decode())

        started = time.monotonic()
        self.assertEqual(self.start(), address)
        self.assertLess(time.monotonic() - started, 30)

        self.served_beside(address)
        status, out, err = self.pine(
            "trial-balance", "--company", "nurseries", "--year", "2026", "--period", "9"
        )
        self.assertEqual(
            (status, out.split("\n")[0], err), (0, "account,name,opening,debit,credit,closing", "")
        )
        closing = [row.rsplit(",", 1)[1] for row in out.strip().split("\n")[1:]]
        self.assertEqual(sum(int(amount.replace(".", "")) for amount in closing), 0)

        for pid in self.killed():
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        self.assertFalse(self.alive(address))
        again = self.start()
        self.assertTrue(self.alive(again))
        self.assertEqual(
            self.pine("trial-balance", "--company", "nurseries", "--year", "2026", "--period", "9")[1], out
        )

        self.earlier_state()
        status, _, err = self.pine("start")
        self.assertEqual(status, 1)
        self.assertIn(
            "The database pine was made by another state of Pine Scaffold, and its tables are not those of"
            " this one.",
            err,
        )
        self.assertEqual(
            self.pine("set-aside", "pine", "--yes")[2], "The database pine is kept as pine_earlier_1.\n"
        )
        self.assertTrue(self.alive(self.start()))
        self.assertEqual(
            self.pine("trial-balance", "--company", "nurseries", "--year", "2026", "--period", "9"),
            (0, out, ""),
        )

        self.assertEqual(self.pine("stop")[1], "Stopped.\n")
        self.assertEqual(self.processes(), {})
        self.assertEqual(self.pine("stop")[1], "Nothing was running.\n")

    def served_beside(self, address: str) -> None:
        """Another database of the checkout has its own port, worker and cookies, and neither start nor stop
        of the one touches the other."""
        status, out, err = self.pine("start", "--empty", PINE_DATABASE="beside")
        self.assertEqual(status, 0, err)
        beside = re.search(r"http://127\.0\.0\.1:\d+/", out)
        assert beside and beside[0] != address, out
        names = []
        for one in (address, beside[0]):
            with urllib.request.urlopen(one + "sign-in/", timeout=20) as reply:
                names.append({cookie.split("=")[0] for cookie in reply.headers.get_all("Set-Cookie", ())})
        self.assertEqual(names, [{"csrftoken"}, {"csrftoken-beside"}])
        self.assertIn("is running already", self.pine("start")[2])
        self.assertIn("is running already", self.pine("start", PINE_DATABASE="beside")[2])
        self.assertTrue(self.alive(address) and self.alive(beside[0]))
        status, out, err = self.pine("stop", PINE_DATABASE="beside")
        told = "The database cluster goes on: another database of it is served.\n"
        self.assertEqual((status, out, err), (0, "Stopped.\n", told))
        self.assertTrue(self.alive(address))
        self.assertFalse(self.alive(beside[0]))

    def earlier_state(self) -> None:
        """Makes the database one that the models of now don't fit, as a checkout of an earlier day leaves
        it."""
        port = (self.folder / ".pine" / "database.port").read_text().strip()
        secrets = [
            *self.folder.glob(".pine/database-password"),
            *Path("/var/tmp").glob("*/database-password"),
        ]
        for secret in secrets:
            with contextlib.suppress(psycopg.OperationalError):
                with psycopg.connect(
                    host="127.0.0.1",
                    port=port,
                    user="pine",
                    dbname="pine",
                    password=secret.read_text().strip(),
                    autocommit=True,
                ) as made:
                    changed = "jsonb_set(files, '{web/codes/migrations/0001_initial.py}', '\"another\"')"
                    made.execute(f"UPDATE pine_stamp SET stamp = 'earlier', files = {changed}")
                return
        self.fail("the database could not be reached")

    def killed(self) -> list[int]:
        """Everything of this checkout that runs, workers and children too."""
        found = []
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            with contextlib.suppress(OSError):
                words = path.read_bytes().decode(errors="replace")
                cwd = str((path.parent / "cwd").readlink())
                if str(self.folder) in words or cwd.startswith(str(self.folder)):
                    found.append(int(path.parent.name))
        return found

    def test_wrong_calls(self) -> None:
        for words, status, told in [
            (("dance",), 2, "There is no command dance."),
            (("start", "now"), 2, "./pine start takes no words after it."),
            (("drop-database", "pine", "--yes"), 2, ""),
        ]:
            with self.subTest(words):
                code, _, err = self.pine(*words)
                self.assertEqual(code, status, err)
                self.assertIn(told, err)
