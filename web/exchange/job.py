"""One import beside the server, in the worker's process, so that no page waits for it.

It tells how far it is on a connection of its own, and stops (nothing written) as soon as somebody asked for
it.
"""

from __future__ import annotations

import shutil
import time
from pathlib import Path
from typing import Any

import psycopg
from procrastinate.contrib.django import app

EVERY = 0.4
QUIET_FOR = 120
"""Seconds after which a job that says nothing any more is taken for dead."""


def start(job: int, path: Path) -> None:
    """Hands the import to the worker; it outlives a restart of the server."""
    bring_in.defer(job=job, path=str(path))


@app.task(name="import a package")
def bring_in(job: int, path: str) -> None:
    run(job, Path(path))


class Teller:
    """Writes progress at most every EVERY seconds and raises Stopped where that was asked for."""

    def __init__(self, job: int, connection: psycopg.Connection) -> None:
        self.job, self.connection, self.last = job, connection, 0.0

    def __call__(self, what: str, done: int) -> None:
        from web.exchange.importing import Stopped

        now = time.monotonic()
        if now - self.last < EVERY and what != "finishing":
            return
        self.last = now
        row = self.connection.execute(
            "UPDATE exchange_job SET what = %s, done = %s, seen_at = now() WHERE id = %s RETURNING stop",
            [what, done, self.job],
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
    own = psycopg.connect(
        host=settings["HOST"],
        port=settings["PORT"] or 5432,
        user=settings["USER"],
        password=settings["PASSWORD"],
        dbname=settings["NAME"],
        autocommit=True,
    )
    ended: dict[str, Any] = {"outcome": "It broke off; nothing was written.", "faults": []}
    try:
        with own:
            outcome = import_package(path, job.by, Teller(number, own))
        ended["outcome"] = f"Imported: {outcome.sentence()}."
    except Stopped:
        ended["outcome"] = "Stopped; nothing was written."
    except Refused as refused:
        places = [
            (f.where.table, f.where.row, f.where.column, f.where.value[:80], f.what, f.way_out)
            for f in refused.faults
        ]
        ended = {"outcome": f"{len(places)} faults; nothing was written.", "faults": places[:500]}
    finally:
        Job.objects.filter(pk=number).update(ended_at=timezone.now(), **ended)
        shutil.rmtree(path.parent, ignore_errors=True)
