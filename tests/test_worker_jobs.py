"""Jobs in the worker: what is made and that it ended stand together; one cut off begins again by itself, and
no page waits for what nobody does."""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

from django.db import OperationalError, connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

from core.definitions.tables import Code
from tests.base import CommittingTest, PineTest, bring, client_of, person, world
from tests.serving import ROOT, environment
from web.definitions.deciding import DEFINITIONS
from web.definitions.snapshot import current
from web.exchange import job as imports
from web.exchange.models import Job
from web.packs import job as packs
from web.packs.models import Pack, PackFile
from web.shell.progress import MOST_ATTEMPTS, end_once
from web.shell.worker_jobs import WorkerJob

AT = {"year": 2026, "period": 2}
PATIENCE = 60


class Once(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)
        reply = self.client.post(
            "/packs/make/new/",
            {"name": "February", "statement": ["st"], "company": ["*"], "form": "pdf", **AT},
        )
        self.assertEqual(reply.status_code, 200, reply.content[:400])
        self.pack = Pack.objects.get()

    def ended(self) -> tuple[bool, str, int]:
        """Whether it has ended, with what, and how many files were kept."""
        self.pack.refresh_from_db()
        return not self.pack.is_busy, self.pack.outcome, PackFile.objects.count()

    def test_what_the_database_cut_off_is_left_to_begin_again(self) -> None:
        away = OperationalError("the connection is closed")
        with patch("web.packs.making.make_pack", side_effect=away), self.assertRaises(OperationalError):
            packs.run(self.pack.pk)
        self.assertEqual(self.ended(), (False, "", 0))
        packs.run(self.pack.pk, 1)
        self.assertEqual(self.ended(), (True, "2 statements", 1))

    def test_it_is_not_tried_for_ever(self) -> None:
        away = OperationalError("the connection is closed")
        with patch("web.packs.making.make_pack", side_effect=away), self.assertRaises(OperationalError):
            packs.run(self.pack.pk, MOST_ATTEMPTS - 1)
        self.assertEqual(self.ended(), (True, "It broke off 3 times; nothing was kept.", 0))

    def test_a_worker_that_dies_of_it_each_time_is_spared(self) -> None:
        packs.run(self.pack.pk, MOST_ATTEMPTS)
        self.assertEqual(self.ended(), (True, "It broke off 3 times; nothing was kept.", 0))

    def test_a_fault_of_the_program_ends_it(self) -> None:
        with patch("web.packs.making.make_pack", side_effect=ValueError), self.assertRaises(ValueError):
            packs.run(self.pack.pk)
        self.assertEqual(self.ended(), (True, "It broke off; nothing was kept.", 0))

    def test_what_has_ended_is_not_made_again(self) -> None:
        packs.run(self.pack.pk)
        packs.run(self.pack.pk, 1)
        self.assertEqual(self.ended(), (True, "2 statements", 1))

    def test_what_was_ended_while_it_was_made_keeps_nothing(self) -> None:
        from web.packs.making import make_pack

        def make(*args: object) -> object:
            end_once(self.pack, outcome="Stopped; nothing was kept.")
            return make_pack(*args)  # type: ignore[arg-type]

        with patch("web.packs.making.make_pack", make):
            packs.run(self.pack.pk)
        self.assertEqual(self.ended(), (True, "Stopped; nothing was kept.", 0))

    def test_pages_say_what_it_waits_for(self) -> None:
        now = timezone.now()
        for what, quiet, lives, told in (
            ("waiting", 0, True, "waiting for its turn"),
            ("waiting", 500, True, "waiting for its turn"),
            ("waiting", 500, False, "no worker runs: ./pine start begins one, and this goes on"),
            ("Alpha, Statement", 5, False, "Alpha, Statement"),
            ("Alpha, Statement", 60, True, "cut off: it begins again by itself"),
            ("Alpha, Statement", 60, False, "no worker runs: ./pine start begins one, and this goes on"),
        ):
            ProcrastinateWorker.objects.all().delete()
            with connection.cursor() as cursor:
                cursor.execute(
                    "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (%s)",
                    [now - timedelta(seconds=5 if lives else 600)],
                )
            Pack.objects.update(what=what, seen_at=now - timedelta(seconds=quiet))
            with self.subTest(what=what, quiet=quiet, lives=lives):
                self.assertIn(told, self.client.get("/packs/").content.decode())

    def test_a_long_step_is_not_taken_for_cut_off(self) -> None:
        """Silent for long, with a worker at it that lives: what it does is said, and a stop waits for it."""
        Pack.objects.update(what="writing pages", seen_at=timezone.now() - timedelta(minutes=5))
        with connection.cursor() as cursor:
            cursor.execute("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now()) RETURNING id")
            (worker,) = cursor.fetchone()
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s", [worker])
        self.assertIn("writing pages", self.client.get("/packs/").content.decode())
        self.client.post(f"/packs/{self.pack.pk}/stop/")
        self.assertEqual(self.ended(), (False, "", 0))
        self.assertTrue(self.pack.stop)

    def test_what_nobody_does_is_stopped_at_once(self) -> None:
        self.client.post(f"/packs/{self.pack.pk}/stop/")
        self.assertEqual(self.ended(), (True, "Stopped; nothing was kept.", 0))
        packs.run(self.pack.pk)
        self.assertEqual(self.ended(), (True, "Stopped; nothing was kept.", 0))


class CutOff(CommittingTest):
    def worker(self) -> subprocess.Popen[bytes]:
        worker = subprocess.Popen(
            [sys.executable, "-m", "web.manage", "procrastinate", "worker", "--concurrency=1"],
            cwd=ROOT,
            env=environment(),
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(worker.wait)
        self.addCleanup(worker.kill)
        return worker

    def until(self, holds: Callable[[WorkerJob], bool]) -> WorkerJob:
        began = time.monotonic()
        while not holds(row := Job.objects.get()):
            self.assertLess(time.monotonic() - began, PATIENCE, f"{row.what}, {row.outcome}")
            time.sleep(0.1)
        return row

    @staticmethod
    def waits_for(lock: int) -> bool:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT EXISTS (SELECT FROM pg_locks l JOIN pg_database d ON d.oid = l.database"
                " WHERE d.datname = current_database() AND l.objid = %s AND NOT l.granted)",
                [lock],
            )
            return bool(cursor.fetchone()[0])

    def test_a_worker_killed_in_the_middle_begins_again_and_writes_once(self) -> None:
        bring(world())
        folder = Path(tempfile.mkdtemp(prefix="pine-import-"))
        path = folder / "codes.csv"
        path.write_text("code_list,code,name,account_class\nacc,1999,Kept after all,asset\n")
        imports.start(Job.objects.create(by=person("mirela"), file="codes.csv").pk, path)
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock(%s)", [DEFINITIONS])
            killed = self.worker()
            self.until(lambda row: self.waits_for(DEFINITIONS))  # all is written, nothing committed
            killed.send_signal(signal.SIGKILL)
            killed.wait()
            cursor.execute("SELECT pg_advisory_unlock(%s)", [DEFINITIONS])
        self.assertEqual(ProcrastinateJob.objects.get(task_name="import a package").status, "doing")
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_workers SET last_heartbeat = now() - interval '1 hour'")
        self.worker()
        row = self.until(lambda row: row.ended_at is not None)
        self.assertEqual(row.outcome, "Imported: 1 new in codes.")
        self.assertEqual(current().state.require(Code, "acc", "1999").name, "Kept after all")
        self.assertFalse(folder.exists())
