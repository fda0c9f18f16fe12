"""How far a job in the worker is, told on a connection of its own, and whether somebody wants it stopped."""

from __future__ import annotations

import time

import psycopg
from django.db import connection

EVERY = 0.4
QUIET_FOR = 120
"""Seconds after which a job that says nothing any more is taken for dead."""


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
    """Writes progress at most every EVERY seconds and raises Stopped where that was asked for. `update` takes
    what is being done, how much is done and the job's number, and returns whether it is to stop."""

    def __init__(self, update: str, job: int, own: psycopg.Connection) -> None:
        self.update, self.job, self.own, self.last = update, job, own, 0.0

    def __call__(self, what: str, done: int, *, always: bool = False) -> None:
        now = time.monotonic()
        if now - self.last < EVERY and not always:
            return
        self.last = now
        row = self.own.execute(self.update.encode(), [what, done, self.job]).fetchone()
        if row and row[0]:
            raise Stopped
