"""Jobs in the worker's process: how far one is, told on a connection of its own; whether somebody wants it
stopped; that what it makes and that it ended stand together; that one cut off is begun again."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import psycopg
from django.db import InterfaceError, OperationalError, close_old_connections, connection
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy

from core.faults import Refused
from web.shell.worker_jobs import WorkerJob

EVERY = 0.4
MOST_ATTEMPTS = 3
AWAY = (OperationalError, InterfaceError, psycopg.OperationalError, psycopg.InterfaceError)
"""What the database going away looks like: no fault of the job."""
AGAIN = RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=5, retry_exceptions=set(AWAY))


class Stopped(Exception):
    """Somebody asked for the job to be stopped."""


def own_connection() -> psycopg.Connection:
    """Beside the one whose transaction the job runs in, so that what it tells can be seen at once."""
    settings = connection.settings_dict
    return psycopg.connect(
        host=settings["HOST"],
        port=settings["PORT"] or 5432,
        user=settings["USER"],
        password=settings["PASSWORD"],
        dbname=settings["NAME"],
        autocommit=True,
    )


class Teller:
    """Writes progress at most every EVERY seconds and raises Stopped where that was asked for."""

    def __init__(self, row: WorkerJob, own: psycopg.Connection) -> None:
        self.own, self.number, self.last = own, row.pk, 0.0
        self.update = (
            f"UPDATE {row._meta.db_table} SET what = %s, done = %s, seen_at = now() WHERE id = %s"
            " RETURNING stop"
        )

    def __call__(self, what: str, done: int, *, always: bool = False) -> None:
        now = time.monotonic()
        if now - self.last < EVERY and not always:
            return
        self.last = now
        row = self.own.execute(self.update.encode(), [what, done, self.number]).fetchone()
        if row and row[0]:
            raise Stopped


class JobRun:
    """One job as the worker goes through it: `row` is what was asked for, `tell` says how far it is."""

    def __init__(self, row: Any, tell: Teller) -> None:
        self.row, self.tell = row, tell

    def end(self, **ended: Any) -> None:
        """Told in the transaction of what was made, so that neither stands without the other. Raises Stopped
        where the job was ended meanwhile."""
        if not end_once(self.row, **ended):
            raise Stopped


def end_once(row: WorkerJob, **ended: Any) -> bool:
    """Whether the job had not ended before; an ended one stays as it is."""
    unended = type(row).objects.filter(pk=row.pk, ended_at=None)  # type: ignore[attr-defined]
    return bool(unended.update(ended_at=timezone.now(), **ended))


def run_job(
    row: WorkerJob,
    work: Callable[[JobRun], None],
    nothing: str,
    *,
    attempts: int = 0,
    refusal: Callable[[Refused], dict[str, Any]] | None = None,
) -> None:
    """Goes through a job once: `work` makes it and says with what it ended. `nothing` says what there is
    where it doesn't come to that; `attempts` is how often it was cut off before. What ended before is left
    alone, and where the database goes away the error goes on to the queue, which begins again."""
    if not connection.in_atomic_block:
        close_old_connections()
    if row.ended_at is not None:
        return
    if attempts >= MOST_ATTEMPTS:
        end_once(row, outcome=f"It broke off {attempts} times; {nothing}.")
        return
    try:
        with own_connection() as own:
            tell = Teller(row, own)
            tell("beginning" if not attempts else "beginning again", 0, always=True)
            work(JobRun(row, tell))
    except Stopped:
        end_once(row, outcome=f"Stopped; {nothing}.")
    except Refused as refused:
        told = refusal(refused) if refusal else {"outcome": " ".join(f.what for f in refused.faults[:5])}
        end_once(row, **told)
    except AWAY:
        if attempts + 1 >= MOST_ATTEMPTS:
            end_once(row, outcome=f"It broke off {attempts + 1} times; {nothing}.")
        raise
    except Exception:
        end_once(row, outcome=f"It broke off; {nothing}.")
        raise


def attempts_of(context: JobContext) -> int:
    """How often the queue began this job before."""
    return context.job.attempts


def ask_to_stop(row: WorkerJob, nothing: str) -> None:
    """Asks a job to stop; one that no worker goes through ends at once."""
    type(row).objects.filter(pk=row.pk, ended_at=None).update(stop=True)  # type: ignore[attr-defined]
    if row.is_quiet:
        end_once(row, outcome=f"Stopped; {nothing}.")
