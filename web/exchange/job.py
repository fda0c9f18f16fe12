"""One import beside the server, in the worker's process, so that no page waits for it.

It tells how far it is on a connection of its own, and stops (nothing written) as soon as somebody asked for
it.
"""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from procrastinate.contrib.django import app

from web.shell.progress import Stopped, Teller, own_connection

TELL = "UPDATE exchange_job SET what = %s, done = %s, seen_at = now() WHERE id = %s RETURNING stop"


def start(job: int, path: Path) -> None:
    """Hands the import to the worker; it outlives a restart of the server."""
    bring_in.defer(job=job, path=str(path))


@app.task(name="import a package")
def bring_in(job: int, path: str) -> None:
    run(job, Path(path))


def run(number: int, path: Path) -> None:
    from django.utils import timezone

    from core.faults import Refused
    from web.exchange.importing import import_package
    from web.exchange.models import Job

    job = Job.objects.select_related("by").get(pk=number)
    ended: dict[str, Any] = {"outcome": "It broke off; nothing was written.", "faults": []}
    try:
        with own_connection() as own:
            teller = Teller(TELL, number, own)
            outcome = import_package(
                path, job.by, lambda what, done: teller(what, done, always=what == "finishing")
            )
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
