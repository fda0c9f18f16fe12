"""One import beside the server, in the worker's process, so that no page waits for it.

It tells how far it is on a connection of its own, and stops (nothing written) as soon as somebody asked for
it.
"""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from procrastinate import JobContext
from procrastinate.contrib.django import app

from core.faults import Refused
from web.shell.progress import AGAIN, JobRun, attempts_of, run_job

NOTHING = "nothing was written"


def start(job: int, path: Path) -> None:
    """Hands the import to the worker; it outlives a restart of the server."""
    bring_in.defer(job=job, path=str(path))


@app.task(name="import a package", retry=AGAIN, pass_context=True)
def bring_in(context: JobContext, job: int, path: str) -> None:
    run(job, Path(path), attempts_of(context))


def run(number: int, path: Path, attempts: int = 0) -> None:
    """The package stays until the job has ended, so that it can begin again."""
    from web.exchange.importing import import_package
    from web.exchange.models import Job

    def work(job: JobRun) -> None:
        import_package(
            path,
            job.row.by,
            lambda what, done: job.tell(what, done, always=what == "finishing"),
            within=lambda outcome: job.end(outcome=f"Imported: {outcome.sentence()}."),
        )

    row = Job.objects.select_related("by").get(pk=number)
    try:
        run_job(row, work, NOTHING, attempts=attempts, refusal=_refusal)
    finally:
        row.refresh_from_db(fields=["ended_at"])
        if row.ended_at is not None:
            shutil.rmtree(path.parent, ignore_errors=True)


def _refusal(refused: Refused) -> dict[str, Any]:
    places = [
        (f.where.table, f.where.row, f.where.column, f.where.value[:80], f.what, f.way_out)
        for f in refused.faults
    ]
    return {"outcome": f"{len(places)} faults; nothing was written.", "faults": places[:500]}
