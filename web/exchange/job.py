"""One import in a process of its own, so that no page waits for it: `python -m web.exchange.job NUMBER FILE`.

It tells how far it is on a connection of its own, and stops (nothing written) as soon as somebody asked for it.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import django
import psycopg

EVERY = 0.4
QUIET_FOR = 120
"""Seconds after which a job that says nothing any more is taken for dead."""


def start(job: int, path: Path) -> None:
    """Runs the import beside the server; it outlives a restart of the server."""
    words = [sys.executable, "-m", "web.exchange.job", str(job), str(path)]
    subprocess.Popen(words, start_new_session=True, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                     env={**os.environ, "PYTHONPATH": str(Path(__file__).resolve().parents[2])})  # fmt: skip


class Teller:
    """Writes progress at most every EVERY seconds and raises Stopped where that was asked for."""

    def __init__(self, job: int, connection: psycopg.Connection):
        self.job, self.connection, self.last = job, connection, 0.0

    def __call__(self, what: str, done: int) -> None:
        from web.exchange.importing import Stopped

        now = time.monotonic()
        if now - self.last < EVERY and what != "finishing":
            return
        self.last = now
        row = self.connection.execute(
            "UPDATE exchange_job SET what = %s, done = %s, seen_at = now() WHERE id = %s RETURNING stop", [what, done, self.job]
        ).fetchone()
        if row and row[0]:
            raise Stopped


def run(number: int, path: Path) -> None:
    from django.db import connection
    from django.utils import timezone

    from core.faults import Refused
    from web.exchange.importing import Stopped, import_package
    from web.exchange.models import Job

    job = Job.objects.select_related("by").get(pk=number)
    settings = connection.settings_dict
    own = psycopg.connect(host=settings["HOST"], port=settings["PORT"] or 5432, user=settings["USER"], password=settings["PASSWORD"],
                          dbname=settings["NAME"], autocommit=True)  # fmt: skip
    ended = {"outcome": "It broke off; nothing was written.", "faults": []}
    try:
        with own:
            outcome = import_package(path, job.by, Teller(number, own))
        ended["outcome"] = f"Imported: {outcome.sentence()}."
    except Stopped:
        ended["outcome"] = "Stopped; nothing was written."
    except Refused as refused:
        places = [(f.where.table, f.where.row, f.where.column, f.where.value[:80], f.what, f.way_out) for f in refused.faults]
        ended = {"outcome": f"{len(places)} faults; nothing was written.", "faults": places[:500]}
    finally:
        Job.objects.filter(pk=number).update(ended_at=timezone.now(), **ended)
        shutil.rmtree(path.parent, ignore_errors=True)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
    django.setup()
    run(int(sys.argv[1]), Path(sys.argv[2]))
